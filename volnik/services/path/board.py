"""What the path board shows: one drawing solved, a load case, the picked loop, and what follows from it."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.cases import LoadCase, case_amps, device_drops, solve_case, spread
from volnik.core.path.findings.bank import TakeOffShares, takeoff_shares
from volnik.core.path.judgement import judge, mending
from volnik.core.path.sizing import AuxiliaryUse, Choice, auxiliary_uses, choices
from volnik.core.path.work import MaterialLine, Work, difference, parts_list
from volnik.core.rig.devices import ResolvedDevice
from volnik.services.context import AppContext
from volnik.services.path.read import RigPath, Which, read_path


@dataclass(frozen=True, slots=True)
class Conductor:
    """A cable under a load case: amps, volts lost, heat, and what it carries (None while its size is not
    known).
    """

    id: str
    name: str
    size: str
    amps: float
    lost_v: float
    heat_w: float
    carries_a: float | None


@dataclass(frozen=True, slots=True)
class BoardView:
    """A drawing as the board shows it.

    Attributes:
        findings: gravest first, each with whether a button can mend it.
        pick, loop: the picked device and its current alone.
        case: the load case of the conductors' table.
        conductors: those that carry anything, the hottest first.
        takeoff: how strings share.
        work: found against planned.
        choices, uses: sizing and the spare input.
        counted, whole: devices counted, of those on the bank.
        drop_v: lost out and back by the picked device.
    """

    path: RigPath
    which: Which
    analysis: WiringAnalysis
    findings: list[tuple[Finding, bool]]
    pick: str | None
    loop: LoadCase | None
    drop_v: float
    case: LoadCase
    conductors: list[Conductor]
    takeoff: TakeOffShares | None
    spreads: tuple[float, float]
    work: list[Work]
    choices: list[Choice]
    uses: list[AuxiliaryUse]
    counted: int
    whole: int


def board_view(
    context: AppContext,
    rig_id: int,
    which: Which,
    *,
    pick: str | None = None,
    case: str = "together",
    awg: bool = False,
) -> BoardView:
    """One drawing of a rig, solved and judged; raises NoBank without a bank."""
    with context.db.reading() as session:
        path = read_path(session, context, rig_id)
    analysis = path.analysis(which)
    device = _picked(analysis, pick)
    loop = None if device is None else solve_case(analysis.network, analysis.devices, "one", device.id)
    chosen = _chosen_case(analysis, case, loop)
    shares = takeoff_shares(analysis)
    on_bank = [share for share in analysis.shares.values() if share.expected == 1.0]
    return BoardView(
        path,
        which,
        analysis,
        [(finding, bool(mending(finding, analysis, path.catalogue))) for finding in judge(analysis)],
        None if device is None else device.id,
        loop,
        _drop(analysis, device, loop),
        chosen,
        _conductors(analysis, chosen),
        shares,
        _spreads(shares),
        difference(path.analysis("found"), analysis) if which == "planned" else [],
        choices(analysis, path.catalogue, awg=awg),
        auxiliary_uses(analysis),
        sum(share.word == "counted" for share in on_bank),
        len(on_bank),
    )


def _picked(analysis: WiringAnalysis, pick: str | None) -> ResolvedDevice | None:
    """The picked device, where it carries a current of its own."""
    device = None if pick is None else analysis.device(pick)
    return device if device is not None and case_amps("one", analysis.devices, device.id) else None


def _chosen_case(analysis: WiringAnalysis, case: str, loop: LoadCase | None) -> LoadCase:
    """The case that is shown: all chargers, the picked device alone, or what runs together."""
    if case == "chargers":
        return analysis.chargers
    return loop if case == "one" and loop is not None else analysis.together


def _drop(analysis: WiringAnalysis, device: ResolvedDevice | None, loop: LoadCase | None) -> float:
    """Volts lost between bank and the picked device, 0 without one [V]."""
    if device is None or loop is None:
        return 0.0
    return device_drops(analysis.network, analysis.bank, loop.amps, [device]).get(device.id, 0.0)


def _spreads(shares: TakeOffShares | None) -> tuple[float, float]:
    """How unevenly the strings share, now and with the better take-off."""
    if shares is None:
        return 0.0, 0.0
    now = max(spread(shares.discharge), spread(shares.charge))
    return now, max(spread(shares.better_discharge), spread(shares.better_charge))


def _conductors(analysis: WiringAnalysis, case: LoadCase) -> list[Conductor]:
    rows = []
    for cable in analysis.wiring.cables:
        amps = abs(case.flow.amps[cable.id])
        if amps < 0.005:
            continue
        name = analysis.cable_name(cable)
        rows.append(
            Conductor(
                cable.id,
                name[0].upper() + name[1:],
                cable.size,
                amps,
                abs(case.flow.lost_v[cable.id]),
                case.flow.heat_w[cable.id],
                analysis.carries_a(cable),
            )
        )
    if analysis.wiring.shunt is not None and abs(case.flow.amps["shunt"]) >= 0.005:
        shunt = analysis.wiring.shunt
        rows.append(
            Conductor(
                "shunt",
                "The shunt",
                f"{shunt.amps:g} A / {shunt.mv:g} mV",
                abs(case.flow.amps["shunt"]),
                abs(case.flow.lost_v["shunt"]),
                case.flow.heat_w["shunt"],
                shunt.carries_a,
            )
        )
    return sorted(rows, key=lambda row: -row.heat_w)


@dataclass(frozen=True, slots=True)
class PartsView:
    """The work and what it needs."""

    path: RigPath
    work: list[Work]
    parts: list[MaterialLine]


def parts_view(context: AppContext, rig_id: int) -> PartsView:
    """Parts, tools and work of a plan; raises NoBank without a bank."""
    with context.db.reading() as session:
        path = read_path(session, context, rig_id)
    found, planned = path.analysis("found"), path.analysis("planned")
    return PartsView(path, difference(found, planned), parts_list(found, planned, path.catalogue))
