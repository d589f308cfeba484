"""Sentences about a count: what flows, how long it lasts, how old it is."""

from __future__ import annotations

import math
from typing import Any

from volnik.core.count.runtime import Runtime
from volnik.core.settings import Numbers

LOPSIDED = 0.025  # halves of a band further apart than this, of 0..1
LONGEST_PROMISE_H = 24.0 * 14  # beyond a fortnight an hour count is no promise


def span_words(hours: float) -> str:
    """A span of time in words: "40 min", "7 h 20 min", "3 days".

    Args:
        hours: how long [h].
    """
    whole, minutes = divmod(round(hours * 60), 60)
    if not whole:
        return f"{minutes} min"
    if hours < 10.0:
        return f"{whole} h {minutes:02d} min" if minutes else f"{whole} h"
    if hours < 48.0:
        return f"{round(hours)} h"
    return f"{round(hours / 24)} days"


def flow_sentence(
    runtime: Runtime, numbers: Numbers, *, known: bool, absorption_h: float | None = None
) -> str:
    """What flows now and what follows from it, always with the level the hours run to.

    Args:
        runtime: where the count stands and what flows.
        numbers: the settings it is counted by.
        known: whether the count is known.
        absorption_h: that this rig's charges take longer than their first amps promise [h], None for unknown.
    """
    rate = abs(runtime.rate_a)
    amps = f"{rate:.1f} A" if rate >= 0.95 else f"{rate:.2f} A"
    if runtime.flow == "unknown":
        return "Nothing has been counted in the last minutes, so no hours to go can be given."
    if runtime.flow == "idle":
        return "Nothing flows beyond the dead band: the level does not move."
    if runtime.flow == "charging":
        if not known:
            return f"{amps} is going in; how much is missing is unknown until the first full reset."
        if runtime.to_full_h == 0.0:
            return f"{amps} is going in and the count is at full."
        assert runtime.to_full_h is not None
        if absorption_h is None:
            return f"{amps} is going in: full in {span_words(runtime.to_full_h)}, without absorption."
        whole = span_words(runtime.to_full_h + absorption_h)
        return f"{amps} is going in: full in {whole}, {span_words(absorption_h)} of it absorption."
    if runtime.to_reserve_h is None:
        return f"{amps} is going out; no hours to go until the count is known."
    to = f"the reserve of {numbers.reserve_pct:g} %" if numbers.reserve_pct else "empty"
    if runtime.to_reserve_h == 0.0:
        return f"{amps} is going out and {to} is already reached: shed loads or charge now."
    if runtime.to_reserve_h > LONGEST_PROMISE_H:
        return f"{amps} is going out: more than a fortnight to {to}."
    return f"{amps} is going out: {span_words(runtime.to_reserve_h)} to {to}."


def last_minutes(runtime: Runtime, numbers: Numbers, *, known: bool) -> str:
    """The same where nothing beside it says what the rig's own days would: told as of the last minutes.

    Args:
        runtime: where the count stands and what flows.
        numbers: the settings it is counted by.
        known: whether the count is known.
    """
    sentence = flow_sentence(runtime, numbers, known=known)
    return f"By the last minutes: {sentence}" if runtime.flow in ("charging", "discharging") else sentence


def is_lopsided(centre: float, low: float, high: float) -> bool:
    """Whether a band is told from where to where, because "give or take" would mislead.

    Args:
        centre, low, high: likeliest charge and the band about it, 0..1.
    """
    # Near full the upper half is cut off by full itself; that is not what the band is lopsided from.
    return abs(high + low - 2.0 * centre) > LOPSIDED and high < 0.999


def band_sentence(centre: float, low: float, high: float) -> str:
    """The charge with its width [0..1]: "71 %, give or take 5"; lopsided, from where to where.

    Args:
        centre: likeliest charge, 0..1.
        low: of the band, 0..1.
        high: of the band, 0..1.
    """
    if math.isnan(centre):
        return "Charge unknown: anywhere from empty to full."
    up, down = 100.0 * (high - centre), 100.0 * (centre - low)
    if is_lopsided(centre, low, high):
        return f"{100 * centre:.0f} %, between {100 * low:.0f} and {100 * high:.0f}"
    return (
        f"{100 * centre:.0f} %, give or take {max(up, down):.0f}"
        if max(up, down) >= 0.5
        else f"{100 * centre:.0f} %, give or take less than 1"
    )


def since_words(seconds: float) -> str:
    """How long ago: "today", "yesterday", "9 days ago"; NaN is "never".

    Args:
        seconds: how long ago [s].
    """
    if math.isnan(seconds):
        return "never"
    days = int(seconds // 86400)
    return "today" if days < 1 else "yesterday" if days == 1 else f"{days} days ago"


def times_words(count: int) -> str:
    """How often: "once", "twice", "5 times".

    Args:
        count: how many times.
    """
    return {1: "once", 2: "twice"}.get(count, f"{count} times")


def ago_words(seconds: float) -> str:
    """How long ago something was done: "just now", "12 min ago", "5 h ago", then in days.

    Args:
        seconds: how long ago [s].
    """
    if seconds < 60.0:
        return "just now"
    if seconds < 3600.0:
        return f"{int(seconds // 60)} min ago"
    return f"{int(seconds // 3600)} h ago" if seconds < 86_400.0 else since_words(seconds)


def replay_lines(summary: dict[str, Any], numbers: Numbers) -> list[str]:
    """The plain-text answer of `volnik replay`.

    Args:
        summary: what the replay found.
        numbers: the settings it is counted by.
    """
    lines = [f"{summary['readings']} readings from {summary['start']} to {summary['end']}"]
    if summary["soc"] is None:
        lines.append("charge unknown: no full reset yet and no charge given at the start")
    else:
        lines.append(
            f"charge {100 * summary['soc']:.1f} %, {summary['deficit_ah']:.2f} Ah below full of "
            f"{numbers.capacity_ah:g} Ah"
        )
    lines.append(
        f"in {summary['ah_in']:.2f} Ah ({summary['wh_in']:.1f} Wh), out {summary['ah_out']:.2f} Ah "
        f"({summary['wh_out']:.1f} Wh)"
    )
    lines.append(
        f"{len(summary['resets'])} full resets, {len(summary['gaps'])} gaps, "
        f"{len(summary['errors'])} lines left out"
    )
    if summary["runtime_h"] is not None:
        lines.append(f"{span_words(summary['runtime_h'])} to the reserve of {numbers.reserve_pct:g} %")
    return lines
