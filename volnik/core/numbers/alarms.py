"""Alarms and relay set-points, one list.

Levels, release, delay, quiet hours, who speaks each, and what speaks against one.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Annotated, Literal

from pydantic import Field, model_validator

from volnik.core.errors import InvalidInput
from volnik.core.findings import Finding, Level, by_weight
from volnik.core.numbers.ladder import LOW_ALARM, ladder, limits
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.protection.cut import main_cut_of
from volnik.core.settings import Numbers
from volnik.core.shelf.dialects import Dialect
from volnik.core.simulation.vehicle import Vehicle
from volnik.core.values import Plain

Key = Literal[
    "low_charge",
    "low_volts",
    "high_volts",
    "over_current",
    "over_charge",
    "hot",
    "cold_charge",
    "starter_low",
    "no_reading",
    "days_since_full",
    "equalise_due",
    "retorque_due",
    "relay",
    "surplus",
]
HOT_C = {"lfp": 45.0, "nmc": 45.0}
"""Of a bank, where its alarm starts; source: usual charge limit, the maker's first."""
HOT_LEAD_C = 50.0  # source: estimate, the maker's limit first
OF_FUSE = 0.90  # of the main fuse; source: trade practice, 80 to 90 %
RETORQUE_DAYS, EQUALISE_DAYS = (
    180.0,
    30.0,
)  # source: trade practice (service; about monthly, the maker permitting)
LOW_GAP_PCT, RELAY_GAP_PCT = 5.0, 5.0  # points: less chatters with each load; source: trade practice


@dataclass(frozen=True, slots=True)
class Kind:
    """One kind of alarm: name, unit, whether it speaks below its level (else above), the monitor's fields it
    fills, how it releases.
    """

    key: Key
    name: str
    unit: str
    below: bool
    fields: tuple[str, ...] = ()
    needs: str = ""


RELAY_FIELDS = ("relay_on_pct", "relay_off_pct", "relay_least_s")
KINDS: dict[str, Kind] = {
    kind.key: kind
    for kind in (
        Kind("low_charge", "Low charge", "%", True, ("low_alarm_pct",)),
        Kind("low_volts", "Low volts", "V", True, ("low_alarm_v",)),
        Kind("high_volts", "High volts", "V", False, ("high_alarm_v",)),
        Kind("over_current", "Too many amps out", "A", False),
        Kind("over_charge", "Too many amps in", "A", False),
        Kind("hot", "Hot battery", "°C", False, needs="temperature"),
        Kind("cold_charge", "Charging while cold", "°C", True, needs="temperature"),
        Kind("starter_low", "Low starter battery", "V", True, needs="starter"),
        Kind("no_reading", "No reading", "min", False),
        Kind("days_since_full", "Days since full", "days", False),
        Kind("equalise_due", "Days since equalised", "days", False),
        Kind("retorque_due", "Days since joints torqued", "days", False),
        Kind("relay", "Relay: closes, opens", "%", True, RELAY_FIELDS),
        Kind("surplus", "Relay on surplus: closes, opens", "%", False, RELAY_FIELDS),
    )
}
RELAYS = ("relay", "surplus")
GENERATOR_MIN, SURPLUS_MIN = 30.0, 5.0  # shortest run of what a relay starts; source: trade practice
SURPLUS_PCT, SURPLUS_GAP_PCT = 98.0, 5.0  # charge at which spare charge may be used; source: estimate
OF_CHARGE_C = {"lfp": 0.5, "nmc": 0.5, "flooded": 0.2, "agm": 0.3, "gel": 0.2}
"""Amps of charge, of the Ah; source: makers' usual sheets."""
SAG_V_AH = {"lfp": 2.0, "nmc": 2.0, "flooded": 3.5, "agm": 2.5, "gel": 3.0}
"""Volts of a 12 V bank that an amp takes off, times its Ah; source: estimate, cables among it."""
SAGS_V, SAG_DELAY_S = 0.3, 300.0  # of a 12 V bank: from it on a heavy load needs a longer delay


