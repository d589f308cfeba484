"""The owner's sheet: one page for someone who never heard of a shunt.

What it says follows job steps 9.30, 10.15, 10.16, 10.25, 11.21 and 11.23; its limits and defaults are told in
docs/domain/papers.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.papers.paper import Paper, Part
from volnik.core.verdict import Belief

COMFORT = 10.0  # percent above the reserve, where comfort goes off first; source: the shop's judgement
MOST_LOADS = 6
MOST_KEPT = 4
LITTLE_W = 50.0  # lamps and radio go last; source: the shop's judgement
LEFT = 4  # parts in the left column


@dataclass(frozen=True, slots=True)
class LoadFact:
    """A load: its name, watts while it runs, whether it must stay fed, whether it keeps things cold."""

    name: str
    watts: float
    kept: bool
    cools: bool = False


@dataclass(frozen=True, slots=True)
class OwnerFacts:
    """What is known of a rig for its owner's sheet; NaN and "" for what nobody knows.

    Attributes:
        name, vehicle, battery: the rig, what it is, its battery in short.
        chemistry: key.
        nominal_v: of the bank [V].
        believed, reason: of the verdict.
        half: half the width of the band [0..1].
        open_proofs: what is not proven yet, in words.
        capacity_ah, reserve_pct, charged_v, tail_a: the numbers [Ah, %, V, A].
        cut_out_pct: charge at which the battery's own protection opens [%].
        idle_a: with everything off [A]; `idle_measured` whether it was.
        night_ah: what a usual night takes [Ah]; `night_measured` whether from the log.
        loads: those on the battery, in any order.
        chargers: their names.
        full_days: how often to charge until full [days].
        reach: how far the reading arrives, in words.
        sense_fuse: where the monitor's own fuse is and its size, in words.
        cold_c: below this it takes no charge [°C].
        shop: who fitted it.
        last_visit: when and what the shop last did, in words.
        stops: what the shop has to put right first.
    """

    name: str
    vehicle: str
    battery: str
    chemistry: str
    nominal_v: float
    believed: Belief
    reason: str
    half: float
    open_proofs: tuple[str, ...]
    capacity_ah: float
    reserve_pct: float
    charged_v: float
    tail_a: float
    cut_out_pct: float = math.nan
    idle_a: float = math.nan
    idle_measured: bool = False
    night_ah: float = math.nan
    night_measured: bool = False
    loads: tuple[LoadFact, ...] = ()
    chargers: tuple[str, ...] = ()
    full_days: float = math.nan
    reach: str = ""
    sense_fuse: str = ""
    cold_c: float = math.nan
    shop: str = ""
    last_visit: str = ""
    stops: tuple[str, ...] = ()

    @property
    def is_lead(self) -> bool:
        """Whether the battery is lead."""
        return self.chemistry != "lfp"


def owner_sheet(facts: OwnerFacts) -> Paper:
    """The owner's sheet of a rig.

    Args:
        facts: what is known of it.
    """
    parts = (
        _meaning(facts),
        _normal(facts),
        _steps(facts),
        _shedding(facts),
        _filling(facts),
        Part(
            "caution",
            "Nothing else on this post",
            (
                "No cable goes on the battery’s minus post but the one that is there: what is added past the "
                "monitor it never sees, and the number is wrong from that day on. Every minus goes to the "
                "monitor’s far side.",
            ),
        ),
        _oddities(facts),
        _cold(facts),
        _monitor(facts),
        Part(
            "blanks",
            "Five readings before you call",
            (
                "volts",
                "amps, with its sign",
                "percent",
                "days since it was last at 100 %",
                "switched on or changed last",
            ),
        ),
    )
    return Paper(
        "owner",
        f"{facts.name}: how full is the battery?",
        f"{facts.vehicle}; {facts.battery}. For its owner, from {facts.shop or 'who fitted the monitor'}.",
        _lead(facts),
        tuple(part for part in parts if part.lines or part.rows),
        left=LEFT,
        signatures=("Fitted by: name, place, date", "Owner: name, place, date"),
    )


def _lead(facts: OwnerFacts) -> str:
    if facts.believed == "not":
        return "Do not go by the percentage: it cannot be believed."
    if facts.believed == "unknown":
        return "The percentage starts once the battery was full: charge until it says 100 %."
    if math.isnan(facts.half):
        return "The percentage is how full the battery is."
    return f"The percentage is good to ± {max(1.0, 100.0 * facts.half):.0f} %."


def _meaning(facts: OwnerFacts) -> Part:
    lines = [
        f"100 % is full, {facts.capacity_ah:.0f} Ah. {facts.reserve_pct:g} % is your reserve: plan as if it "
        "were empty there.",
        "The monitor counts every amp in and out. Small errors add up; each full charge wipes them out.",
    ]
    if facts.believed in ("doubt", "not") and facts.reason:
        lines.append(f"Now: {facts.reason}")
    if facts.last_visit:
        lines.append(f"Last seen by the shop: {facts.last_visit}.")
    lines += [f"The shop has to put this right first: {stop}" for stop in facts.stops]
    if facts.open_proofs:
        lines.append(f"Not proven yet: {', '.join(facts.open_proofs).lower()}.")
    return Part("lines", "What the number means", tuple(lines))


def _normal(facts: OwnerFacts) -> Part:
    rows = []
    if not math.isnan(facts.idle_a):
        how = "" if facts.idle_measured else ", reckoned"
        rows.append(("Everything off", f"about {facts.idle_a:.1f} A going out{how}"))
    rows.append(("Full", f"{facts.charged_v:g} V or more, and under {facts.tail_a:.0f} A still going in"))
    if not math.isnan(facts.night_ah):
        share = 100.0 * facts.night_ah / facts.capacity_ah
        how = "from its own log" if facts.night_measured else "a guess from the list of devices"
        rows.append(("A usual night", f"{facts.night_ah:.0f} Ah, {share:.0f} % of the battery; {how}"))
        nights = facts.capacity_ah * (1.0 - facts.reserve_pct / 100.0) / max(facts.night_ah, 1e-6)
        rows.append(("Such nights", f"{_nights(nights)} from full down to the reserve, nothing coming in"))
    heavy = max(facts.loads, key=lambda load: load.watts, default=None)
    if heavy is not None and heavy.watts > 0.0:
        hours = facts.capacity_ah * (1.0 - facts.reserve_pct / 100.0) * facts.nominal_v / heavy.watts
        rows.append((f"{heavy.name} alone", f"{_hours(hours)} from full down to the reserve"))
    return Part("table", "What is normal", rows=tuple(rows), columns=(2.0, 5.0))


def _nights(nights: float) -> str:
    return (
        "less than one"
        if nights < 1.0
        else f"about {int(nights)}"
        if nights < 15.0
        else "more than a fortnight"
    )


def _hours(hours: float) -> str:
    return f"{60.0 * hours:.0f} minutes" if hours < 1.5 else f"{hours:.0f} hours"


def _steps(facts: OwnerFacts) -> Part:
    comfort = min(100.0, facts.reserve_pct + COMFORT)
    rows = [
        (f"{comfort:g} %", "Switch comfort off, in the order below; plan to charge."),
        (f"{facts.reserve_pct:g} %", "Charge today. Keep only what must stay on."),
    ]
    if not math.isnan(facts.cut_out_pct):
        rows.append(
            (
                f"{facts.cut_out_pct:g} %",
                "The battery switches itself off. Switch all off and charge at once; its volts rise by "
                "themselves meanwhile, it is empty all the same.",
            )
        )
    else:
        rows.append(("0 %", "Empty. Switch all off and charge at once: each day so costs the battery."))
    return Part("table", "What to do when it says", rows=tuple(rows), columns=(1.0, 6.0))


LEVELS = (100.0, 75.0, 50.0, 25.0)  # percent, of the table of hours
MOST_COLUMNS = 4


def hours_table(facts: OwnerFacts) -> tuple[tuple[str, ...], tuple[tuple[str, ...], ...]]:
    """Hours down to the reserve by level and load, each alone: the heads of the columns, and the rows.

    T = C (level − reserve) V ÷ W.

    Args:
        facts: what is known of the rig.
    """
    loads = sorted((load for load in facts.loads if load.watts > 0.0), key=lambda load: -load.watts)
    shown = loads[:MOST_COLUMNS]
    rows = []
    for level in LEVELS:
        left_wh = facts.capacity_ah * max(0.0, level - facts.reserve_pct) / 100.0 * facts.nominal_v
        rows.append((f"{level:g} %", *(_hours(left_wh / load.watts) for load in shown)))
    return ("at", *(f"{load.name}, {load.watts:.0f} W" for load in shown)), tuple(rows)


def _shedding(facts: OwnerFacts) -> Part:
    going = sorted(
        (load for load in facts.loads if not load.kept),
        key=lambda load: (load.cools or load.watts < LITTLE_W, -load.watts),
    )
    rows = [(f"{at}. {load.name}", f"{load.watts:.0f} W") for at, load in enumerate(going[:MOST_LOADS], 1)]
    kept = [load.name for load in facts.loads if load.kept][:MOST_KEPT]
    if kept:
        rows.append((f"Stays on: {', '.join(kept)}", ""))
    return Part("table", "Switch off in this order", rows=tuple(rows), columns=(5.0, 1.0))


def _filling(facts: OwnerFacts) -> Part:
    often = "twice a month" if math.isnan(facts.full_days) else f"every {facts.full_days:.0f} days"
    motive = "It keeps the count true, and lead from ageing." if facts.is_lead else "It keeps the count true."
    by = f" with {facts.chargers[0].lower()}" if len(facts.chargers) == 1 else ""
    return Part(
        "lines",
        "Fill it until full",
        (
            f"{often.capitalize()}{by}. {motive}",
            f"It is full when the volts stand at {facts.charged_v:g} or more, the amps have sunk under "
            f"{facts.tail_a:.0f}, and the screen goes to 100 %. A drive of an hour does not get there.",
        ),
    )


def _oddities(facts: OwnerFacts) -> Part:
    cold = "Slow charging in the cold: the battery takes less."
    if not facts.is_lead:
        limit = 0.0 if math.isnan(facts.cold_c) else facts.cold_c
        cold = f"No charging in the cold: below {limit:g} °C lithium takes none."
    return Part(
        "list",
        "No fault",
        (
            "Hours that are blank or endless: little is going out.",
            "Volts that rise after a load went off: the battery recovers, nothing came in.",
            "Some minutes of minus amps after a charge: the last volts settle.",
            cold,
        ),
    )


def _cold(facts: OwnerFacts) -> Part:
    if facts.is_lead:
        lines = [
            "Laid up: charge until full, switch all off, charge again every month.",
            "A flat battery freezes: keep it full in winter.",
        ]
    else:
        lines = [
            "Laid up for months: leave it between half and three quarters, switch all off, look every month.",
            "Before you use it again: charge until full.",
        ]
    if facts.chemistry == "flooded":
        lines.append("Equalising and topping up is for who has the maker’s sheet and goggles: ask the shop.")
    return Part("list", "Winter and long rests", tuple(lines))


def _monitor(facts: OwnerFacts) -> Part:
    lines = []
    if facts.sense_fuse:
        lines.append(f"Screen dead? Its fuse first: {facts.sense_fuse}. Carry a spare.")
    if facts.reach:
        lines.append(f"The reading arrives: {facts.reach}.")
    lines.append("Smell, heat or swelling at the battery: main switch off, out, and call.")
    return Part("list", "The monitor", tuple(lines))
