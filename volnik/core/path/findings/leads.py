"""The monitor's thin leads: where the supply lead lands, its fuse and socket, and what the spare input is
used for.
"""

from __future__ import annotations

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.sizing import auxiliary_uses

THIN_A = 3.0  # largest fuse a thin lead may have [A]; source: trade practice (commonly 1 A)


def look(seen: WiringAnalysis) -> list[Finding]:
    """Findings P09 to P12."""
    if seen.wiring.shunt is None:
        return []
    return [*_supply(seen), *_fuses(seen), *_auxiliary(seen)]


def _supply(seen: WiringAnalysis) -> list[Finding]:
    found = []
    lead = next((cable for cable in seen.wiring.cables if cable.a == "monitor.sense"), None)
    top = seen.top_posts[0]
    if lead is None:
        found.append(
            Finding(
                "path.P11",
                "fix",
                "The monitor's supply lead is not drawn.",
                "Without it the monitor is dead, or reads no volts.",
                "Land it on the highest positive post, fused there.",
                "path.monitor",
                {
                    "ops": [
                        {
                            "op": "add_cable",
                            "id": "sense",
                            "a": "monitor.sense",
                            "b": top,
                            "size": "0.75 mm²",
                            "fuse": {"amps": 1, "from_post_mm": 50},
                        }
                    ]
                },
            )
        )
    elif lead.b not in seen.top_posts:
        low = seen.studs[lead.b].place == "block"
        found.append(
            Finding(
                "path.P09",
                "fix" if low else "advise",
                f"The supply lead is on the {seen.studs[lead.b].name}, not on the highest positive post.",
                "It sees only part of the string's volts, so the full reset never comes, or comes wrongly."
                if low
                else (
                    "It reads the volts less what the cable to there drops; the charged voltage must lie "
                    "lower by as much."
                ),
                "Land it on the highest positive post.",
                f"path.{lead.id}",
                {"ops": [{"op": "move_end", "cable": lead.id, "end": "b", "to": top}]},
            )
        )
    if seen.wiring.sense_socket == "wrong":
        found.append(
            Finding(
                "path.P11",
                "fix",
                "The supply lead sits in the wrong one of the two sockets.",
                "The monitor stays dead, or reads the other input.",
                "Move it to the socket marked for the battery's volts.",
                "path.monitor",
                {"ops": [{"op": "set_socket", "socket": "right"}]},
            )
        )
    return found


def _fuses(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for cable in seen.wiring.cables:
        if not seen.is_thin(cable):
            continue
        landing = seen.studs[cable.b]
        if landing.pole == "plus" and (cable.fuse is None or cable.fuse.amps > THIN_A):
            what = "has no fuse" if cable.fuse is None else f"has a fuse of {cable.fuse.amps:g} A"
            found.append(
                Finding(
                    "path.P10",
                    "stop",
                    f"The {seen.cable_name(cable)} {what} at the {landing.name}.",
                    "A hair-thin wire on the whole bank burns along its length when it chafes.",
                    "Fuse it with 1 A slow right at its source.",
                    f"path.{cable.id}",
                    {"ops": [{"op": "set_fuse", "cable": cable.id, "fuse": {"amps": 1, "from_post_mm": 50}}]},
                )
            )
    return found


def _auxiliary(seen: WiringAnalysis) -> list[Finding]:
    use = seen.wiring.auxiliary
    uses = auxiliary_uses(seen)
    lead = next((cable for cable in seen.wiring.cables if cable.a == "monitor.aux"), None)
    best = next(use for use in uses if use.possible)
    chosen = next((item for item in uses if item.use == use), None)
    overruled = any(overruling.what == "auxiliary" for overruling in seen.wiring.overrulings)
    wrong = ""
    if chosen is not None and not chosen.possible:
        wrong = f"The spare input is set to {chosen.title}. {chosen.reason}"
    elif lead is not None and use == "midpoint":
        row = [stud for stud in seen.block_studs if stud not in seen.top_posts and stud not in seen.posts]
        wrong = (
            ""
            if lead.b in row
            else f"The midpoint lead is on the {seen.studs[lead.b].name}, which is no midpoint."
        )
    elif lead is not None and use == "starter" and seen.studs[lead.b].place != "battery":
        wrong = f"The starter lead is on the {seen.studs[lead.b].name}."
    elif lead is None and use not in ("none", "temperature"):
        wrong = f"The spare input is meant for {chosen.title if chosen else use}, and its lead is not drawn."
    if wrong:
        return [
            Finding(
                "path.P12",
                "fix",
                wrong,
                "The input then shows a figure that means something else.",
                f"Best use here: {best.title}.",
                "path.monitor",
                {"ops": [{"op": "set_auxiliary", "use": best.use}]},
            )
        ]
    if use == "none" and best.weight >= 2.0 and not overruled:
        return [
            Finding(
                "path.P12",
                "advise",
                f"The spare input is unused; {best.title} would serve here.",
                best.reason,
                f"Else {best.lost}.",
                "path.monitor",
                {"ops": [{"op": "set_auxiliary", "use": best.use}]},
            )
        ]
    return []