class Alarm(Plain):
    """One alarm or relay set-point.

    Attributes:
        level: where it speaks, or the relay closes;
        release: where it falls silent, or the relay opens; in the kind's unit.
        delay_s: how long it must last first [s].
        quiet: hours between which it stays silent, (from, to), or None.
        monitor, volnik: who speaks it.
        on: whether it is used at all.
        most_a_day: how often it may speak in a day.
        again_min: minutes after which one that nobody has seen is told again, None for never.
        least_min: minutes that what a relay starts runs, and rests, at the least.
    """

    key: Key
    level: Annotated[float, Field(ge=-60, le=100_000)]
    release: Annotated[float, Field(ge=-60, le=100_000)]
    delay_s: Annotated[float, Field(ge=0, le=604_800)] = 60.0
    quiet: tuple[Annotated[float, Field(ge=0, le=24)], Annotated[float, Field(ge=0, le=24)]] | None = None
    monitor: bool = False
    volnik: bool = True
    on: bool = True
    most_a_day: Annotated[int, Field(ge=1, le=100)] = 3
    again_min: Annotated[float, Field(ge=5, le=10_080)] | None = None
    least_min: Annotated[float, Field(ge=0, le=1_440)] | None = None

    @model_validator(mode="after")
    def _clears(self) -> Alarm:
        kind = KINDS[self.key]
        if kind.below and not self.release > self.level:
            raise InvalidInput(
                {
                    "release": (
                        f"must lie above the level of {self.level:g} {kind.unit}, or it never clears, "
                        f"got {self.release:g}."
                    )
                }
            )
        if not kind.below and not self.release < self.level:
            raise InvalidInput(
                {
                    "release": (
                        f"must lie below the level of {self.level:g} {kind.unit}, or it never clears, "
                        f"got {self.release:g}."
                    )
                }
            )
        if not self.monitor and not self.volnik and self.on:
            raise InvalidInput(
                {"volnik": "Somebody must give the warning: the monitor, Volnik or both; else switch it off."}
            )
        return self


class Alarms(Plain):
    """The whole list, as a section of the rig document."""

    alarms: Annotated[tuple[Alarm, ...], Field(max_length=20)] = ()

    @model_validator(mode="after")
    def _unlike(self) -> Alarms:
        keys = [alarm.key for alarm in self.alarms]
        if twice := next((key for key in keys if keys.count(key) > 1), None):
            raise ValueError(f"{twice} is there twice")
        return self

    def one(self, key: str) -> Alarm | None:
        """An alarm by its key."""
        return next((alarm for alarm in self.alarms if alarm.key == key), None)


