"""Whether the rule for full can work on this rig at all (docs/findings.md, numbers N14 on)."""

from __future__ import annotations

import numpy as np

from volnik.core.findings import Finding, Level
from volnik.core.numbers.ladder import ABSORPTION, Ladder, Reach, ladder
from volnik.core.numbers.recommended import Recommended
from volnik.core.numbers.reset_map import ZONE_WORDS, ZONES, ResetMap, grid_for
from volnik.core.rig.bank import LITHIUM_COLD_C
from volnik.core.settings import Numbers
from volnik.core.simulation.vehicle import Vehicle

HOT_C = 35.0  # of the bay, from which lead must be charged lower; source: trade practice
MOST_SHIFT_PCT = 2.0  # points a day; source: estimate
FLAT_V = 2.5  # a cell of lithium, under which it is harmed; source: makers' sheets
THUMB = frozenset({"numbers.N16"})  # a rule of thumb: it gives way where the rig's own days say otherwise
NO_SOURCE = Finding(
    "numbers.N14",
    "stop",
    "Nothing on record charges this battery.",
    "Without a charger the battery is never filled and the count never reset.",
    "List its chargers at Survey, devices.",
    "devices",
)
LATER = "Simulated, not measured: the first full charges of the real rig decide."


def feasibility(
    vehicle: Vehicle,
    numbers: Numbers,
    *,
    recommended: Recommended | None = None,
    at_map: ResetMap | None = None,
) -> list[Finding]:
    """All that keeps these numbers from telling full on this rig.

    Args:
        recommended: what the simulation found, where it was run.
        at_map: the map at the hold of these numbers.
        vehicle: the rig as simulated.
    """
    if not vehicle.sources:
        return [NO_SOURCE]
    rungs = ladder(vehicle, numbers)
    sources = _sources(vehicle, numbers)
    if recommended is not None and _is_good(vehicle, numbers, recommended):
        sources = [each for each in sources if each.id not in THUMB]
    found = [*sources, *_reach(vehicle, numbers, rungs), *_order(rungs)]
    found += [*_cold(vehicle), *_hot(vehicle, rungs), *_cell_limits(vehicle), *_ends(vehicle, numbers)]
    if recommended is not None and recommended.charged_voltage_v is None:
        found.insert(
            0,
            Finding(
                "numbers.N22",
                "stop",
                recommended.sentence,
                "No charged voltage, tail or hold can help a battery that does not get full.",
                LATER,
                "numbers",
            ),
        )
    elif recommended is not None and at_map is not None:
        found += _zone(numbers, recommended, at_map)
    if recommended is not None:
        found += _kept(vehicle, numbers, recommended)
    return found


def _is_good(vehicle: Vehicle, numbers: Numbers, recommended: Recommended) -> bool:
    """Whether these numbers lie in the good region, tried in every circumstance on this rig's own days."""
    if recommended.charged_voltage_v is None or recommended.hold_s != numbers.hold_s:
        return False
    grid = grid_for(vehicle.chemistry, vehicle.bank.cells)
    row = int(np.argmin(np.abs(grid.charged_v - numbers.charged_voltage_v)))
    column = int(np.argmin(np.abs(grid.tail_pct - numbers.tail_current_pct)))
    return bool(recommended.basin[row, column])


def _kept(vehicle: Vehicle, numbers: Numbers, recommended: Recommended) -> list[Finding]:
    """An efficiency outside what is customary, and far from what the simulated bank keeps between resets."""
    usual = vehicle.chemistry
    if usual.efficiency_low <= numbers.coulombic_efficiency <= usual.efficiency_high:
        return []
    a_day = (
        100.0
        * abs(numbers.coulombic_efficiency - recommended.kept)
        * vehicle.loads_a_day
        / numbers.capacity_ah
    )
    if not a_day > MOST_SHIFT_PCT:
        return []
    way = "low" if numbers.coulombic_efficiency < recommended.kept else "high"
    return [
        Finding(
            "numbers.N28",
            "advise",
            f"Between resets the simulated battery keeps {100 * recommended.kept:.1f} % of what goes "
            f"in, {100 * numbers.coulombic_efficiency:g} % is set: the count would read {a_day:.1f} "
            f"points more {way} each day.",
            "A right reset only clears what gathered since the last.",
            "Take the recommended efficiency, and check it between two full resets of the real log.",
            "numbers.coulombic_efficiency",
        )
    ]


