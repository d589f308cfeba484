"""The bank against its limits: amps of each string out and in, volts and slopes of what charges it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.cases import always_on
from volnik.core.path.links import link_drops
from volnik.core.path.protection.rule import protection_of
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.studs import block_names
from volnik.core.shelf.batteries import CHARGE_C, LEAD_HOURS_C, LFP_DISCHARGE_C, LFP_PEAK

EVEN = 1.001  # amps of two sums that are one


@dataclass(frozen=True, slots=True)
class StringAmps:
    """What the hardest-worked string does in a case.

    Attributes:
        string: its number, from 0.
        amps: it gives, or takes [A].
        what: the case in words.
    """

    string: int
    amps: float
    what: str


def check(analysis: WiringAnalysis) -> list[Finding]:
    """Findings P57 to P61.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    return [
        *_discharge(analysis),
        *_peaks(analysis),
        *_charge(analysis),
        *_one_less(analysis),
        *_charger_volts(analysis),
        *_slopes(analysis),
    ]


def string_ah(analysis: WiringAnalysis, string: int) -> float:
    """Ah of a string [Ah].

    Args:
        analysis: the drawing.
        string: its number, from 0.
    """
    ah = analysis.bank.string_ah
    return ah[string] if ah else analysis.bank.block_reading(analysis.chemistry).capacity_ah


def hardest(analysis: WiringAnalysis, amps: dict[str, float], what: str) -> StringAmps:
    """The string that carries most in a case.

    Args:
        analysis: the drawing.
        amps: of each edge [A].
        what: the case in words.
    """
    rows = block_names(analysis.bank)
    found = [abs(amps[f"block:{row[0]}"]) for row in rows]
    most = max(range(len(rows)), key=lambda at: found[at] / string_ah(analysis, at))
    return StringAmps(most, found[most], what)


def _working(analysis: WiringAnalysis) -> Iterator[StringAmps]:
    yield hardest(analysis, analysis.together.flow.amps, "with all that may run together")
    ids = [edge.id for edge in analysis.network.edges]
    for run in analysis.runs:
        amps = dict(zip(ids, (run.alone + run.beside).tolist(), strict=True))
        yield hardest(analysis, amps, f"while the {run.device.name} runs")


def _discharge(analysis: WiringAnalysis) -> Iterator[Finding]:
    """Amps out of a string against what it gives for good."""
    worst = max(_working(analysis), key=lambda one: one.amps / string_ah(analysis, one.string))
    stated = analysis.bank.discharge_a
    if stated is not None:
        if worst.amps > stated * EVEN:
            yield _too_much_out(analysis, worst, stated, assumed="")
    elif analysis.chemistry.is_lead:
        yield from _lead_for_hours(analysis)
    else:
        most = LFP_DISCHARGE_C * string_ah(analysis, worst.string)
        if worst.amps > most * EVEN:
            yield _too_much_out(
                analysis, worst, most, assumed=" (1 C, where the maker's figure is not known)"
            )


def _too_much_out(analysis: WiringAnalysis, worst: StringAmps, most: float, *, assumed: str) -> Finding:
    string = f"String {chr(65 + worst.string)}" if analysis.bank.parallel > 1 else "The battery"
    return Finding(
        "path.P57",
        "advise" if assumed else "stop",
        f"{string} gives {worst.amps:.0f} A {worst.what}; it may give {most:.0f} A{assumed}.",
        "Its own protection opens in the middle of the work, or its cells age in a year.",
        "Take more Ah in parallel, or decide what may run together."
        + (" Read the maker's amps and type them at the battery." if assumed else ""),
        "path.bank",
        about=(f"{chr(65 + worst.string)}1",),
    )


def _lead_for_hours(analysis: WiringAnalysis) -> Iterator[Finding]:
    """What is always on against what lead gives for hours: a fifth of its Ah."""
    on_bank = [device for device in always_on(analysis.devices) if analysis.is_on_bank(device)]
    amps = sum(device.running_a for device in on_bank)
    most = LEAD_HOURS_C * analysis.bank.capacity(analysis.chemistry).capacity_ah
    if amps > most * EVEN:
        yield Finding(
            "path.P57",
            "advise",
            f"What is always on draws {amps:.0f} A; lead of this size gives {most:.0f} A for hours (C/5).",
            "Above that it gives far fewer Ah than its label, and its volts sag.",
            "Take more Ah, or lithium.",
            "path.bank",
            about=tuple(device.id for device in on_bank),
        )


def _peaks(analysis: WiringAnalysis) -> Iterator[Finding]:
    """Surges against what a string gives for seconds."""
    most = _peak_a(analysis)
    if most is None:
        return
    for device in analysis.devices:
        if device.takes and analysis.is_on_bank(device) and device.surge_a > most * EVEN:
            yield _surge(analysis, device, most)


