"""Whether a shunt is needed at all, what a day takes before there is a log: by hand."""

import math
import unittest
from dataclasses import replace

from tests.core.numbers.vehicles import van
from volnik.core.settings import Numbers
from volnik.core.shelf.dialects import DIALECTS
from volnik.core.survey.day_energy import day_energy, usable
from volnik.core.survey.enquiry import Enquiry, implied_ah_day, lacks, shunt_needed
from volnik.core.survey.motor import throttles, turn_at_pct


class Needed(unittest.TestCase):
    def test_the_answer_may_be_no(self):
        for own_counter, past_gauge, critical, strings, answer in (
            ("no", "", "", 1, "yes"),
            ("", "yes", "yes", 1, ""),
            ("yes", "yes", "no", 1, "no"),  # it sees what was wired past the old gauge too
            ("yes", "", "yes", 1, "yes"),
            ("yes", "", "no", 2, "yes"),
            ("yes", "", "", 1, ""),
            ("yes", "", "no", 0, ""),
            ("factory", "yes", "no", 1, "yes"),
            ("factory", "no", "no", 2, "no"),
            ("factory", "no", "yes", 1, "yes"),
            ("factory", "", "no", 1, ""),
        ):
            asked = Enquiry(own_counter=own_counter, past_gauge=past_gauge, critical=critical)
            found = shunt_needed(asked, strings)
            self.assertEqual(found.answer, answer, (own_counter, past_gauge, critical, strings))

    def test_what_a_monitor_lacks_of_what_is_wanted(self):
        by_key = {each.key: each for each in DIALECTS}
        asked = Enquiry(wants=("relay", "efficiency", "log"))
        missing, untold = lacks(asked, by_key["wall"])
        self.assertEqual((missing, untold), ([], ["a log to take out"]))
        missing, _ = lacks(asked, by_key["simple"])
        self.assertIn("a relay", missing)

    def test_days_survived_imply_a_days_use_between_reserve_and_dark(self):
        bank = usable(180.0, reserve_pct=50.0, cut_out_pct=None, is_lead=True)
        self.assertEqual(implied_ah_day(bank, 1.5), (60.0, 120.0))


class Day(unittest.TestCase):
    def test_what_may_be_used_after_reserve_cut_out_and_cold(self):
        lead = usable(200.0, reserve_pct=50.0, cut_out_pct=None, is_lead=True)
        self.assertEqual(lead.left, 100.0)
        # by hand: 25 degrees colder at 0.8 % each take 40 of 200 Ah
        cold = usable(200.0, reserve_pct=50.0, cut_out_pct=None, is_lead=True, celsius=0.0)
        self.assertAlmostEqual(cold.left, 60.0)
        # a cut-out above the reserve is what limits it
        cut = usable(100.0, reserve_pct=5.0, cut_out_pct=20.0, is_lead=False)
        self.assertAlmostEqual(cut.left, 80.0)

    def test_a_day_is_summed_over_its_loads_and_a_stay_lasts_as_the_sums_say(self):
        rig = van("lfp", ah=200.0, chargers=("mains",), loads=(("alarm", 5.0),))
        day = day_energy(rig, reserve_pct=20.0, efficiency=0.99)
        # by hand: 5 A round the clock is 120 Ah; 160 of 200 may be used; no sun at all
        self.assertAlmostEqual(day.use_ah, 120.0)
        self.assertAlmostEqual(sum(float(load.by_slot.sum()) for load in day.loads), 120.0)
        self.assertAlmostEqual(day.days, 160.0 / 120.0)
        self.assertAlmostEqual(day.lasts_days(day.one("winter", "cloudy")), 160.0 / 120.0)
        # what the log says comes before the list, for every figure of the day alike
        own = replace(day, own_ah=80.0)
        self.assertAlmostEqual(own.days, 2.0)
        self.assertAlmostEqual(own.lasts_days(own.one("winter", "cloudy")), 2.0)
        self.assertEqual(day.on_call[0][1], "shore")

    def test_hours_under_motor_by_how_far_it_is_opened(self):
        numbers = Numbers(200.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.05, 20.0, 1.0, 180.0)
        # by hand: 160 Ah at 100, 75, 50, 25 A; with k = 1.2 ten times the rated 10 A last 10^0.2 less
        found = throttles(1200.0, 12.0, numbers, 160.0)
        self.assertEqual([round(each.hours, 2) for each in found], [1.6, 2.13, 3.2, 6.4])
        bent = throttles(1200.0, 12.0, replace(numbers, peukert_exponent=1.2), 160.0)
        self.assertAlmostEqual(bent[0].hours, 1.6 / 10.0**0.2)
        self.assertEqual(turn_at_pct(20.0), 60.0)

    def test_more_sun_in_summer_than_in_winter_and_under_a_clear_sky(self):
        rig = van("lfp", ah=200.0, chargers=("solar",), loads=(("fridge", 3.0),), panel_w=400.0)
        day = day_energy(rig, reserve_pct=20.0, efficiency=0.99)
        summer, winter = day.one("summer", "sunny"), day.one("winter", "cloudy")
        self.assertGreater(summer.given_ah, 2.0 * winter.given_ah)
        self.assertEqual(day.lasts_days(summer), math.inf)
        self.assertGreaterEqual(day.lasts_days(winter), day.days)  # sun never shortens a stay
        # by hand: no 400 W panel gives more than its peak for the hours of light, 0.4 kW x 16 h / 13.6 V
        self.assertLess(summer.given_ah, 400.0 * 16.0 / 13.6)
        self.assertLess(summer.by_slot[2], 0.01)  # none at night


if __name__ == "__main__":
    unittest.main()
