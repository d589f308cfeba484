"""The owner's sheet: one page for someone who never heard of a shunt.

What it says follows job steps 9.30, 10.15, 10.16, 10.25, 11.21 and 11.23; its limits and defaults are told in
docs/domain/papers.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.count.runtime import lasts_h
from volnik.core.papers.paper import Paper, Part
from volnik.core.papers.tongue import ENGLISH, Tongue
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.survey.motor import THROTTLES, turn_at_pct
from volnik.core.verdict import Belief

COMFORT = 10.0  # percent above the reserve, where comfort goes off first; source: the shop's judgement
MOST_LOADS = 6
MOST_KEPT = 4
LITTLE_W = 50.0  # lamps and radio go last; source: the shop's judgement
LEFT = 4  # parts in the left column
LEVELS = (100.0, 75.0, 50.0, 25.0)  # percent, of the table of hours
MOST_COLUMNS = 4


@dataclass(frozen=True, slots=True)
class LoadFact:
    """A load: its name, watts while it runs, whether it must stay fed, whether it keeps things cold."""

    name: str
    watts: float
    kept: bool
    cools: bool = False


@dataclass(frozen=True, slots=True)
class OwnerFacts:
    """What is known of a rig for its owner's sheet, in the owner's words; NaN and "" for what nobody knows.

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
        motors: those that drive a boat.
        chargers: their names.
        full_days: how often to charge until full [days].
        reach: how far the reading arrives, in words.
        sense_fuse: where the monitor's own fuse is and its size, in words.
        cold_c: below this it takes no charge [°C].
        shop: who fitted it.
        last_visit: when and what the shop last did, in words.
        stops: what the shop has to put right first.
        peukert_exponent, rated_a: how a heavy draw is counted [-, A].
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
    motors: tuple[LoadFact, ...] = ()
    peukert_exponent: float = 1.0
    rated_a: float = math.inf

    @property
    def is_lead(self) -> bool:
        """Whether the battery is lead."""
        return CHEMISTRIES[self.chemistry].is_lead

    @property
    def usable_ah(self) -> float:
        """From full down to the reserve [Ah]."""
        return self.capacity_ah * (1.0 - self.reserve_pct / 100.0)

    def lasts_h(self, watts: float, ah: float) -> float:
        """How long a load draws a charge, counted as the monitor counts it [h].

        Args:
            watts: of the load [W].
            ah: of charge [Ah].
        """
        amps = watts / self.nominal_v
        return lasts_h(amps, ah, rated_a=self.rated_a, exponent=self.peukert_exponent)


def owner_sheet(facts: OwnerFacts, say: Tongue = ENGLISH) -> Paper:
    """The owner's sheet of a rig.

    Args:
        facts: what is known of it.
        say: its language.
    """
    parts = (
        _meaning(facts, say),
        _normal(facts, say),
        _steps(facts, say),
        _shedding(facts, say),
        _filling(facts, say),
        _under_motor(facts, say),
        Part(
            "caution",
            say("Nothing else on this post"),
            (
                say.caution(
                    "No cable goes on the battery’s minus post but the one that is there: what is added "
                    "past the monitor it never sees, and the number is wrong from that day on. Every minus "
                    "goes to the monitor’s far side."
                ),
            ),
        ),
        _oddities(facts, say),
        _cold(facts, say),
        _monitor(facts, say),
        Part("blanks", say("Five readings before you call"), asked_before_a_call(say)),
    )
    return Paper(
        "owner",
        say("{name}: how full is the battery?", name=facts.name),
        say(
            "{vehicle}; {battery}. For its owner, from {shop}.",
            vehicle=facts.vehicle,
            battery=facts.battery,
            shop=facts.shop or say("who fitted the monitor"),
        ),
        _lead(facts, say),
        tuple(part for part in parts if part.lines or part.rows),
        left=LEFT,
        signatures=(say("Fitted by: name, place, date"), say("Owner: name, place, date")),
        language=say.tag,
    )


def asked_before_a_call(say: Tongue) -> tuple[str, ...]:
    """The five readings.

    Args:
        say: the owner's language.
    """
    return (
        say("volts"),
        say("amps, with its sign"),
        say("percent"),
        say("days since it was last at 100 %"),
        say("switched on or changed last"),
    )


def message_to_shop(name: str, readings: tuple[str, ...], say: Tongue) -> tuple[str, str]:
    """One message to send from where the shop's pages do not reach: its subject and its text.

    Args:
        name: of the rig.
        readings: of each thing asked, "" for a blank to fill.
        say: the owner's language.
    """
    asked = asked_before_a_call(say)
    lines = [f"{what}: {read}" for what, read in zip(asked, readings, strict=True)]
    return say("{name}: a question", name=name), "\n".join(lines)