def _peak_a(analysis: WiringAnalysis) -> float | None:
    """What the bank gives for seconds [A]: as stated, or twice what it gives for good; None where unknown."""
    bank = analysis.bank
    if bank.peak_a is not None:
        return bank.peak_a * bank.parallel
    if analysis.chemistry.is_lead or bank.discharge_a is None:
        return None
    return LFP_PEAK * bank.discharge_a * bank.parallel


def _surge(analysis: WiringAnalysis, device: ResolvedDevice, most: float) -> Finding:
    known = analysis.bank.peak_a is not None and device.states("surge_a")
    return Finding(
        "path.P58",
        "stop" if known else "advise",
        f"{device.name}: {device.surge_a:.0f} A for seconds; the battery gives {most:.0f} A"
        + ("." if known else ", as far as is known."),
        "Its protection opens as it starts.",
        "Take more Ah in parallel, or a softer start.",
        f"path.{device.id}",
        about=(device.id,),
    )


def _charge(analysis: WiringAnalysis) -> Iterator[Finding]:
    """Amps into a string against what it takes for good."""
    for case in analysis.charging:
        worst = hardest(analysis, case.flow.amps, "with all chargers that can run at once")
        stated = analysis.bank.charge_a
        most = stated or CHARGE_C[analysis.chemistry.key] * string_ah(analysis, worst.string)
        if worst.amps <= most * EVEN:
            continue
        assumed = "" if stated else f" ({CHARGE_C[analysis.chemistry.key]:g} C, to start from)"
        who = "A string" if analysis.bank.parallel > 1 else "The battery"
        yield Finding(
            "path.P59",
            "advise" if assumed else "stop",
            f"{who} takes {worst.amps:.0f} A {worst.what}; it may take {most:.0f} A{assumed}.",
            "It heats, gasses or is cut off by its protection.",
            "Set a charger lower, or take more Ah."
            + (" Read the maker's amps and type them at the battery." if assumed else ""),
            "path.bank",
            about=tuple(case.amps),
        )
        return


def _one_less(analysis: WiringAnalysis) -> Iterator[Finding]:
    """Whether the others carry the rig when one lithium string's protection opens."""
    stated, strings = analysis.bank.discharge_a, analysis.bank.parallel
    if analysis.chemistry.is_lead or strings < 2 or stated is None:
        return
    rows = block_names(analysis.bank)
    total = sum(abs(analysis.together.flow.amps[f"block:{row[0]}"]) for row in rows)
    if stated * strings >= total > stated * (strings - 1) * EVEN:
        yield Finding(
            "path.P60",
            "advise",
            f"All that may run together draws {total:.0f} A; with one string cut off the others give "
            f"{stated * (strings - 1):.0f} A.",
            "When one protection opens, the next follows, and everything is dark at once.",
            "Know which loads to switch off first.",
            "path.bank",
        )


def _charger_volts(analysis: WiringAnalysis) -> Iterator[Finding]:
    """Stated volts of chargers against what harms the cells, or opens their protection."""
    cells, chemistry, bank = analysis.bank.cells, analysis.chemistry, analysis.bank
    limit_v = cells * ((bank.cell_high_v if not chemistry.is_lead else None) or chemistry.harm_v)
    lost = link_drops(analysis)
    for device in _chargers(analysis):
        volts = device.number("absorption_v") - lost.get(device.id, 0.0)
        if device.states("absorption_v") and volts > limit_v + 1e-6:
            behind = " behind its link" if device.id in lost else ""
            yield Finding(
                "path.P61",
                "stop",
                f"{device.name}: {volts:.2f} V at 25 °C{behind}; {chemistry.name.lower()} takes "
                f"{limit_v:.2f} V.",
                "It dries out or is cooked."
                if chemistry.is_lead
                else "The cells' protection opens on charge, and the charger's volts jump into the rig.",
                f"Set it to {cells * chemistry.absorption_low_v:.1f} to "
                f"{cells * chemistry.absorption_high_v:.1f} V.",
                f"path.{device.id}",
                about=(device.id,),
            )


def _slopes(analysis: WiringAnalysis) -> Iterator[Finding]:
    """A stated temperature slope on lithium."""
    if analysis.chemistry.is_lead:
        return
    for device in _chargers(analysis):
        if device.states("slope_mv_c") and device.number("slope_mv_c") < 0.0:
            yield Finding(
                "path.P62",
                "fix",
                f"{device.name}: it changes its volts with temperature; lithium wants none of that.",
                "In the cold it charges above the cells' limit, in the heat never to full.",
                "Switch the compensation off, or take the sensor out.",
                f"path.{device.id}",
                about=(device.id,),
            )


def _chargers(analysis: WiringAnalysis) -> list[ResolvedDevice]:
    volts = protection_of(analysis).circuit.volts
    return [
        device
        for device in analysis.devices
        if device.gives and analysis.is_on_bank(device) and f"{device.id}.plus" in volts
    ]
