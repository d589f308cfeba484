"""Complaints: every cause, answered truly, ends in that cause; what is no fault is shown on the log."""

import unittest

import numpy as np

from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.watch.checkup.facts import RigFacts, gather
from volnik.core.watch.complaints.asking import ask
from volnik.core.watch.complaints.own import seen
from volnik.core.watch.complaints.tables import causes, complaints, questions

NUMBERS = Numbers(100.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.05, 20.0, 1.0, 180.0)
MIDNIGHT = 1_700_006_400.0


def followed(key, cause):
    """The end of the questions when the cause holds and each is answered truly."""
    answers = ""
    while (standing := ask(key, answers)).next is not None:
        answers += "y" if standing.next.odds(cause) >= 0.5 else "n"
    return standing


class Asking(unittest.TestCase):
    def test_each_cause_answered_truly_ends_in_that_cause(self):
        for key, complaint in complaints().items():
            for cause in complaint.causes:
                with self.subTest(complaint=key, cause=cause):
                    self.assertEqual(followed(key, cause).cause, cause)

    def test_no_answer_rules_out_the_cause_that_holds(self):
        for key, complaint in complaints().items():
            for cause in complaint.causes:
                out = [name for one in followed(key, cause).answered for name in one.rules_out]
                self.assertNotIn(causes()[cause].name, out, (key, cause))

    def test_the_inverted_ones_of_old_stand_upright(self):
        self.assertEqual(followed("dead", "wrong_socket").cause, "wrong_socket")
        code = ask("pairing", "").complaint.causes
        self.assertIn("code", code)
        # typing the right code helps: it was the code; it does not help: the code is ruled out
        last = questions()["last_code"]
        self.assertGreater(last.odds("code"), 0.9)
        self.assertLess(last.odds("firmware"), 0.1)
        # amps with the main open are the zero; none there rule out the zero, and not a real drain
        self.assertGreater(questions()["main_open"].odds("zero"), 0.9)
        self.assertLess(questions()["main_open"].odds("idle_devices"), 0.1)

    def test_nothing_known_leaves_the_odds_and_comes_to_an_end(self):
        standing = ask("low_high", "u")
        self.assertEqual(standing.odds, ask("low_high", "").odds)
        answers = "u"
        while ask("low_high", answers).next is not None:
            answers += "u"
        self.assertEqual(ask("low_high", answers).cause, "")
        self.assertIn("a load past the shunt", ask("low_high", answers).still_open)

    def test_where_questions_gain_alike_the_bypass_is_asked_of_first(self):
        for key in ("high_low", "low_high", "less_than_charger", "emptier"):
            first = ask(key, "").next
            about = max(complaints()[key].causes, key=lambda cause: first.odds(cause))
            self.assertEqual(causes()[about].kind, "bypass", key)

    def test_answers_that_are_none_are_refused(self):
        for wrong in ("x", "yyyyyyyyyyyy"):
            with self.assertRaises(ValueError):
                ask("dead", wrong)
        with self.assertRaises(KeyError):
            ask("nonsense", "")

    def test_every_table_row_is_in_use(self):
        used = {cause for complaint in complaints().values() for cause in complaint.causes}
        self.assertEqual(used | {"other"}, set(causes()))
        asked = {cause for question in questions().values() for cause in question.yes}
        self.assertLessEqual(asked, set(causes()))


class OnItsOwnLog(unittest.TestCase):
    def facts(self, volts, amps):
        """Ten-minute values made into a log of minutes, before them a day at rest."""
        volts, amps = ([13.3] * 144 + volts), ([0.0] * 144 + amps)
        time_s = MIDNIGHT + 60.0 * np.arange(10 * len(volts))
        log = Readings(time_s, np.repeat(volts, 10).astype(float), np.repeat(amps, 10).astype(float))
        return gather(log, numbers=NUMBERS, plan=RigFacts("lfp", 4))

    def test_minutes_of_draw_after_float(self):
        shown = seen("after_float", self.facts([14.2] * 6 + [13.8, 13.6, 13.5] * 1 + [13.5] * 9,
                                               [3.0] * 6 + [-3.0, -3.0] + [0.0] * 10))  # fmt: skip
        self.assertEqual(shown.figures["minutes"], 20.0)
        self.assertAlmostEqual(shown.figures["amps"], -3.0)
        self.assertAlmostEqual(shown.figures["from_v"], 14.2)
        load = self.facts([14.2] * 6 + [13.2] * 12, [3.0] * 6 + [-8.0] * 12)
        self.assertIsNone(seen("after_float", load))  # it goes on: a load, not the step to float
        parked = self.facts([14.2] * 6 + [13.2] * 4 + [13.25] * 9, [30.0] * 6 + [-8.0] * 4 + [0.0] * 9)
        self.assertIsNone(seen("after_float", parked))  # nothing holds it: the engine was switched off

    def test_volts_that_come_back_by_rest(self):
        shown = seen("rebound", self.facts([11.9] * 3 + [12.4, 12.6, 12.7, 12.8, 12.8, 12.9, 12.9],
                                           [-40.0] * 3 + [0.0] * 7))  # fmt: skip
        self.assertAlmostEqual(shown.figures["from_v"], 11.9)
        self.assertAlmostEqual(shown.figures["to_v"], 12.9)
        charged = self.facts([11.9] * 3 + [13.4] * 7, [-40.0] * 3 + [20.0] * 7)
        self.assertIsNone(seen("rebound", charged))

    def test_a_full_battery_takes_little(self):
        shown = seen("nearly_full", self.facts([13.6] * 6 + [14.3] * 6, [40.0] * 6 + [2.0] * 6))
        self.assertEqual((shown.figures["amps"], shown.figures["most_a"]), (2.0, 40.0))
        self.assertIsNone(seen("nearly_full", self.facts([13.4] * 12, [3.0] * 12)))


if __name__ == "__main__":
    unittest.main()