def _lead(facts: OwnerFacts, say: Tongue) -> str:
    if facts.believed == "not":
        return say.caution("Do not go by the percentage: it cannot be believed.")
    if facts.believed == "unknown":
        return say("The percentage starts once the battery was full: charge until it says 100 %.")
    if math.isnan(facts.half):
        return say("The percentage is how full the battery is.")
    return say("The percentage is good to ± {half} %.", half=say.number(max(1.0, 100.0 * facts.half)))


def _meaning(facts: OwnerFacts, say: Tongue) -> Part:
    lines = [
        say(
            "100 % is full, {ah} Ah. {reserve} % is your reserve: plan as if it were empty there.",
            ah=say.number(facts.capacity_ah),
            reserve=say.figure(facts.reserve_pct),
        ),
        say("The monitor counts every amp in and out. Small errors add up; each full charge wipes them out."),
    ]
    if facts.believed in ("doubt", "not") and facts.reason:
        lines.append(say("Now: {reason}", reason=facts.reason))
    if facts.last_visit:
        lines.append(say("Last seen by the shop: {visit}.", visit=facts.last_visit))
    lines += [say.caution("The shop has to put this right first: {stop}", stop=stop) for stop in facts.stops]
    if facts.open_proofs:
        proofs = say.inside(", ".join(facts.open_proofs))
        lines.append(say("Not proven yet: {proofs}.", proofs=proofs))
    return Part("lines", say("What the number means"), tuple(lines))


def _normal(facts: OwnerFacts, say: Tongue) -> Part:
    rows = [*_idle(facts, say)]
    full = say(
        "{volts} V or more, and under {amps} A still going in",
        volts=say.figure(facts.charged_v),
        amps=say.number(facts.tail_a),
    )
    rows.append((say("Full"), full))
    if not math.isnan(facts.night_ah):
        rows.append((say("A usual night"), _night(facts, say)))
        rows.append((say("Such nights"), _nights(facts.usable_ah / max(facts.night_ah, 1e-6), say)))
    heavy = max(facts.loads, key=lambda load: load.watts, default=None)
    if heavy is not None and heavy.watts > 0.0:
        hours = say.hours(facts.lasts_h(heavy.watts, facts.usable_ah))
        lasts = say("{hours} from full down to the reserve", hours=hours)
        rows.append((say("{load} alone", load=heavy.name), lasts))
    return Part("table", say("What is normal"), rows=tuple(rows), columns=(2.0, 5.0))


def _idle(facts: OwnerFacts, say: Tongue) -> list[tuple[str, str]]:
    """What goes out with everything off, as a row; none where nobody knows."""
    if math.isnan(facts.idle_a):
        return []
    amps = say.number(facts.idle_a, 1)
    measured = say("about {amps} A going out", amps=amps)
    reckoned = say("about {amps} A going out, reckoned", amps=amps)
    return [(say("Everything off"), measured if facts.idle_measured else reckoned)]


def _night(facts: OwnerFacts, say: Tongue) -> str:
    known = {
        "ah": say.number(facts.night_ah),
        "share": say.number(100.0 * facts.night_ah / facts.capacity_ah),
    }
    if facts.night_measured:
        return say("{ah} Ah, {share} % of the battery; from its own log", **known)
    return say("{ah} Ah, {share} % of the battery; a guess from the list of devices", **known)


def _nights(nights: float, say: Tongue) -> str:
    if nights < 1.0:
        return say("less than one from full down to the reserve, nothing coming in")
    if nights < 15.0:
        count = say.number(int(nights))
        return say("about {count} from full down to the reserve, nothing coming in", count=count)
    return say("more than a fortnight from full down to the reserve, nothing coming in")


def _steps(facts: OwnerFacts, say: Tongue) -> Part:
    comfort = min(100.0, facts.reserve_pct + COMFORT)
    rows = [
        (
            f"{say.figure(comfort)} %",
            say("Switch comfort off, in the order below; plan to charge."),
        ),
        (
            f"{say.figure(facts.reserve_pct)} %",
            say("Charge today. Keep only what must stay on."),
        ),
    ]
    if not math.isnan(facts.cut_out_pct):
        rows.append(
            (
                f"{say.figure(facts.cut_out_pct)} %",
                say(
                    "The battery switches itself off. Switch all off and charge at once; its volts rise by "
                    "themselves meanwhile, it is empty all the same."
                ),
            )
        )
    else:
        rows.append(("0 %", say("Empty. Switch all off and charge at once: each day so costs the battery.")))
    return Part("table", say("What to do when it says"), rows=tuple(rows), columns=(1.0, 6.0))


