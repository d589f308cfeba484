"""Days drawn forward: sums by hand on a steady rig, what-ifs, and weeks of trial rigs against the plain
runtime.
"""

import math
import unittest

import numpy as np

from benchmarks.trials.rigs import trial
from volnik.core.count.log import LogCounter
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.watch.checkup.facts import CHARGING_V
from volnik.core.watch.forecast import AHEAD_DAYS, TooShort, WhatIf, ahead, profile_of, rehearse
from volnik.core.watch.half_hours import grouped, sum_half_hours

NUMBERS = Numbers(100.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.1, 20.0, 1.0, 180.0)
MIDNIGHT = 1_700_006_400.0  # 2023-11-15, a Wednesday, 00:00 UTC


def half_hours(amps_at, days, *, volts_at=lambda hour: 13.0, step_s=300.0):
    """Half hours of a rig whose amps and volts follow the hour of the day."""
    time_s = MIDNIGHT + step_s * np.arange(1, int(days * 86400 / step_s) + 1)
    hour = (time_s / 3600.0) % 24.0
    readings = Readings(
        time_s, np.array([volts_at(item) for item in hour]), np.array([amps_at(item) for item in hour])
    )
    counted = LogCounter.opened(NUMBERS).feed(readings.time_s, readings.volts, readings.amps, gap_s=3000.0)
    return sum_half_hours(readings, counted, NUMBERS, gap_s=3000.0, before_s=MIDNIGHT)


class HalfHours(unittest.TestCase):
    def test_they_add_up_to_what_flowed(self):
        some = half_hours(lambda hour: -2.0 if hour < 12 else 3.0, 4)
        days = grouped(some, np.floor((some.start_s + 1) / 86400.0) * 86400.0)
        # by hand: 24 Ah out and 36 Ah in a day, but for the reading that stands on the seam
        self.assertAlmostEqual(float(days.out_ah[1]), 24.0, delta=0.2)
        self.assertAlmostEqual(float(days.in_ah[1]), 36.0, delta=0.3)
        self.assertAlmostEqual(float(some.hours.sum()), 96.0, places=6)
        self.assertEqual(days.low_v.min(), 13.0)


