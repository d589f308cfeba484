"""What Doors says of bridges: the file that is copied to the vehicle, and what each bridge last said."""

from __future__ import annotations

from volnik.services.live.tokens import Made
from volnik.web.plural import count_of

SOURCES = """# Copy this to the vehicle as SOURCES.toml, keep it from others: the key stands in it.
# Try it there: volnik bridge SOURCES.toml --check
[volnik]
address = "{address}"

[[rig]]
id = {rig_id}
key = "{key}"
interval_s = {interval_s:g}

# Keep what is there, take the others away. Plus charges: turn the sign by a scale of -1.
# Columns: volts, amps, celsius, starter_volts, midpoint_volts, and the rig's own: percent_pack, cell_volts_1,
# charger_volts_mains, charger_amps_mains, switch_pump, celsius_engine (docs/bridge/columns.md).
[[rig.source]]
kind = "mqtt"                      # a broker that already has the figures
host = "127.0.0.1"
topics = [
  {{ topic = "van/battery", column = "volts", path = "volts" }},
  {{ topic = "van/battery", column = "amps", path = "amps" }},
]

[[rig.source]]
kind = "text"                      # lines such as V=13.21 A=-4.50; without a pattern, volts=13.21 amps=-4.50
listen = "tcp://192.168.1.50:4000" # or udp://:4000
pattern = "V=(?P<volts>[-0-9.]+) A=(?P<amps>[-0-9.]+)"

[[rig.source]]
kind = "folder"                    # log files as they appear
path = "/home/van/logs"
"""


def sources_file(made: Made, address: str) -> str:
    """SOURCES.toml for a new bridge, "" for a key of another kind.

    Args:
        made: the key, with its secret.
        address: of Volnik, as the browser reached it.
    """
    if made.token.kind != "bridge":
        return ""
    token = made.token
    return SOURCES.format(address=address, rig_id=token.rig_id, key=made.secret, interval_s=token.interval_s)


def bridge_said(said: tuple[str, float] | None) -> str:
    """What a bridge last said, and how long ago; "" for nothing.

    Args:
        said: its words and their age [s].
    """
    if said is None:
        return ""
    words, age_s = said
    ago = count_of(round(age_s / 60.0), "minute") if age_s >= 60.0 else count_of(round(age_s), "second")
    return f"{ago} ago: {words}"