def standing_a(vehicle: Vehicle) -> float:
    """What loads draw on average while a charger works, by the Survey [A].

    Args:
        vehicle: the rig as simulated.
    """
    return vehicle.loads_a_day / 24.0


def _sources(vehicle: Vehicle, numbers: Numbers) -> list[Finding]:
    found = []
    total = sum(source.most_a for source in vehicle.sources)
    if total - standing_a(vehicle) < numbers.tail_a:
        found.append(
            Finding(
                "numbers.N15",
                "fix",
                f"The current test is always satisfied: all sources together give {total:.0f} A, "
                f"less {standing_a(vehicle):.1f} A of loads; the tail is {numbers.tail_a:.1f} A.",
                "Only the volts then tell full from filling.",
                "A smaller tail, or a charged voltage only a full battery shows.",
                "numbers.tail_current_pct",
            )
        )
    charged = numbers.charged_voltage_v
    for source in vehicle.sources:
        if source.float_v < source.absorption_v and source.float_v >= charged:
            found.append(
                Finding(
                    "numbers.N16",
                    "advise",
                    f"{source.name} floats at {source.float_v:.2f} V, above the charged voltage of "
                    f"{charged:g} V.",
                    "On float every quiet hour resets the count again, full or not.",
                    "Set the charged voltage between float and absorption.",
                    "numbers.charged_voltage_v",
                )
            )
        if 0.0 < source.absorption_s < numbers.hold_s and source.float_v < charged:
            found.append(
                Finding(
                    "numbers.N17",
                    "fix",
                    f"{source.name} absorbs for {source.absorption_s / 60:.0f} minutes, the hold is "
                    f"{numbers.hold_s / 60:g}.",
                    "It leaves absorption before the hold is over, so this charger never resets the count.",
                    "A shorter hold, or a longer absorption.",
                    "numbers.hold_s",
                )
            )
        if abs(source.share - 1.0) > 0.05:
            found.append(
                Finding(
                    "numbers.N25",
                    "fix",
                    f"Only {100 * source.share:.0f} % of what {source.name} gives crosses the shunt.",
                    "No number can count what the shunt does not see.",
                    "Put it right at Path first.",
                    "wiring",
                )
            )
    return found


def _reach(vehicle: Vehicle, numbers: Numbers, rungs: Ladder) -> list[Finding]:
    charged = numbers.charged_voltage_v
    short = [reach for reach in rungs.reaches if max(reach.cold_v, reach.mild_v, reach.warm_v) < charged]
    if len(short) == len(rungs.reaches):
        return [_none_reaches(charged, max(rungs.reaches, key=lambda reach: reach.mild_v))]
    warm_short = [reach for reach in rungs.reaches if reach not in short and reach.warm_v < charged]
    found = [_falls_short(charged, reach) for reach in short]
    if warm_short and len(short) + len(warm_short) == len(rungs.reaches):
        best = max(warm_short, key=lambda reach: reach.warm_v)
        found.append(_short_when_warm(charged, best, rungs.warm_c))
    return found + _met_while_filling(charged, rungs.low_v * vehicle.bank.cells)


def _met_while_filling(charged: float, low_v: float) -> list[Finding]:
    if charged >= low_v:
        return []
    return [
        Finding(
            "numbers.N20",
            "fix",
            f"A battery still a tenth short shows {low_v:.2f} V at this tail; the charged voltage is "
            f"{charged:g} V.",
            "Volts and tail are both met while the battery is filling.",
            "Higher volts or a smaller tail.",
            "numbers.charged_voltage_v",
        )
    ]


def _none_reaches(charged: float, best: Reach) -> Finding:
    return Finding(
        "numbers.N18",
        "stop",
        f"No charger reaches {charged:g} V at the battery; {best.source.name} stops at {best.mild_v:.2f} V.",
        "The count would never be reset.",
        _below(best),
        "numbers.charged_voltage_v",
    )