class Steady(unittest.TestCase):
    def test_a_steady_draw_reaches_the_reserve_when_the_sum_says(self):
        profile = profile_of(half_hours(lambda hour: -2.0, 10), zone="UTC", charging_v=13.65, efficiency=1.0)
        found = ahead(profile, NUMBERS, now_s=MIDNIGHT, soc=0.8)
        hours = (found.reserve_s[1] - MIDNIGHT) / 3600.0
        self.assertAlmostEqual(hours, 30.0, delta=3.0)  # by hand: (80 - 20) Ah / 2 A
        self.assertLess(found.reserve_s[0], found.reserve_s[2])
        self.assertEqual(found.reserve_share, 1.0)
        self.assertTrue(math.isnan(found.full_s[1]))
        mornings = [round((at - MIDNIGHT) / 3600.0) for at, _, _ in found.by_morning]
        self.assertEqual(mornings[:2], [7, 31])
        self.assertEqual((found.by_morning[0][1], len(found.time_s)), (1.0, 48 * AHEAD_DAYS))

    def test_what_is_left_off_and_how_the_sky_is_change_it(self):
        sunny = half_hours(
            lambda hour: 6.0 if 9 <= hour < 15 else -2.0,
            12,
            volts_at=lambda hour: 13.9 if 9 <= hour < 15 else 13.0,
        )
        profile = profile_of(sunny, zone="UTC", charging_v=13.65, efficiency=1.0)
        plain = ahead(profile, NUMBERS, now_s=MIDNIGHT, soc=0.5)
        less = ahead(profile, NUMBERS, now_s=MIDNIGHT, soc=0.5, what=WhatIf(less_ah=(0.5,) * 48))
        at = 14  # 07:00: seven hours of 2 A out, or of 1 A
        self.assertAlmostEqual(float(plain.middle[at - 1]), 0.5 - 0.14, delta=0.03)
        self.assertAlmostEqual(float(less.middle[at - 1]), 0.5 - 0.07, delta=0.03)
        dark = ahead(profile, NUMBERS, now_s=MIDNIGHT, soc=0.5, what=WhatIf(staying=True, has_sun=False))
        self.assertLess(float(dark.middle[47]), float(plain.middle[47]) - 0.2)
        more = ahead(profile, NUMBERS, now_s=MIDNIGHT, soc=0.3, what=WhatIf(sun_factor=1.5))
        self.assertGreater(
            float(more.middle[31]), float(ahead(profile, NUMBERS, now_s=MIDNIGHT, soc=0.3).middle[31])
        )

    def test_too_short_a_log_and_an_unknown_charge_are_said(self):
        with self.assertRaisesRegex(TooShort, "from 3 on"):
            profile_of(half_hours(lambda hour: -2.0, 2), zone="UTC", charging_v=13.65, efficiency=1.0)
        profile = profile_of(half_hours(lambda hour: -2.0, 5), zone="UTC", charging_v=13.65, efficiency=1.0)
        with self.assertRaisesRegex(ValueError, "unknown charge"):
            ahead(profile, NUMBERS, now_s=MIDNIGHT, soc=math.nan)
        self.assertFalse(ahead(profile, NUMBERS, now_s=MIDNIGHT, soc=0.5).weekdays)

    def test_a_night_is_rehearsed_from_the_evening(self):
        found = rehearse(
            3.0, 0.6, 2.0, NUMBERS, now_s=MIDNIGHT, soc=0.7, half=0.03, until_s=MIDNIGHT + 10 * 3600.0
        )
        self.assertAlmostEqual(found.soc, 0.4)  # by hand: 3 A for 10 h of 100 Ah
        wide = math.hypot(0.03, 1.645 * math.hypot(0.6 / 2.0, 0.3) * 10 / 100)
        self.assertAlmostEqual(found.high - found.soc, wide, places=9)


class AgainstThePlainRuntime(unittest.TestCase):
    def test_on_trial_weeks_the_rigs_own_days_beat_the_amps_of_this_minute(self):
        ours, plain, inside = [], [], []
        for seed in (0, 3, 4, 8):
            item = trial("apart", seed, "lfp", days=30)
            made = LogCounter.opened(item.numbers).feed(
                item.readings.time_s, item.readings.volts, item.readings.amps, gap_s=item.gap_s
            )
            soc = np.maximum(0.0, 1.0 - made.deficit_ah / item.numbers.capacity_ah)
            some = sum_half_hours(item.readings, made, item.numbers, gap_s=item.gap_s)
            for day in (20, 23, 26):
                now = math.floor(item.readings.time_s[0] / 86400.0 + day) * 86400.0 + 20 * 3600.0
                at, then = (
                    int(np.searchsorted(item.readings.time_s, when)) - 1 for when in (now, now + 86400.0)
                )
                if math.isnan(soc[at]):
                    continue
                profile = profile_of(
                    some.part(some.start_s < now - 1800),
                    zone="UTC",
                    charging_v=CHARGING_V["lfp"] * item.cells / 4,
                    efficiency=item.numbers.coulombic_efficiency,
                )
                found = ahead(profile, item.numbers, now_s=now, soc=float(soc[at]))
                rate = float(np.mean(made.effective_a[at - 3 : at + 1]))
                ours.append(abs(float(found.middle[47]) - soc[then]))
                plain.append(
                    abs(min(1.0, max(0.0, soc[at] + rate * 24 / item.numbers.capacity_ah)) - soc[then])
                )
                inside.append(found.low[47] - 1e-6 <= soc[then] <= found.high[47] + 1e-6)
        self.assertGreater(len(ours), 8)
        self.assertLess(np.mean(ours), 0.6 * np.mean(plain))
        self.assertGreater(np.mean(inside), 0.7)