def main_fuse_a(analysis: WiringAnalysis) -> float | None:
    """The largest main fuse of a drawing, those of strings that stand apart added [A].

    None where there is none, or a way out of the bank has none.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    cut = main_cut_of(analysis)
    return None if cut.open else cut.largest_a or None


def starting_alarms(
    analysis: WiringAnalysis,
    vehicle: Vehicle,
    numbers: Numbers,
    dialect: Dialect | None,
    *,
    sag_ohm: float | None = None,
) -> Alarms:
    """Where to start, from the numbers, the ladder, the main fuse and the spare input.

    Source of the margins: trade practice and estimate.

    Args:
        analysis: the drawing, solved and judged as one.
        vehicle: the rig as simulated.
        dialect: the monitor's own words and limits, or None.
        sag_ohm: volts that an amp takes off by the rig's own log, None takes what is usual [Ω].
    """
    cells, per_12v = vehicle.bank.cells, vehicle.per_12v
    rungs = {rung.key: rung for rung in ladder(vehicle, numbers).rungs}
    sag_v = heaviest_sag_v(vehicle, sag_ohm)
    low_pct = min(95.0, numbers.reserve_pct + LOW_GAP_PCT)
    rest = rungs["rest_reserve"].low_v * cells
    fuse = main_fuse_a(analysis)

    made = partial(_made, dialect)
    over = _over_v(vehicle, numbers, rungs["over"].high_v * cells)
    low_v = _low_v(vehicle, rest, sag_v)
    most_in = most_charge_a(vehicle)
    found = [
        made("low_charge", low_pct, min(100.0, low_pct + 10.0), 60.0),
        made("low_volts", low_v, rest, SAG_DELAY_S if sag_v > SAGS_V * per_12v else 60.0),
        made("high_volts", over, over - 0.2 * per_12v, 10.0),
        made("over_current", OF_FUSE * (fuse or 100.0), 0.75 * (fuse or 100.0), 30.0, on=fuse is not None),
        made("over_charge", most_in, 0.9 * most_in, 60.0),
        made("no_reading", 15.0, 1.0, 0.0, on=True, quiet=True),
        made("days_since_full", 14.0, 1.0, 0.0, quiet=True),
        made("retorque_due", RETORQUE_DAYS, 1.0, 0.0, quiet=True),
        made("relay", low_pct, min(100.0, low_pct + 30.0), 300.0, on=False, least_min=GENERATOR_MIN),
        made("surplus", SURPLUS_PCT, SURPLUS_PCT - SURPLUS_GAP_PCT, 300.0, on=False, least_min=SURPLUS_MIN),
    ]
    found += _by_sensor(made, analysis.wiring.auxiliary, vehicle)
    order = list(KINDS)
    return Alarms(alarms=tuple(sorted(found, key=lambda alarm: order.index(alarm.key))))


def _made(
    dialect: Dialect | None,
    key: Key,
    level: float,
    release: float,
    delay_s: float,
    *,
    on: bool = True,
    quiet: bool = False,
    least_min: float | None = None,
) -> Alarm:
    """An alarm to start with, given by the monitor too where it can."""
    spoken = dialect is not None and any(dialect.field_of(name) is not None for name in KINDS[key].fields)
    return Alarm(
        key=key,
        level=round(level, 2),
        release=round(release, 2),
        delay_s=delay_s,
        monitor=spoken,
        quiet=(22.0, 7.0) if quiet else None,
        on=on,
        least_min=least_min,
    )


def _by_sensor(made: Callable[..., Alarm], second_input: str, vehicle: Vehicle) -> list[Alarm]:
    """What the chemistry and the use of the second input add."""
    found = []
    if vehicle.chemistry.key == "flooded":
        found.append(made("equalise_due", EQUALISE_DAYS, 1.0, 0.0, quiet=True))
    if second_input == "starter":
        found.append(made("starter_low", 12.1, 12.5, 600.0, quiet=True))
    if second_input != "temperature":
        return found
    usual = HOT_C.get(vehicle.chemistry.key, HOT_LEAD_C)
    most = min(usual, vehicle.bank.charge_hot_c or usual)
    found.append(made("hot", most, most - 5.0, 300.0))
    refuse = vehicle.bank.coldest_charge_c(vehicle.chemistry)
    if refuse is not None:
        found.append(made("cold_charge", refuse + 1.0, refuse + 5.0, 60.0))
    return found


def heaviest_sag_v(vehicle: Vehicle, sag_ohm: float | None = None) -> float:
    """Volts by which the bank sags under its heaviest load: by its own log, else as usual [V].

    Args:
        vehicle: the rig as simulated.
        sag_ohm: by the log, or None [Ω].
    """
    heaviest = max((load.running_a for load in vehicle.loads), default=0.0)
    if sag_ohm is not None:
        return heaviest * sag_ohm
    usual = SAG_V_AH.get(vehicle.chemistry.key, SAG_V_AH["agm"])
    return heaviest * usual * vehicle.per_12v / vehicle.capacity_ah


def _low_v(vehicle: Vehicle, rest_v: float, sag_v: float) -> float:
    """Low volts: under rest at the reserve, under the sag of the heaviest load there, above the cut-off."""
    wanted = min(LOW_ALARM * rest_v, rest_v - sag_v)
    cut_v = limits(vehicle)[0] * vehicle.bank.cells
    return max(wanted, cut_v + OVER_CUT * (rest_v - cut_v))


OVER_CUT = 0.15  # of the way from the cut-off to rest at the reserve; source: estimate
UNDER_CUT = 0.5  # of the way from the chargers' volts to a cut-off above them; source: estimate


def _over_v(vehicle: Vehicle, numbers: Numbers, usual_v: float) -> float:
    """High volts: as usual, but under the cells' own cut-off, half-way from what the chargers reach."""
    cut = limits(vehicle)[1]
    if cut is None or usual_v < cut * vehicle.bank.cells:
        return usual_v
    reaches = ladder(vehicle, numbers).reaches
    top = max((max(one.cold_v, one.warm_v, one.mild_v) for one in reaches), default=usual_v)
    cut_v = cut * vehicle.bank.cells
    return min(usual_v, top + UNDER_CUT * (cut_v - top)) if top < cut_v else usual_v


def most_charge_a(vehicle: Vehicle) -> float:
    """Amps that the bank may take: as its maker says, times its strings, else a share of its Ah [A].

    Args:
        vehicle: the rig as simulated.
    """
    bank = vehicle.bank
    if bank.charge_a is not None:
        return bank.charge_a * bank.parallel
    return OF_CHARGE_C.get(vehicle.chemistry.key, OF_CHARGE_C["gel"]) * vehicle.capacity_ah


