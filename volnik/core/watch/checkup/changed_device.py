"""A device that changed its draw: the most frequent step of the log's beginning gives way to another by its
end.
"""

from __future__ import annotations

import numpy as np

from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts
from volnik.core.watch.checkup.off_steps import density, followed, off_steps

A_DAY = 5.0  # switchings: a device that is used less often is not told from chance
LEFT = 0.2  # of the old size's switchings that may be left after the change
ALL_AMPS = (
    "The amps of what switches most changed, and its volts did not: not the device, its reading. Clamp a "
    "steady load beside the monitor."
)
EITHER = (
    "What switches most shows other amps than before; whether it draws otherwise or is read otherwise, its "
    "volts do not tell. Clamp it beside the monitor."
)
CHANGE = (0.87, 1.15)  # within it the same device in other volts and warmth; source: trials


def check(facts: Facts) -> Outcome:
    """The commonest switching size in the first third and in the last, each nearly gone in the other.

    Args:
        facts: what the log gives to look at.
    """
    if facts.days < 6.0:
        return Unsure("changed_device", "Less than a week of log.")
    seen = off_steps(facts)
    clear = seen.amps > max(8.0 * facts.noise_a, 0.8)
    time_s, sizes = seen.time_s[clear], seen.amps[clear]
    first_s, last_s = facts.readings.time_s[0], facts.readings.time_s[-1]
    third = (last_s - first_s) / 3.0
    early, late = sizes[time_s < first_s + third], sizes[time_s > last_s - third]
    least = A_DAY * third / 86400.0
    if len(early) < least or len(late) < least:
        return None
    # By logarithm: a device's size varies by a share of it, with volts and warmth.
    axis = np.exp(np.linspace(np.log(0.8), np.log(300.0), 400))
    by_early, by_late = density(early, axis), density(late, axis)
    was, now = int(np.argmax(by_early)), int(np.argmax(by_late))
    ratio = axis[now] / axis[was]
    # Beyond 2.5 times it is another device, not a changed one.
    if CHANGE[0] < ratio < CHANGE[1] or not 0.4 < ratio < 2.5:
        return None
    if (
        min(by_early[was], by_late[now]) < least
        or by_late[was] > LEFT * by_early[was]
        or by_early[now] > LEFT * by_late[now]
    ):
        return None
    before, after = (
        float(np.median(part[np.abs(np.log(part / axis[at])) < 0.06]))
        for part, at in ((early, was), (late, now))
    )
    volts = followed(facts, before, after)
    if volts is not None and not volts.is_load:
        return Unsure("changed_device", ALL_AMPS if volts.is_reading else EITHER)
    return Cause(
        "changed_device",
        0.75,
        f"What switched {before:.1f} A most often at first ({by_early[was] / third * 86400 / 2:.0f} "
        f"times a day) gave way to {after:.1f} A.",
        "Which device is it? Clamp its lead while it runs; a fridge that draws more may have lost "
        "cooling, or a fan.",
        "A second device that came and went rules it out.",
        {},
        (Mark(last_s - third, last_s, f"{after:.1f} A"),),
        {"before_a": before, "after_a": after},
    )
