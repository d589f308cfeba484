"""Measurements that take their time: idle draw fuse by fuse, a charge forced to its end, a trial of days.

Limits: docs/domain/prove.md.
"""

from __future__ import annotations

import math

from volnik.core.prove.checks import Check, Field
from volnik.core.prove.rollcall import Verdict
from volnik.core.prove.sanity import PLACE
from volnik.core.settings import Numbers

STEP_A = 0.02  # what a monitor's display can tell apart; source: estimate
OFF_SUM_A, OFF_SUM = 0.5, 0.05  # two displays and a list of loads; source: estimate
OFF_TRIAL_AH, OFF_TRIAL = 0.5, 0.05  # of the Ah of the log; source: as the counter's own limit
LEAST_TRIAL_H = 4.0  # in less an hour's habit outweighs a day's

IDLE_PART = Check(
    "idle_part",
    "Idle draw, fuse by fuse",
    PLACE,
    "All off. Read, pull one fuse, wait for the display, read again; put the fuse back before the next.",
    (
        Field("before", "monitor, fuse in", "A", "amps", signed=True),
        Field("after", "monitor, fuse out", "A", "amps", signed=True),
    ),
    asks="Which fuse",
)
FORCED = Check(
    "forced",
    "A charge forced to its end",
    PLACE,
    "Send the charger back to bulk, loads on: what reaches the battery falls under the tail current, then "
    "it floats. Read all at one moment.",
    (
        Field("display", "charger's own display", "A"),
        Field("monitor", "monitor, net", "A", "amps", signed=True),
        Field("loads", "loads that are on, together", "A"),
        Field("volts", "volts", "V", "volts"),
    ),
)
TRIAL_BEGIN = Check(
    "trial_begin",
    "A trial of some days: it begins",
    "days later",
    "Before they drive off: what the monitor counts as taken out so far.",
    (Field("ah", "taken out, by the monitor", "Ah"),),
)
TRIAL_END = Check(
    "trial_end",
    "The trial ends",
    "days later",
    "When they are back, or by telephone: the same counter again.",
    (Field("ah", "taken out, by the monitor", "Ah"),),
)
LONGER = (IDLE_PART, FORCED)


def judge_idle_part(about: str, before: float, after: float) -> Verdict:
    """What a fuse feeds while all is off.

    Args:
        about: which fuse, as typed.
        before, after: the monitor with it in and out, minus while discharging [A].
    """
    draws = after - before
    message = f"{about}: {max(0.0, draws):.2f} A with all off, {24.0 * max(0.0, draws):.1f} Ah a day."
    if draws < -STEP_A:
        return Verdict(
            "too small to tell",
            "advise",
            f"{about}: the draw rose by {-draws:.2f} A as it was pulled.",
            "Something else came on meanwhile: wait until the display stands still and read both again.",
        )
    if draws <= STEP_A:
        return Verdict("nothing", None, message)
    return Verdict("seen", None, message)


def judge_forced(display: float, net: float, loads: float, volts: float, numbers: Numbers | None) -> Verdict:
    """The charger's amps against net and loads, and whether the end is reached: I_charger = I_net + ΣI_loads.

    Args:
        display: what the charger gives by its own display [A].
        net: the monitor's, positive charging [A].
        loads: those that are on, together [A].
        volts: at the same moment [V].
        numbers: the settings, or None.
    """
    missing = display - net - loads
    message = (
        f"{display:.1f} A from the charger: {net:+.1f} A reach the battery and {loads:.1f} A go to loads, "
        f"{abs(missing):.1f} A {'are missing' if missing >= 0.0 else 'too many'}."
    ).replace("-", "−")
    if abs(missing) > max(OFF_SUM_A, OFF_SUM * abs(display)):
        return Verdict(
            "off",
            "fix",
            message,
            "A load nobody listed, or one that returns past the shunt: switch them off one by one."
            if missing > 0.0
            else "Another charger is on, or one of the displays is wrong.",
        )
    return Verdict("well", None, f"{message}{_end_words(net, volts, numbers)}")


def _end_words(net: float, volts: float, numbers: Numbers | None) -> str:
    """How far the end of charge is."""
    if numbers is None:
        return ""
    if volts >= numbers.charged_voltage_v and net <= numbers.tail_a:
        return " The end is reached: it should float within minutes."
    return f" Not at its end yet: wants {numbers.charged_voltage_v:g} V and {numbers.tail_a:.1f} A or less."


def judge_trial(hours: float, before: float, after: float, *, logged_ah: float) -> Verdict:
    """Ah taken out over a trial by the monitor, against the readings of that time.

    Args:
        hours: since it began [h].
        before, after: the monitor's counter of Ah taken out [Ah].
        logged_ah: out by the readings of that time, NaN where there are none [Ah].
    """
    used = after - before
    message = f"{used:.1f} Ah taken out in {hours:.0f} h, {24.0 * used / max(hours, 1e-9):.0f} Ah a day."
    if used < 0.0:
        return Verdict(
            "off",
            "fix",
            f"The counter went back by {-used:.1f} Ah.",
            "It was reset meanwhile, or lost its supply: begin the trial anew.",
        )
    if hours < LEAST_TRIAL_H:
        return Verdict("too small to tell", "advise", message, f"Let it run {LEAST_TRIAL_H:g} h and more.")
    if math.isnan(logged_ah):
        return Verdict("seen", None, f"{message} No readings of that time are here to hold against it.")
    message = f"{message} By its readings {logged_ah:.1f} Ah went out."
    if abs(used - logged_ah) <= OFF_TRIAL_AH + OFF_TRIAL * logged_ah:
        return Verdict("well", None, message)
    return Verdict(
        "off",
        "fix",
        message,
        "Its counter does not follow its own amps: look at the shunt and the exponent as set, and for "
        "stretches nobody read.",
    )
