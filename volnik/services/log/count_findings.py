"""What the count itself gives cause to say."""

from __future__ import annotations

import math

from volnik.core.findings import Finding
from volnik.services.log.counted_log import CountedLog, Moment

DAY_S = 86_400.0
UNKNOWN_SINCE = {"block_swapped": "a battery was swapped", "supply_lost": "the monitor lost its supply"}
RECENT_RESETS = 6  # what the last visits corrected; older ones were other numbers
LARGE_CORRECTION = 0.08  # of capacity; sound counts correct 1 to 3 %; source: estimate from simulated rigs
FLAT = 0.05  # of charge, at and under which a battery must not be left; source: trade practice
LONG_SINCE_FULL_DAYS = 14.0  # a full charge at least twice a month; docs/domain/numbers.md


def count_findings(now: Moment, counted_log: CountedLog) -> list[Finding]:
    """What the count itself gives cause to say up to an instant (docs/findings.md, count)."""
    return [
        *_large_corrections(now, counted_log),
        *_unknown_count(now, counted_log),
        *_long_since_full(now, counted_log),
        *_below_reserve(now),
        *_left_flat(now),
    ]


def _large_corrections(now: Moment, counted_log: CountedLog) -> list[Finding]:
    resets = [
        event.before.deficit_ah
        for event in counted_log.events
        if event.kind == "reset" and event.time_s <= now.at_s
    ]
    corrected = sorted(value for value in resets[-RECENT_RESETS:] if not math.isnan(value))
    if len(corrected) < 3 or corrected[len(corrected) // 2] <= LARGE_CORRECTION * now.numbers.capacity_ah:
        return []
    return [
        Finding(
            "count.C04",
            "fix",
            f"The last {len(corrected)} full resets had to correct the count by about "
            f"{corrected[len(corrected) // 2]:.0f} Ah each.",
            "A sound count is near full when the battery is full: charge is coming in that the "
            "shunt never sees, or the resets come early.",
            "Switch on each charger in turn and look whether the shunt sees its amps.",
            "watch",
        )
    ]


def _unknown_count(now: Moment, counted_log: CountedLog) -> list[Finding]:
    if not math.isnan(now.state.deficit_ah):
        return []
    days = (now.read_s - counted_log.start_s) / DAY_S
    why = f"no full reset in {days:.0f} days of log"
    if now.opened is not None and now.opened.kind in UNKNOWN_SINCE:
        why = f"{UNKNOWN_SINCE[now.opened.kind]}, and it was not full since"
    return [
        Finding(
            "count.C01",
            "fix",
            f"The count is unknown: {why}.",
            "Until the battery was full once, no percentage can be given.",
            "Charge until full, or set the count by hand and say what it rests on.",
            "watch",
        )
    ]


def _long_since_full(now: Moment, counted_log: CountedLog) -> list[Finding]:
    never = math.isnan(now.last_full_s)
    days = (now.read_s - (counted_log.start_s if never else now.last_full_s)) / DAY_S
    if days <= LONG_SINCE_FULL_DAYS or (never and math.isnan(now.state.deficit_ah)):
        return []
    return [
        Finding(
            "count.C02",
            "fix",
            f"{'No full reset in this log' if never else 'No full reset'} for {days:.0f} days.",
            "Small errors add up between resets: the percentage drifts while looking as precise as ever.",
            "Look at the charged voltage against what the chargers reach, or give it a shore night.",
            "watch",
        )
    ]


def _left_flat(now: Moment) -> list[Finding]:
    """A battery that stands next to empty, and what that does to it."""
    if math.isnan(now.state.deficit_ah) or now.soc > FLAT:
        return []
    days = (now.at_s - now.last_full_s) / DAY_S
    since = f", {days:.0f} days after its last full" if days >= 2.0 else ""
    return [
        Finding(
            "count.C07",
            "fix",
            f"It stands at {100.0 * now.soc:.0f} %{since}.",
            "Left so low, lithium drains itself below its limit and lead hardens; each day costs more.",
            "Recharge today; let the cut-off open at 2.5 V a lithium cell or more, and raise the reserve.",
            "watch",
        )
    ]


def _below_reserve(now: Moment) -> list[Finding]:
    if now.runtime.to_reserve_h != 0.0:
        return []
    return [
        Finding(
            "count.C03",
            "stop",
            f"The level is below the reserve of {now.numbers.reserve_pct:g} %.",
            "What the owner meant to keep back is being used.",
            "Shed loads, or charge now.",
            "watch",
        )
    ]
