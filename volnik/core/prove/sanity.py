"""What a monitor shows held against itself: watts, hours, its counters, its screens, and volts at rest.

Limits: docs/domain/prove.md.
"""

from __future__ import annotations

import math

from volnik.core.count.evidence import Word, at_rest
from volnik.core.prove.checks import LEAST_CLAMP_A, Check, Field, Place
from volnik.core.prove.rollcall import Verdict
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import Chemistry

PLACE: Place = "where something looks odd"
OFF_WATTS, STEP_W = 0.05, 2.0  # a display rounds and lags; source: estimate
OFF_HOURS = 0.3  # of the hours reckoned, once the average has settled; source: estimate
OFF_COUNTER, STEP_AH = 0.05, 0.15  # of time times amps; a tenth of an amp hour is one step; source: estimate
OFF_SCREEN, STEP_A = 0.03, 0.2  # one lags the other by seconds; source: estimate
LEAST_MINUTES = 20.0  # under which a counter's own step hides what is asked
RESTING_SHARE = 0.01  # of capacity, beyond which a battery is not at float; source: estimate

RESTED = Check(
    "rested",
    "Rested volts against the percentage",
    PLACE,
    "Nothing on or charging for hours, then volts at the posts and what the monitor says.",
    (
        Field("volts", "volts at the posts", "V", "volts"),
        Field("hours", "since the last current", "h"),
        Field("percent", "the monitor says", "%"),
        Field("charged", "1 if that was a charge, 0 if not", "", needed=False),
    ),
)
WATTS = Check(
    "watts",
    "Watts against volts times amps",
    PLACE,
    "A steady load on; all three read within a second or two.",
    (Field("volts", "volts", "V", "volts"), Field("amps", "amps", "A", "amps"), Field("watts", "watts", "W")),
)
HOURS = Check(
    "hours",
    "Hours left against what is in it",
    PLACE,
    "A steady load for as long as the monitor averages, then read all three.",
    (
        Field("percent", "the monitor says", "%"),
        Field("amps", "amps", "A", "amps"),
        Field("hours", "hours it shows", "h"),
    ),
)
COUNTER = Check(
    "counter",
    "Its own Ah against the clock",
    PLACE,
    "A steady load; its Ah before and after, and the minutes between.",
    (
        Field("before", "Ah before", "Ah"),
        Field("after", "Ah after", "Ah"),
        Field("minutes", "between", "min"),
        Field("amps", "amps all the while", "A", "amps"),
    ),
)
SCREENS = Check(
    "screens",
    "Screen against phone",
    PLACE,
    "Both at the same moment, a steady load on.",
    (Field("screen", "amps on the screen", "A"), Field("phone", "amps on the phone", "A")),
)
FLOAT = Check(
    "float",
    "At float",
    PLACE,
    "The charger says float, and has for a quarter of an hour.",
    (Field("volts", "volts", "V", "volts"), Field("amps", "amps", "A", "amps")),
)
SANITY = (RESTED, WATTS, HOURS, COUNTER, SCREENS, FLOAT)


def judge_watts(volts: float, amps: float, watts: float) -> Verdict:
    """Watts shown against V × A.

    Args:
        volts, amps: read beside [V, A].
        watts: as shown, signed or not.
    """
    wanted = abs(volts * amps)
    message = f"{volts:.2f} V × {abs(amps):.2f} A are {wanted:.0f} W, shown are {abs(watts):.0f} W."
    if abs(abs(watts) - wanted) <= max(STEP_W, OFF_WATTS * wanted):
        return Verdict("well", None, message)
    return Verdict(
        "off",
        "advise",
        message,
        "Read all three once more at a steady load: a display lags. Else it shows another input's watts.",
    )


def judge_hours(percent: float, amps: float, hours: float, numbers: Numbers | None) -> Verdict:
    """Hours shown against T = C (S − reserve) / I, and against all the battery holds.

    Args:
        percent: as shown [%].
        amps: the load, minus while discharging [A].
        hours: as shown [h].
        numbers: the settings, or None.
    """
    draw = abs(amps)
    if draw < LEAST_CLAMP_A / 5.0:
        return Verdict(
            "too small to tell", "advise", f"{draw:.2f} A is too little to reckon hours by.", "Put a load on."
        )
    if numbers is None:
        return Verdict("seen", "advise", f"{hours:g} h at {draw:.1f} A.", "Save the numbers first.")
    holds = numbers.capacity_ah
    usable = max(0.0, holds * (percent - numbers.reserve_pct) / 100.0)
    wanted = usable / draw
    message = (
        f"{hours:g} h at {draw:.1f} A are {hours * draw:.0f} Ah; {percent:g} % down to the reserve of "
        f"{numbers.reserve_pct:g} % are {usable:.0f} Ah, {wanted:.1f} h."
    )
    if hours * draw > holds:
        return Verdict(
            "off",
            "fix",
            f"{message} That is more than the whole battery holds.",
            "Let it average for a quarter of an hour and read again; then look at its capacity as set.",
        )
    if abs(hours - wanted) <= max(0.25, OFF_HOURS * wanted):
        return Verdict("well", None, message)
    return Verdict(
        "off",
        "advise",
        message,
        "It averages over minutes, and may count down to empty or another level: read its floor as set.",
    )