def hours_table(
    facts: OwnerFacts, say: Tongue = ENGLISH
) -> tuple[tuple[str, ...], tuple[tuple[str, ...], ...]]:
    """Hours down to the reserve by level and load, each alone: the heads of the columns, and the rows.

    Args:
        facts: what is known of the rig.
        say: its language.
    """
    loads = sorted((load for load in facts.loads if load.watts > 0.0), key=lambda load: -load.watts)
    shown = loads[:MOST_COLUMNS]
    rows = []
    for level in LEVELS:
        left_ah = facts.capacity_ah * max(0.0, level - facts.reserve_pct) / 100.0
        lasts = (say.hours(facts.lasts_h(load.watts, left_ah)) for load in shown)
        rows.append((f"{say.figure(level)} %", *lasts))
    return (say("at"), *(f"{load.name}, {say.number(load.watts)} W" for load in shown)), tuple(rows)


def _shedding(facts: OwnerFacts, say: Tongue) -> Part:
    going = sorted(
        (load for load in facts.loads if not load.kept),
        key=lambda load: (load.cools or load.watts < LITTLE_W, -load.watts),
    )
    rows = [
        (f"{at}. {load.name}", f"{say.number(load.watts)} W") for at, load in enumerate(going[:MOST_LOADS], 1)
    ]
    kept = [load.name for load in facts.loads if load.kept][:MOST_KEPT]
    if kept:
        rows.append((say("Stays on: {loads}", loads=", ".join(kept)), ""))
    return Part("table", say("Switch off in this order"), rows=tuple(rows), columns=(5.0, 1.0))


def _filling(facts: OwnerFacts, say: Tongue) -> Part:
    often = say("Twice a month.")
    if not math.isnan(facts.full_days):
        often = say("Every {days} days.", days=say.number(facts.full_days))
    truth = say("It keeps the count true.")
    if facts.is_lead:
        truth = say("It keeps the count true, and lead from ageing.")
    lines = [f"{often} {truth}"]
    if len(facts.chargers) == 1:
        lines.append(say("What charges it: {charger}.", charger=facts.chargers[0]))
    lines.append(
        say(
            "It is full when the volts stand at {volts} or more, the amps have sunk under {amps}, and the "
            "screen goes to 100 %. A drive of an hour does not get there.",
            volts=say.figure(facts.charged_v),
            amps=say.number(facts.tail_a),
        )
    )
    return Part("lines", say("Fill it until full"), tuple(lines))


def _under_motor(facts: OwnerFacts, say: Tongue) -> Part:
    """Hours by the amps on the screen, and where to turn back; nothing without a motor."""
    if not facts.motors:
        return Part("table", "")
    most_w = max(motor.watts for motor in facts.motors)
    rows = []
    for throttle in THROTTLES:
        watts = throttle * most_w
        hours = facts.lasts_h(watts, facts.usable_ah)
        amps = say("{amps} A on the screen", amps=say.number(watts / facts.nominal_v))
        rows.append((amps, say("{hours} from full down to the reserve", hours=say.hours(hours))))
    turn = say.number(turn_at_pct(facts.reserve_pct))
    way = say.caution(
        "Out and back on one charge: turn at {percent} %, sooner where wind or stream is against the way "
        "home.",
        percent=turn,
    )
    rows.append((say("Turn back"), way))
    return Part("table", say("Under motor"), rows=tuple(rows), columns=(2.0, 5.0))


def _oddities(facts: OwnerFacts, say: Tongue) -> Part:
    cold = say("Slow charging in the cold: the battery takes less.")
    if not facts.is_lead:
        limit = say.degrees(0.0 if math.isnan(facts.cold_c) else facts.cold_c)
        cold = say("No charging in the cold: below {limit} lithium takes none.", limit=limit)
    return Part(
        "list",
        say("No fault"),
        (
            say("Hours that are blank or endless: little is going out."),
            say("Volts that rise after a load went off: the battery recovers, nothing came in."),
            say("Some minutes of minus amps after a charge: the last volts settle."),
            cold,
        ),
    )


def _cold(facts: OwnerFacts, say: Tongue) -> Part:
    if facts.is_lead:
        lines = [
            say("Laid up: charge until full, switch all off, charge again every month."),
            say.caution("A flat battery freezes: keep it full in winter."),
        ]
    else:
        lines = [
            say(
                "Laid up for months: leave it between half and three quarters, switch all off, look every "
                "month."
            ),
            say("Before you use it again: charge until full."),
        ]
    if facts.chemistry == "flooded":
        lines.append(
            say.caution(
                "Equalising and topping up is for who has the maker’s sheet and goggles: ask the shop."
            )
        )
    return Part("list", say("Winter and long rests"), tuple(lines))


def _monitor(facts: OwnerFacts, say: Tongue) -> Part:
    lines = []
    if facts.sense_fuse:
        lines.append(say("Screen dead? Its fuse first: {fuse}. Carry a spare.", fuse=facts.sense_fuse))
    if facts.reach:
        lines.append(say("The reading arrives: {reach}.", reach=facts.reach))
    lines.append(say.caution("Smell, heat or swelling at the battery: main switch off, out, and call."))
    return Part("list", say("The monitor"), tuple(lines))
