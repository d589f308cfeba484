"""What an alarm should have been set to, on logs made by hand."""

import unittest

import numpy as np

from volnik.core.numbers.alarms import Alarm
from volnik.core.watch.alarm_levels import Tried, nearest, proposal

DAY = 1440  # minutes


def tried(values, soc):
    time_s = 1_700_006_400.0 + 60.0 * np.arange(len(values))
    return Tried(time_s, np.asarray(values, dtype=float), np.asarray(soc, dtype=float), 20.0, 300.0, "UTC")


def sags(low_v, minutes, *, days=14, soc=0.8):
    """13.1 V, and each day a kettle that presses the volts for some minutes."""
    volts = np.full(days * DAY, 13.1)
    for day in range(days):
        volts[day * DAY + 600 : day * DAY + 600 + minutes] = low_v
    return tried(volts, np.full(len(volts), soc))


LOW = Alarm(key="low_volts", level=12.4, release=12.9, delay_s=60.0)
OVER = Alarm(key="over_current", level=100.0, release=80.0, delay_s=30.0)


class Proposing(unittest.TestCase):
    def test_a_short_sag_wants_a_longer_delay_and_the_same_level(self):
        found = proposal(LOW, sags(12.0, 4), 11.6)
        # by hand: four minutes under the level each day; five minutes never come
        self.assertEqual((found.alarm.level, found.alarm.delay_s, found.wrong_before), (12.4, 300.0, 14))
        self.assertEqual(found.spoke, 0)

    def test_a_long_sag_wants_a_lower_level_above_the_cut_off(self):
        found = proposal(LOW, sags(12.0, 40), 11.6)
        self.assertTrue(11.6 < found.alarm.level < 12.0, found.alarm.level)
        self.assertAlmostEqual(found.alarm.release - found.alarm.level, 0.5, places=2)
        self.assertIsNone(proposal(LOW, sags(11.5, 40), 11.6))  # nothing above the cut-off helps

    def test_a_word_at_the_reserve_is_right_and_changes_nothing(self):
        self.assertIsNone(proposal(LOW, sags(12.0, 40, soc=0.22), 11.6))

    def test_a_right_word_is_kept_among_wrong_ones(self):
        log = sags(12.0, 4)
        log.values[13 * DAY + 700 :] = 12.2
        log.soc[13 * DAY + 700 :] = 0.2
        found = proposal(LOW, log, 11.6)
        self.assertEqual((found.alarm.delay_s, found.spoke), (300.0, 1))

    def test_amps_of_every_day_want_a_level_under_the_fuse(self):
        amps = sags(150.0, 40).values
        log = tried(np.where(amps > 100, amps, 5.0), np.full(len(amps), 0.8))
        found = proposal(OVER, log, 200.0)
        self.assertTrue(150.0 <= found.alarm.level < 200.0, found.alarm.level)
        self.assertIsNone(proposal(OVER, log, 140.0))

    def test_a_sound_alarm_is_left_alone(self):
        self.assertIsNone(proposal(LOW, sags(12.9, 40), 11.6))
        self.assertEqual(nearest(LOW, sags(12.9, 40).values), 12.9)
        self.assertTrue(np.isnan(nearest(LOW, np.array([np.nan]))))


if __name__ == "__main__":
    unittest.main()
