"""The log of a case: what is seen in it follows from what is wrong, and Volnik's word on it is judged."""

import unittest

import numpy as np

from tests.core.practice.test_play import case_of
from volnik.core.practice.bay import Bay
from volnik.core.practice.causes import CAUSES, Wrong
from volnik.core.practice.judged import said_of
from volnik.core.practice.log import log_of, signs_of
from volnik.core.practice.vans import drawn_order, plan_by

SEED = 3


def van():
    """A sound van on lithium with sun and mains."""
    for seed in range(80):
        plan = plan_by(drawn_order(np.random.default_rng(seed)))
        kinds = {device.kind for device in plan.devices}
        if plan.bank.chemistry == "lfp" and {"solar", "mains"} <= kinds:
            return plan
    raise AssertionError("no such van is drawn")


class Signs(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.bay = Bay(van(), frozenset())

    def signs(self, cause, where=None, size=0.0):
        where = CAUSES[cause].places(self.bay.plan)[0] if where is None else where
        bay = self.bay.other((Wrong(cause, where, size),))
        log = log_of(bay, seed=SEED)
        return log, "; ".join(signs_of(bay, log))

    def test_a_sound_log_shows_nothing_odd(self):
        log, signs = self.signs("sound")
        for well in (
            "what the list says",
            "in and out agree",
            "at the end of a charge",
            "as such a bank does",
        ):
            self.assertIn(well, signs)
        self.assertGreater(len(log.resets_s), 3)
        self.assertTrue((log.soc >= 0.0).all() and (log.soc <= 1.0 + 1e-9).all())

    def test_each_fault_shows_where_it_must(self):
        for cause, size, sign in (
            ("reversed", 0.0, "volts fall while it shows charge"),
            ("zero_offset", -0.7, "draw more than the list"),
            ("zero_offset", 0.7, "draw less than the list"),
            ("charger_bypass", 0.0, "less goes in than comes out"),
            ("never_resets", 0.0, "never 100 %"),
            ("early_resets", 0.0, "well under the charger's end"),
            ("restarts", 0.0, "away for minutes"),
            ("isolator_first", 0.0, "away each night"),
            ("opened_full", 0.0, "first charge puts in far more"),
            ("sense_fuse", 0.0, "it ends"),
        ):
            with self.subTest(cause):
                self.assertIn(sign, self.signs(cause, size=size)[1])

    def test_before_the_day_it_began_the_log_is_that_of_the_sound_van(self):
        bay = self.bay.other((Wrong("reversed"),))
        log = log_of(bay, since_days=4, seed=SEED)
        sound = log_of(self.bay, seed=SEED)
        before = log.readings.time_s < log.begun_s
        self.assertAlmostEqual(before.mean(), 10 / 14, places=3)
        np.testing.assert_array_equal(log.readings.amps[before], sound.readings.amps[before])
        self.assertAlmostEqual(
            float(np.corrcoef(log.readings.amps[~before], sound.readings.amps[~before])[0, 1]), -1.0, 1
        )
        self.assertIn("volts fall while it shows charge", signs_of(bay, log))


class Judged(unittest.TestCase):
    def test_volniks_own_check_up_is_told_right_silent_or_wrong(self):
        said = said_of(case_of("reversed"))
        self.assertEqual((said.verdict, said.named), ("right", "reversed"))
        self.assertEqual(said_of(case_of("sense_fuse")).verdict, "nothing")
        self.assertIn("rightly", said_of(case_of("sound")).sentence)