def on_sheet(alarms: Alarms | None) -> dict[str, float] | None:
    """What goes on the sheet: values by the sheet's keys of the alarms the monitor speaks.

    None while no list was saved.
    """
    if alarms is None:
        return None
    values: dict[str, float] = {}
    for alarm in alarms.alarms:
        if alarm.on and alarm.monitor:
            said = alarm.level, alarm.release, 60.0 * (alarm.least_min or 0.0)
            values |= dict(zip(KINDS[alarm.key].fields, said, strict=False))
    return values


def alarm_findings(
    alarms: Alarms, analysis: WiringAnalysis, vehicle: Vehicle, numbers: Numbers, dialect: Dialect | None
) -> list[Finding]:
    """What speaks against an alarm as set.

    Out of reach, never clear, against reserve, fuse or charger volts (docs/findings.md, alarms).

    Args:
        analysis: the drawing, solved and judged as one.
        vehicle: the rig as simulated.
        numbers: the settings it is counted by.
        dialect: the monitor's own words and limits, or None.
    """
    found: list[Finding] = []
    for alarm in alarms.alarms:
        if alarm.on:
            found += _LOOKS.get(alarm.key, _nothing)(alarm, analysis, vehicle, numbers)
            found += _speaker(alarm, analysis, dialect)
    return by_weight(found)


def _finding(number: str, level: Level, alarm: Alarm, message: str, why: str, *, hint: str) -> Finding:
    return Finding(number, level, message, why, hint, f"alarms.{alarm.key}")


def _nothing(alarm: Alarm, analysis: WiringAnalysis, vehicle: Vehicle, numbers: Numbers) -> list[Finding]:
    return []


def _charge(alarm: Alarm, analysis: WiringAnalysis, vehicle: Vehicle, numbers: Numbers) -> list[Finding]:
    found = []
    if alarm.level < numbers.reserve_pct:
        found.append(
            _finding(
                "alarms.A01",
                "fix",
                alarm,
                f"Low charge warns at {alarm.level:g} %, below the reserve of {numbers.reserve_pct:g} %.",
                "The hours have run out before the warning comes.",
                hint=f"Set it {LOW_GAP_PCT:g} points above the reserve.",
            )
        )
    if alarm.release > 100.0:
        found.append(
            _finding(
                "alarms.A02",
                "fix",
                alarm,
                f"Low charge clears at {alarm.release:g} %, which is never reached.",
                "It would never fall silent.",
                hint="Let it clear at or below 100 %.",
            )
        )
    return found


def _over_charge(alarm: Alarm, analysis: WiringAnalysis, vehicle: Vehicle, numbers: Numbers) -> list[Finding]:
    most, given = most_charge_a(vehicle), sum(source.most_a for source in vehicle.sources)
    found = []
    if vehicle.bank.charge_a is not None and alarm.level > most + 0.5:
        found.append(
            _finding(
                "alarms.A15",
                "fix",
                alarm,
                f"It warns at {alarm.level:g} A in; the battery's maker allows {most:g} A.",
                "The battery is charged too hard before anybody is warned.",
                hint=f"Set it to {most:g} A or less.",
            )
        )
    strongest = max((source.most_a for source in vehicle.sources), default=0.0)
    if alarm.level <= strongest:
        found.append(
            _finding(
                "alarms.A16",
                "fix",
                alarm,
                f"It warns at {alarm.level:g} A in, and one charger alone gives {strongest:.0f} A"
                f"{f', all {given:.0f} A' if given > strongest + 0.5 else ''}.",
                "It warns at every charge, or the charger is too strong for this battery.",
                hint="See what the battery's maker allows: limit the charger, or raise the level to that.",
            )
        )
    return found


def _surplus(alarm: Alarm, analysis: WiringAnalysis, vehicle: Vehicle, numbers: Numbers) -> list[Finding]:
    found = []
    if alarm.level >= 100.0:
        found.append(
            _finding(
                "alarms.A02",
                "fix",
                alarm,
                f"The relay closes above {alarm.level:g} %, which is never passed.",
                "It would never close.",
                hint=f"Set it to {SURPLUS_PCT:g} %.",
            )
        )
    if alarm.release < 90.0:
        found.append(
            _finding(
                "alarms.A17",
                "advise",
                alarm,
                f"Spare charge is used until {alarm.release:g} %: the battery may go without a full reset.",
                "What runs on it may take the charge that would have filled the battery.",
                hint="Open it again at 93 % or above.",
            )
        )
    return [*found, *_runs(alarm)]