def judge_counter(before: float, after: float, minutes: float, amps: float) -> Verdict:
    """The monitor's own Ah against time × amps: a wrong scale shows here, and not in the amps alone.

    Args:
        before, after: its Ah.
        minutes: between [min].
        amps: all the while [A].
    """
    moved, wanted = abs(after - before), abs(amps) * minutes / 60.0
    message = f"{moved:.1f} Ah in {minutes:g} min; {abs(amps):.2f} A over that time are {wanted:.1f} Ah."
    if minutes < LEAST_MINUTES or wanted < 1.0:
        return Verdict(
            "too small to tell",
            "advise",
            message,
            f"Wait {LEAST_MINUTES:g} min and more, and an amp hour at least.",
        )
    if abs(moved - wanted) <= STEP_AH + OFF_COUNTER * wanted:
        return Verdict("well", None, message)
    return Verdict(
        "off",
        "fix",
        message,
        "Its counter does not follow its amps: another shunt as set, an exponent bending heavy loads, or a "
        "load that switched meanwhile.",
    )


def judge_screens(screen: float, phone: float) -> Verdict:
    """One figure on two screens.

    Args:
        screen, phone: amps on each [A].
    """
    message = f"{screen:+.2f} A on the screen, {phone:+.2f} A on the phone.".replace("-", "−")
    if abs(screen - phone) <= max(STEP_A, OFF_SCREEN * abs(screen)):
        return Verdict("well", None, message)
    return Verdict(
        "off",
        "fix",
        message,
        "Switch a load on: one that stands still is frozen, or is another unit. Name each unit in its app.",
    )


def judge_float(volts: float, amps: float, numbers: Numbers | None) -> Verdict:
    """What float looks like: amps about zero, to either side.

    Args:
        volts, amps: read then [V, A].
        numbers: the settings, or None.
    """
    capacity = 100.0 if numbers is None else numbers.capacity_ah
    message = f"{volts:.2f} V and {amps:+.2f} A at float.".replace("-", "−")
    if abs(amps) <= RESTING_SHARE * capacity:
        return Verdict(
            "well",
            None,
            f"{message} Tenths of an amp to either side of zero are its regulation; a few minutes of minus "
            "after absorption are surface charge going off.",
        )
    if amps > 0.0:
        return Verdict(
            "off",
            "advise",
            message,
            "It still takes charge: it went to float early, or a load is on beside it.",
        )
    return Verdict("off", "advise", message, "The charger does not carry the loads: see what it can give.")


def judge_rested(
    volts: float, hours: float, percent: float, *, chemistry: Chemistry, cells: int, charged: bool
) -> Verdict:
    """Volts at rest against the percentage: the four meanings of high and low.

    Args:
        volts: of the bank [V].
        hours: since the last current [h].
        percent: the monitor says [%].
        chemistry: of the bank.
        cells: of the bank in series.
        charged: whether that current charged.

    Raises:
        InvalidInput: where the bank has not rested, or rests at no such volts.
    """
    word = at_rest(0.0, volts=volts, cells=cells, chemistry=chemistry, hours=hours, after_charge=charged)
    message = (
        f"{volts:.2f} V at rest are {100 * word.low:.0f} to {100 * word.high:.0f} %; the monitor says "
        f"{percent:g} %."
    )
    return _rested(message, word, percent / 100.0)


def _rested(message: str, word: Word, said: float) -> Verdict:
    if word.low - 0.03 <= said <= word.high + 0.03:
        low = word.high < 0.35
        return Verdict(
            "well", None, f"{message} {'Both are low: charge it soon.' if low else 'They go together.'}"
        )
    if said > word.high:
        return Verdict(
            "off",
            "fix",
            f"{message} It claims more than there is.",
            "A start at 100 % on a half-full battery, a false full, or a load past the shunt: charge until "
            "full, or set the count by hand.",
        )
    return Verdict(
        "off",
        "fix",
        f"{message} There is more in it than it says.",
        "Charge came in past the shunt, or it was never reset: charge until full and call the chargers.",
    )


def is_true(number: float) -> bool:
    """Whether a typed 1 stands for yes.

    Args:
        number: as typed; NaN for nothing.
    """
    return not math.isnan(number) and number > 0.5