def _falls_short(charged: float, reach: Reach) -> Finding:
    return Finding(
        "numbers.N24",
        "advise",
        f"{reach.source.name} stops at {reach.mild_v:.2f} V at the battery, short of {charged:g} V.",
        "Charged by it alone, the battery is full without a reset.",
        _below(reach),
        "numbers.charged_voltage_v",
    )


def _short_when_warm(charged: float, best: Reach, warm_c: float) -> Finding:
    return Finding(
        "numbers.N19",
        "fix",
        f"In the hot weeks ({warm_c:.0f} °C in the bay) {best.source.name} brings only "
        f"{best.warm_v:.2f} V: {charged:g} V is met in spring and not in August.",
        "Temperature compensation lowers every charger below the fixed threshold.",
        _below(best),
        "numbers.charged_voltage_v",
    )


def _below(reach: Reach) -> str:
    least = min(reach.cold_v, reach.mild_v, reach.warm_v)
    return (
        f"At most about {least - 0.1:.1f} V for this charger, or raise its absorption as far as the "
        "battery maker allows."
    )


def _order(rungs: Ladder) -> list[Finding]:
    found = []
    for below, above in rungs.wrong:
        if above.key == "cut_high" and below.order == ABSORPTION:
            found.append(
                Finding(
                    "numbers.N21",
                    "fix",
                    f"{below.name[:1].upper() + below.name[1:]}, {below.high_v:.3f} V a cell, is "
                    f"less than 0.05 V under the cell cut-off, {above.low_v:.3f} V.",
                    "The battery's protection would end the charge; it is no end of charge, and the "
                    "count may never see a taper.",
                    "Lower the charger; never raise the protective limit to it.",
                    "devices",
                )
            )
        elif below.key != "charged":
            found.append(
                Finding(
                    "numbers.N23",
                    "fix",
                    f"Out of order: {below.name} ({below.high_v:.3f} V a cell) is above "
                    f"{above.name} ({above.low_v:.3f} V).",
                    "Each step must lie clear of the next, or one answers for the other.",
                    "Correct the one that is off; values from another voltage class slip in this way.",
                    "numbers.charged_voltage_v",
                )
            )
    return found


def _cold(vehicle: Vehicle) -> list[Finding]:
    limit = vehicle.bank.coldest_charge_c(vehicle.chemistry)
    if limit is None or vehicle.use.mean_c("winter", vehicle.latitude) - 5.0 > limit:
        return []
    below = "freezing: lithium cells" if limit == 0.0 else f"{limit:g} °C: these cells"
    return [
        Finding(
            "numbers.N26",
            "advise",
            f"Winter nights here fall below {below} then refuse charge.",
            "Volts stay high, the shunt shows nothing, and a reset then is false.",
            f"Keep the battery above {limit:g} °C; never charge it colder. The simulation assumes it is kept "
            f"at {limit + 1.0:g} °C at least.",
            "bank",
        )
    ]


def _hot(vehicle: Vehicle, rungs: Ladder) -> list[Finding]:
    """Chargers of lead that are stated to follow no temperature, where the bay gets hot."""
    if not vehicle.chemistry.is_lead or rungs.warm_c <= HOT_C:
        return []
    sealed = vehicle.chemistry.key in ("agm", "gel")
    return [
        Finding(
            "numbers.N29",
            "fix" if sealed else "advise",
            f"{reach.source.name} charges to {reach.warm_v:.2f} V whatever the temperature; the bay reaches "
            f"{rungs.warm_c:.0f} °C in the hot weeks.",
            "Hot lead takes in more than it should at those volts: it gasses, dries out, and may run away.",
            "Let the charger follow the battery's temperature (about −4 mV/°C a cell), or set it lower then.",
            "devices",
        )
        for reach in rungs.reaches
        if reach.source.drawn.states("slope_mv_c") and reach.source.drawn.number("slope_mv_c") == 0.0
    ]


