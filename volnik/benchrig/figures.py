"""What the other devices of a simulated vehicle say: the pack's counter and cells, chargers, switches."""

from __future__ import annotations

from collections.abc import Mapping

from volnik.core.columns import MOST_OWN, own_name
from volnik.core.simulation.switched import SwitchedVehicle

CELL_OFF_V = (0.002, -0.001, 0.004, -0.003)
"""By which the cells of a pack differ, in turn [V]. Source: estimate; a sound pack."""
PACK_LOW = 0.01  # of charge by which the pack's own counter stands below the truth; source: estimate
ON_A = 0.1  # from which a load is on
METER_V = 0.012  # by which a charger's own meter is off; source: estimate


def figures(vehicle: SwitchedVehicle) -> dict[str, float]:
    """What is said beside volts, amps and temperature at the instant the vehicle stands at, by column.

    Args:
        vehicle: as it stands.
    """
    shown = vehicle.shown
    found = {**_pack(vehicle)}
    for source in vehicle.wired.vehicle.sources:
        amps = shown.amps.get(source.drawn.id, 0.0)
        found[own_name("charger_volts", source.name)] = round(shown.volts + amps * source.ohm + METER_V, 3)
        found[own_name("charger_amps", source.name)] = round(amps, 2)
    for device in vehicle.wired.analysis.devices:
        if device.takes and not device.gives:
            drawn = abs(shown.amps.get(device.id, 0.0))
            found[own_name("switch", device.id)] = float(drawn > max(ON_A, 1.5 * device.number("standby_a")))
    return dict(list(found.items())[:MOST_OWN])


def _pack(vehicle: SwitchedVehicle) -> dict[str, float]:
    """The pack's own counter and cells; of lead there is none."""
    if vehicle.bank.chemistry not in ("lfp", "nmc"):
        return {}
    shown, cells = vehicle.shown, vehicle.bank.cells
    each = [shown.volts / cells + CELL_OFF_V[at % len(CELL_OFF_V)] for at in range(cells)]
    return {
        "percent_pack": round(100.0 * max(0.0, min(1.0, shown.charge - PACK_LOW))),
        "cell_volts_low": round(min(each), 3),
        "cell_volts_high": round(max(each), 3),
    }


def line_of(time_s: float, values: Mapping[str, float]) -> str:
    """A line of text that says them, each as name=value.

    Args:
        time_s: the instant [s since 1970].
        values: by column.
    """
    return " ".join([f"time={time_s:.0f}", *(f"{name}={value:g}" for name, value in values.items())])