def _runs(alarm: Alarm) -> list[Finding]:
    """What is said of a relay without a shortest run."""
    if alarm.least_min:
        return []
    return [
        _finding(
            "alarms.A18",
            "advise",
            alarm,
            "No shortest run is set.",
            "A cloud or a kettle starts and stops what it switches, which wears it out.",
            hint=f"A generator {GENERATOR_MIN:g} min, a heater {SURPLUS_MIN:g} min, by monitor or timer.",
        )
    ]


def _relay(alarm: Alarm, analysis: WiringAnalysis, vehicle: Vehicle, numbers: Numbers) -> list[Finding]:
    found = _runs(alarm)
    if alarm.level < numbers.reserve_pct:
        found.append(
            _finding(
                "alarms.A03",
                "fix",
                alarm,
                f"The relay closes at {alarm.level:g} %, below the reserve of {numbers.reserve_pct:g} %.",
                "A generator or charger then starts too late.",
                hint="Set it above the reserve.",
            )
        )
    if alarm.release > 100.0:
        found.append(
            _finding(
                "alarms.A02",
                "fix",
                alarm,
                f"The relay opens at {alarm.release:g} %, which is never reached.",
                "It would never open again.",
                hint="Let it open at or below 100 %.",
            )
        )
    if alarm.release - alarm.level < RELAY_GAP_PCT:
        found.append(
            _finding(
                "alarms.A04",
                "fix",
                alarm,
                f"Only {alarm.release - alarm.level:g} points between closing and opening.",
                "The contact chatters, and wears out what it starts.",
                hint=f"Leave at least {RELAY_GAP_PCT:g} points, 30 for a generator.",
            )
        )
    return found


def _low_volts(alarm: Alarm, analysis: WiringAnalysis, vehicle: Vehicle, numbers: Numbers) -> list[Finding]:
    cells = vehicle.bank.cells
    rungs = {rung.key: rung.low_v * cells for rung in ladder(vehicle, numbers).rungs}
    top = max(
        (source.at_bank_v(25.0) for source in vehicle.sources),
        default=vehicle.chemistry.absorption_high_v * cells,
    )
    found = []
    if alarm.level <= limits(vehicle)[0] * cells:
        found.append(
            _finding(
                "alarms.A05",
                "fix",
                alarm,
                f"Low volts warns at {alarm.level:g} V, at or under the battery's own cut-off of "
                f"{limits(vehicle)[0] * cells:.2f} V.",
                "The battery goes dark first: nobody is warned.",
                hint=f"Start at {LOW_ALARM * rungs['rest_reserve']:.2f} V.",
            )
        )
    if alarm.level >= rungs["rest_reserve"]:
        found.append(
            _finding(
                "alarms.A06",
                "fix",
                alarm,
                f"Low volts warns at {alarm.level:g} V, and the battery rests at "
                f"{rungs['rest_reserve']:.2f} V at its reserve.",
                "Every kettle sets it off, and it gets switched off for good.",
                hint=f"Start at {LOW_ALARM * rungs['rest_reserve']:.2f} V.",
            )
        )
    if alarm.release > top:
        found.append(
            _finding(
                "alarms.A02",
                "fix",
                alarm,
                f"Low volts clears at {alarm.release:g} V; the chargers reach {top:.2f} V.",
                "It would never fall silent.",
                hint="Let it clear below what the chargers reach.",
            )
        )
    return found