def _cell_limits(vehicle: Vehicle) -> list[Finding]:
    """Limits of a lithium battery's own protection that let its cells be harmed."""
    bank, chemistry = vehicle.bank, vehicle.chemistry
    if chemistry.is_lead:
        return []
    found = []
    if bank.cell_high_v is not None and bank.cell_high_v > chemistry.harm_v + 1e-9:
        found.append(
            Finding(
                "numbers.N30",
                "fix",
                f"Its protection stops the charge only at {bank.cell_high_v:g} V a cell; above "
                f"{chemistry.harm_v:g} V cells are harmed.",
                "A charger that runs away is stopped too late.",
                f"Set it to {chemistry.harm_v:g} V or as its maker says; factory limits are often wide.",
                "bank",
            )
        )
    if bank.cell_low_v is not None and bank.cell_low_v < FLAT_V:
        found.append(
            Finding(
                "numbers.N30",
                "fix",
                f"Its protection opens the discharge only at {bank.cell_low_v:g} V a cell; under "
                f"{FLAT_V:g} V cells are harmed.",
                "A load left on for a week ruins the battery although it is protected.",
                f"Set it to {FLAT_V:g} V or higher, as its maker says.",
                "bank",
            )
        )
    cold = bank.charge_cold_c
    if cold is not None and cold < LITHIUM_COLD_C:
        found.append(
            Finding(
                "numbers.N30",
                "fix",
                f"Its protection lets it be charged down to {cold:g} °C.",
                "Lithium charged below freezing plates, which cannot be undone, unless its maker allows it.",
                f"Set it to {LITHIUM_COLD_C:g} °C, or keep its maker's own sheet with the rig.",
                "bank",
            )
        )
    return found


def _ends(vehicle: Vehicle, numbers: Numbers) -> list[Finding]:
    """Chargers that end on their own amps: what loads take beside them is among these."""
    loads_a = standing_a(vehicle)
    found = []
    for source in vehicle.sources:
        if not (source.drawn.states("end_a") and source.end_a > 0.0):
            continue
        into_a = source.end_a - loads_a
        holds_on = source.float_v >= numbers.charged_voltage_v  # its float resets the count all the same
        if 0.0 < into_a <= numbers.tail_a or (into_a > 0.0 and holds_on):
            continue
        wanted_a = loads_a + 0.5 * numbers.tail_a
        told = (
            f"loads take about {loads_a:.1f} A beside it: it may never end"
            if into_a <= 0.0
            else f"less {loads_a:.1f} A of loads {into_a:.1f} A then still go in, over the tail of "
            f"{numbers.tail_a:.1f} A: it ends before the count is reset"
        )
        found.append(
            Finding(
                "numbers.N31",
                "advise",
                f"{source.name} ends its charge at {source.end_a:g} A of its own; {told}.",
                "A charger sees what it gives, not what the battery takes.",
                f"Let it end at about {wanted_a:.1f} A (half the tail, {loads_a:.1f} A for loads), or let it "
                "read the shunt.",
                "devices",
            )
        )
    return found


def _zone(numbers: Numbers, recommended: Recommended, at_map: ResetMap) -> list[Finding]:
    row, column = at_map.grid.nearest(numbers.charged_voltage_v, numbers.tail_current_pct)
    zone = ZONES[int(at_map.zone[row, column])]
    if zone in ("rightly", "early_heals"):
        return []
    level: Level = "stop" if zone in ("never", "early_lasts") else "fix"
    message = at_map.describe(row, column)
    return [
        Finding(
            "numbers.N27",
            level,
            f"On the simulated days: {ZONE_WORDS[zone]}. {message}",
            LATER,
            f"The recommended point is {recommended.charged_voltage_v:g} V, "
            f"{recommended.tail_current_pct:g} %, held {(recommended.hold_s or 0) / 60:g} min.",
            "numbers.charged_voltage_v",
            {
                "charged_voltage_v": recommended.charged_voltage_v,
                "tail_current_pct": recommended.tail_current_pct,
                "hold_s": recommended.hold_s,
            },
        )
    ]
