"""Grey days, typed weather, absorption: by hand."""

import unittest

import numpy as np

from volnik.core.count.runtime import Runtime
from volnik.core.rig.bank import Bank, CapacityLabel
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.watch.forecast import Ahead, DailyProfile
from volnik.core.watch.formatting import flow_sentence
from volnik.core.watch.half_hours import HalfHours, none
from volnik.core.watch.tomorrow import absorption_h, air_effects, day_balance, turn_back

LFP, FLOODED = CHEMISTRIES["lfp"], CHEMISTRIES["flooded"]
BANK = Bank("lfp", 4, 1, 1, CapacityLabel("nameplate", ah=100.0))
LEAD = Bank("flooded", 6, 1, 1, CapacityLabel("nameplate", ah=100.0))


def profile(gave_ah):
    """Days of 48 Ah of use; what they gave falls at noon."""
    days = len(gave_ah)
    load, gave = np.ones((days, 48)), np.zeros((days, 48))
    gave[:, 20] = gave_ah
    return DailyProfile(load, gave, np.zeros(days, dtype=bool), gave.sum(axis=1), "UTC")


def charges(hours_at_top, amps):
    """Nine hours at 20 A in, then half hours at absorption volts with these amps, full at the last."""
    volts, flows, full = [], [], []
    for _ in range(4):
        volts += [13.4] * 18 + [14.2] * hours_at_top + [13.0] * 10
        flows += [20.0] * 18 + amps + [-3.0] * 10
        full += [0.0] * (18 + hours_at_top - 1) + [0.5] + [0.0] * 10
    count = len(volts)
    flow = np.array(flows)
    columns = {name: np.zeros(count) for name in HalfHours.__slots__}
    columns |= {
        "start_s": 1800.0 * np.arange(count),
        "hours": np.full(count, 0.5),
        "in_ah": np.maximum(flow, 0.0) / 2.0,
        "mean_v": np.array(volts),
        "full_h": np.array(full),
    }
    return HalfHours(**columns)


class Balance(unittest.TestCase):
    def test_grey_days_are_short_by_what_they_lack(self):
        # thirds: 30, 36 given on grey ones, 48 of use: 15 short; from 80 Ah that is 5.3 days
        days = day_balance(profile([30.0, 36.0, 50.0, 52.0, 70.0, 80.0]), 80.0)
        self.assertAlmostEqual(days.grey, -15.0)
        self.assertAlmostEqual(days.sunny, 27.0)
        self.assertAlmostEqual(days.carried, 80.0 / 15.0)
        self.assertAlmostEqual(days.grey_sun, 33.0)

    def test_few_days_say_nothing_and_plenty_is_never_short(self):
        self.assertIsNone(day_balance(profile([30.0] * 5), 80.0))
        self.assertEqual(day_balance(profile([60.0] * 6), 80.0).carried, float("inf"))


class Weather(unittest.TestCase):
    def kinds(self, low_c, high_c, bank, chemistry, soc=0.5):
        found = air_effects((low_c, high_c), bank, chemistry, profile([40.0] * 6), soc)
        return [(each.kind, each.at_stake_ah) for each in found]

    def test_frost_keeps_a_morning_out_of_lithium_and_heat_a_day(self):
        self.assertEqual(self.kinds(-5.0, None, BANK, LFP), [("frost", 40.0)])
        self.assertEqual(self.kinds(None, 50.0, BANK, LFP), [("heat", 40.0)])
        self.assertEqual(self.kinds(5.0, 40.0, BANK, LFP), [])

    def test_lead_freezes_only_when_low(self):
        self.assertEqual(self.kinds(-15.0, 50.0, LEAD, FLOODED), [("freezes", 0.0)])
        self.assertEqual(self.kinds(-15.0, None, LEAD, FLOODED, soc=0.9), [])


class WayBack(unittest.TestCase):
    def drawn(self, low, middle):
        time_s = 1800.0 * (1.0 + np.arange(len(low)))
        nothing = (float("nan"),) * 3
        return Ahead(
            time_s,
            np.array(low),
            np.array(middle),
            np.array(middle),
            nothing,
            nothing,
            nothing,
            0.0,
            9,
            True,
            (),
        )

    def test_turn_back_where_the_reserve_and_the_way_back_are_left(self):
        numbers = Numbers(100.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.05, 20.0, 1.0, 180.0)
        found = turn_back(self.drawn([0.7, 0.6, 0.5], [0.8, 0.7, 0.6]), numbers, 40.0)
        self.assertAlmostEqual(found.soc, 0.6)
        self.assertEqual((found.soonest_s, found.likeliest_s), (3600.0, 5400.0))
        found = turn_back(self.drawn([0.7, 0.6, 0.5], [0.8, 0.8, 0.8]), numbers, 90.0)
        self.assertEqual((found.soc, found.soonest_s, found.likeliest_s), (1.0, 1800.0, 1800.0))
        found = turn_back(self.drawn([0.7, 0.6], [0.8, 0.8]), numbers, 10.0)
        self.assertTrue(np.isnan(found.soonest_s))


class Absorption(unittest.TestCase):
    def test_it_is_what_a_charge_takes_longer_than_its_first_amps(self):
        # by hand: 20, 10, 5 A for half an hour each are 17.5 Ah, at 20 A 0.875 h; less than one hour of taper
        # before the half hour in which it turned full: 1.0 - 0.875
        self.assertAlmostEqual(absorption_h(charges(3, [20.0, 10.0, 5.0]), 13.6, 1.0), 0.125, places=3)
        self.assertAlmostEqual(
            absorption_h(charges(6, [20.0, 10.0, 5.0, 5.0, 4.0, 4.0]), 13.6, 1.0), 2.5 - 24.0 / 20.0, places=3
        )
        self.assertIsNone(absorption_h(none(), 13.6, 1.0))

    def test_it_is_added_to_the_hours_to_full(self):
        numbers = Numbers(100.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.05, 20.0, 1.0, 180.0)
        runtime = Runtime("charging", 20.0, None, 2.0)
        said = flow_sentence(runtime, numbers, known=True, absorption_h=1.0)
        self.assertIn("full in 3 h", said)
        self.assertIn("1 h", said.split("full in 3 h")[1])
        self.assertIn("without absorption", flow_sentence(runtime, numbers, known=True))


if __name__ == "__main__":
    unittest.main()
