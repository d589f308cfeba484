"""The monitor's thin leads: where the supply lead lands, its fuse and socket, and what the spare input is
used for.
"""

from __future__ import annotations

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.sensing import sense_ohm
from volnik.core.path.sizing import AuxiliaryUse, auxiliary_uses
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.fuses import thin_fuse

WORTH_USING = 2.0  # weight from which an unused input is worth a word; source: estimate
THIN_A = 3.0  # largest fuse a thin lead may have [A]; source: trade practice (commonly 1 A)


def check(analysis: WiringAnalysis) -> list[Finding]:
    """Findings P09 to P12.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    if analysis.wiring.shunt is None:
        return []
    return [*_supply(analysis), *_fuses(analysis), *_auxiliary(analysis)]


def _supply(analysis: WiringAnalysis) -> list[Finding]:
    lead = next((cable for cable in analysis.wiring.cables if cable.a == "monitor.sense"), None)
    top = analysis.top_posts[0]
    found = []
    if lead is None:
        found.append(_no_lead(top, analysis.nominal_v))
    elif lead.b not in analysis.top_posts:
        found.append(_lands_lower(analysis, lead, top))
    if analysis.wiring.sense_socket == "wrong":
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


def _no_lead(top: str, nominal_v: float) -> Finding:
    lead = {
        "op": "add_cable",
        "id": "sense",
        "a": "monitor.sense",
        "b": top,
        "size": "0.75 mm²",
        "fuse": thin_fuse(nominal_v),
    }
    return Finding(
        "path.P11",
        "fix",
        "The monitor's supply lead is not drawn.",
        "Without it the monitor is dead, or reads no volts.",
        "Land it on the highest positive post, fused there.",
        "path.monitor",
        {"ops": [lead]},
    )


def _lands_lower(analysis: WiringAnalysis, lead: Cable, top: str) -> Finding:
    low = analysis.studs[lead.b].place == "block"
    most_a = sum(abs(amps) for amps in analysis.chargers.amps.values())
    off_v = sense_ohm(analysis) * most_a
    if low:
        why = "It sees only part of the string's volts, so the full reset never comes, or comes wrongly."
    else:
        why = (
            f"While {most_a:.0f} A charge it reads {off_v:.2f} V above the battery, and as much below it "
            "under such a load: a full battery seems reached too early."
        )
    return Finding(
        "path.P09",
        "fix" if low else "advise",
        f"The supply lead is on the {analysis.studs[lead.b].name}, not on the highest positive post.",
        why,
        "Land it on the highest positive post.",
        f"path.{lead.id}",
        {"ops": [{"op": "move_end", "cable": lead.id, "end": "b", "to": top}]},
    )


def _fuses(analysis: WiringAnalysis) -> list[Finding]:
    found = []
    for cable in analysis.wiring.cables:
        if not analysis.is_thin(cable):
            continue
        landing = analysis.studs[cable.b]
        if landing.pole == "plus" and (cable.fuse is None or cable.fuse.amps > THIN_A):
            what = "has no fuse" if cable.fuse is None else f"has a fuse of {cable.fuse.amps:g} A"
            found.append(
                Finding(
                    "path.P10",
                    "stop",
                    f"The {analysis.cable_name(cable)} {what} at the {landing.name}.",
                    "A hair-thin wire on the whole battery burns along its length when it chafes.",
                    "Fuse it with 1 A slow right at its source.",
                    f"path.{cable.id}",
                    {"ops": [{"op": "set_fuse", "cable": cable.id, "fuse": thin_fuse(analysis.nominal_v)}]},
                )
            )
    return found


def _auxiliary(analysis: WiringAnalysis) -> list[Finding]:
    uses = auxiliary_uses(analysis)
    best = next(use for use in uses if use.possible)
    remedy: dict[str, object] = {"ops": [{"op": "set_auxiliary", "use": best.use}]}
    wrong = _auxiliary_wrong(analysis, {use.use: use for use in uses})
    if wrong:
        return [
            Finding(
                "path.P12",
                "fix",
                wrong,
                "The input then shows a figure that means something else.",
                f"Best use here: {best.title}.",
                "path.monitor",
                remedy,
            )
        ]
    overruled = any(overruling.what == "auxiliary" for overruling in analysis.wiring.overrulings)
    if analysis.wiring.auxiliary != "none" or best.weight < WORTH_USING or overruled:
        return []
    return [
        Finding(
            "path.P12",
            "advise",
            f"The second input is unused; {best.title} would serve here.",
            best.reason,
            f"Else {best.lost}.",
            "path.monitor",
            remedy,
        )
    ]


def _auxiliary_wrong(analysis: WiringAnalysis, uses: dict[str, AuxiliaryUse]) -> str:
    """What is wrong with the spare input as drawn, or ""."""
    chosen = uses.get(analysis.wiring.auxiliary)
    if chosen is None:
        return ""
    if not chosen.possible:
        return f"The second input is set to {chosen.title}. {chosen.reason}"
    lead = next(
        (cable for cable in analysis.wiring.cables if cable.a.of_monitor and cable.a.pole == "aux"), None
    )
    if lead is not None:
        return _lead_wrong(analysis, chosen, lead)
    drawn = chosen.use == "temperature"
    return "" if drawn else f"The second input is meant for {chosen.title}, and its lead is not drawn."


def _lead_wrong(analysis: WiringAnalysis, chosen: AuxiliaryUse, lead: Cable) -> str:
    """What is wrong with where the lead of the spare input ends, or ""."""
    where = analysis.studs[lead.b].name
    ends = {*analysis.top_posts, *analysis.posts}
    if chosen.use == "midpoint" and lead.b not in analysis.block_studs - ends:
        return f"The midpoint lead is on the {where}, which is no midpoint."
    if chosen.use == "starter" and analysis.studs[lead.b].place != "battery":
        return f"The starter lead is on the {where}."
    return ""
