"""How the blocks share: the take-off, and blocks that differ."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.cases import spread, string_shares, string_shares_of
from volnik.core.path.network import Network, cable_edge, without_joints
from volnik.core.path.sizing import link_cable
from volnik.core.rig.wiring import Cable

MOST_SPREAD = 0.10  # spread of the strings' shares above which a take-off is flagged; source: trade practice


@dataclass(frozen=True, slots=True)
class TakeOffShares:
    """How strings share in discharge and in charge, as drawn and with the better take-off.

    Attributes: discharge, charge, better_discharge, better_charge: shares by string, 0..1, empty where
    unknown; better: the post the negative would leave from; cable: the one to be moved.
    """

    discharge: list[float]
    charge: list[float]
    better_discharge: list[float]
    better_charge: list[float]
    better: str
    cable: Cable | None


def takeoff_cable(analysis: WiringAnalysis) -> tuple[Cable, str] | None:
    """The cable by which the rig's negative leaves the bank, and its end on the post.

    None where there is not just one.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    low = set(analysis.posts)
    leaving = [
        cable
        for cable in analysis.wiring.cables
        if ({cable.a, cable.b} & low) and not analysis.is_link(cable) and not analysis.is_thin(cable)
    ]
    link = link_cable(analysis)
    if link is not None and {link.a, link.b} & low:
        return link, "a" if link.a in low else "b"
    if len(leaving) == 1:
        return leaving[0], "a" if leaving[0].a in low else "b"
    return None


def takeoff_shares(analysis: WiringAnalysis) -> TakeOffShares | None:
    """Shares of the strings as drawn and for the best place of the negative take-off.

    None for a single string.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    if analysis.bank.parallel < 2:
        return None
    if "takeoff" not in analysis.memo:
        analysis.memo["takeoff"] = _takeoff_shares(analysis)
    found: TakeOffShares = analysis.memo["takeoff"]
    return found


def _takeoff_shares(analysis: WiringAnalysis) -> TakeOffShares:
    drawn = string_shares(analysis.bank, analysis.together.flow)
    charge = string_shares(analysis.bank, analysis.chargers.flow)
    found = takeoff_cable(analysis)
    best = TakeOffShares(drawn, charge, drawn, charge, "", None)
    if found is None:
        return best
    cable, end = found
    here = getattr(cable, end)
    for post in analysis.posts:
        if post == here:
            continue
        elsewhere = cable_edge(
            cable.changed(**{end: post}),
            analysis.studs,
            {bar.id for bar in analysis.wiring.bars if bar.kind == "hull"},
        )
        edges = [elsewhere if edge.id == cable.id else edge for edge in analysis.network.edges]
        network = Network(analysis.studs, edges, analysis.network.batteries)
        out = string_shares_of(analysis.bank, network, analysis.devices, "together")
        into = string_shares_of(analysis.bank, network, analysis.devices, "chargers")
        if (
            max(spread(out), spread(into))
            < max(spread(best.better_discharge), spread(best.better_charge)) - 0.001
        ):
            best = TakeOffShares(drawn, charge, out, into, post, cable)
    return best


UNLIKE_AH = 1.05  # strings of more than this ratio are unlike; source: estimate


def check(analysis: WiringAnalysis) -> list[Finding]:
    """Findings P13, P14.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    return [*_unlike_shares(analysis), *_unlike_strings(analysis)]


def _unlike_shares(analysis: WiringAnalysis) -> list[Finding]:
    """Strings that share the current unequally because of where it is taken off."""
    if analysis.bank.parallel < 2:
        return []
    drawn = [string_shares(analysis.bank, case.flow) for case in (analysis.together, analysis.chargers)]
    shares = takeoff_shares(analysis) if max(map(spread, drawn)) > MOST_SPREAD else None
    if shares is None:
        return []
    out = spread(shares.discharge) >= spread(shares.charge)
    worse = shares.discharge if out else shares.charge
    better = shares.better_discharge if out else shares.better_charge
    remedy: dict[str, object] = {}
    hint = "Lead equal lengths from each string to two busbars."
    if shares.cable is not None and shares.better:
        end = "a" if shares.cable.a in analysis.posts else "b"
        remedy = {"ops": [{"op": "move_end", "cable": shares.cable.id, "end": end, "to": shares.better}]}
        name = analysis.studs[shares.better].name
        hint = f"Take the negative from the {name}: then they share {_percents(better)}."
    assumed = _links_assumed(analysis)
    rests = ", while lengths, sizes or joints are only assumed" if assumed else ""
    return [
        Finding(
            "path.P13",
            "advise" if assumed else "fix",
            f"The strings share the current {_percents(worse)}: a spread of {100 * spread(worse):.0f} %"
            f"{rests}.",
            "The hardest-worked string ages first and drags the rest along, while the shunt's "
            "total looks fine.",
            hint,
            "path.bank",
            remedy,
        )
    ]


def _links_assumed(analysis: WiringAnalysis) -> bool:
    """Whether the spread goes once joints are left out, or rests on links nobody measured."""
    leads = [cable for cable in analysis.wiring.cables if {cable.a, cable.b} & analysis.block_studs]
    unread = [cable for cable in leads if not analysis.is_thin(cable)]
    if any(cable.mm2 is None or cable.length_m is None for cable in unread):
        return True
    bare = without_joints(analysis.closed)
    cases = (
        string_shares_of(analysis.bank, bare, analysis.devices, case) for case in ("together", "chargers")
    )
    return max(map(spread, cases)) <= MOST_SPREAD


def _percents(shares: list[float]) -> str:
    return " / ".join(f"{100 * value:.0f} %" for value in shares)


def _unlike_strings(analysis: WiringAnalysis) -> list[Finding]:
    strings = analysis.bank.string_ah
    if not strings or max(strings) <= UNLIKE_AH * min(strings):
        return []
    return [
        Finding(
            "path.P14",
            "advise",
            f"Strings of {' and '.join(f'{ah:g}' for ah in strings)} Ah are in parallel.",
            "Unlike strings share unequally wherever the main leads connect; one reaches full or empty "
            "before the count does.",
            "Measure each string's current when proving.",
            "path.bank",
        )
    ]