def _high_volts(alarm: Alarm, analysis: WiringAnalysis, vehicle: Vehicle, numbers: Numbers) -> list[Finding]:
    cells = vehicle.bank.cells
    found_reaches = ladder(vehicle, numbers).reaches
    top = max(
        (max(one_.cold_v, one_.warm_v, one_.mild_v) for one_ in found_reaches),
        default=vehicle.chemistry.absorption_high_v * cells,
    )
    cut = limits(vehicle)[1]
    rest = vehicle.chemistry.rest_v[-1][1] * cells
    found = []
    if alarm.level <= top:
        found.append(
            _finding(
                "alarms.A07",
                "fix",
                alarm,
                f"High volts warns at {alarm.level:g} V; a charger really brings {top:.2f} V.",
                "It warns at every normal charge, and teaches the owner to ignore it.",
                hint="Set it between the charger's volts and the cell cut-off.",
            )
        )
    if cut is not None and alarm.level >= cut * cells:
        found.append(
            _finding(
                "alarms.A08",
                "fix",
                alarm,
                f"High volts warns at {alarm.level:g} V, at or above the cell cut-off of "
                f"{cut * cells:.2f} V.",
                "The battery opens its charge path first: nobody is warned.",
                hint="Set it below the cut-off.",
            )
        )
    if alarm.release <= rest:
        found.append(
            _finding(
                "alarms.A02",
                "fix",
                alarm,
                f"High volts clears at {alarm.release:g} V; a full battery rests at {rest:.2f} V.",
                "It would go on for hours after charging.",
                hint="Let it clear between rest and its level.",
            )
        )
    return found


def _over_current(
    alarm: Alarm, analysis: WiringAnalysis, vehicle: Vehicle, numbers: Numbers
) -> list[Finding]:
    fuse = main_fuse_a(analysis)
    if fuse is None:
        return [
            _finding(
                "alarms.A09",
                "advise",
                alarm,
                "No main fuse is entered, so the level rests on nothing.",
                "An over-current alarm is there to come before the fuse.",
                hint="Enter the main fuse at Path.",
            )
        ]
    if alarm.level >= fuse:
        return [
            _finding(
                "alarms.A10",
                "fix",
                alarm,
                f"It warns at {alarm.level:g} A, and the main fuse is {fuse:g} A.",
                "Warning and trip arrive together.",
                hint=f"Set 80 to 90 % of the fuse: {0.8 * fuse:.0f} to {0.9 * fuse:.0f} A.",
            )
        ]
    usual = max((device.running_a for device in analysis.devices if device.takes), default=0.0)
    if alarm.level <= usual:
        small = usual >= OF_FUSE * fuse
        return [
            _finding(
                "alarms.A11",
                "fix",
                alarm,
                f"It warns at {alarm.level:g} A, and one device alone draws {usual:.0f} A.",
                f"The main fuse of {fuse:g} A is too small for that device: no level fits between them."
                if small
                else "It warns whenever that runs.",
                hint="See the main fuse at Path first."
                if small
                else f"Set 80 to 90 % of the fuse: {0.8 * fuse:.0f} to {0.9 * fuse:.0f} A.",
            )
        ]
    return []


def _cold(alarm: Alarm, analysis: WiringAnalysis, vehicle: Vehicle, numbers: Numbers) -> list[Finding]:
    limit = vehicle.bank.coldest_charge_c(vehicle.chemistry)
    if limit is not None and alarm.level < limit:
        return [
            _finding(
                "alarms.A12",
                "stop",
                alarm,
                f"It warns at {alarm.level:g} °C: charging this battery below {limit:g} °C ruins its cells.",
                "The damage is silent and lasting.",
                hint=f"Set it to {limit:g} °C or above.",
            )
        ]
    return []


_LOOKS = {
    "low_charge": _charge,
    "relay": _relay,
    "surplus": _surplus,
    "over_charge": _over_charge,
    "low_volts": _low_volts,
    "high_volts": _high_volts,
    "over_current": _over_current,
    "cold_charge": _cold,
}


def _speaker(alarm: Alarm, analysis: WiringAnalysis, dialect: Dialect | None) -> list[Finding]:
    kind = KINDS[alarm.key]
    found = []
    if kind.needs and analysis.wiring.auxiliary != kind.needs:
        found.append(
            _finding(
                "alarms.A13",
                "fix",
                alarm,
                f"{kind.name} needs the second input on "
                f"{'temperature' if kind.needs == 'temperature' else 'the starter battery'}.",
                "Without it nothing is measured, so it never warns.",
                hint="Choose the second input's use at Path, or switch this off.",
            )
        )
    if alarm.monitor and (
        dialect is None or not any(dialect.field_of(name) is not None for name in kind.fields)
    ):
        who = dialect.name if dialect is not None else "a monitor that is not named yet"
        found.append(
            _finding(
                "alarms.A14",
                "fix",
                alarm,
                f"{kind.name} is left to {who}, which cannot give it.",
                "Nobody would be warned.",
                hint="Let Volnik give it.",
            )
        )
    return found
