"""A case as it is played: dangers stop it with the amps there would be, mends cure where they are made."""

import math
import random
import unittest
from functools import lru_cache

import numpy as np

from volnik.core.practice.cases import AT_LEVEL, Case, drawn
from volnik.core.practice.causes import CAUSES, Wrong
from volnik.core.practice.looks import Look, every_look, risky_looks
from volnik.core.practice.mends import every_mend, mend_of
from volnik.core.practice.play import Act, played
from volnik.core.practice.vans import drawn_order, plan_by


@lru_cache
def case_of(cause):
    """A case with a cause, at the first place a van can have it."""
    orders = (drawn_order(np.random.default_rng(seed)) for seed in range(200))
    order = next(order for order in orders if CAUSES[cause].wants(order))
    plan = plan_by(order)
    wrong = Wrong(cause, CAUSES[cause].places(plan)[0], CAUSES[cause].drawn[0])
    return Case(3, 3, plan, (wrong,), 20)


class Mended(unittest.TestCase):
    def test_the_right_mend_after_power_down_is_proven_by_a_look_that_showed_the_fault(self):
        case = case_of("load_bypass")
        (wrong,) = case.wrongs
        device = wrong.where.removesuffix("_minus")
        mend = Act("mend", mend_of(wrong), wrong.where)
        look = Look("display", device)
        came = played(case, [look, Act("down"), mend, Act("up"), look])
        self.assertEqual(came.minutes, 1 + 10 + 15 + 5 + 1)
        self.assertTrue(came.cured and came.is_mended and came.proven and came.powered)
        self.assertEqual(came.first_mend, 2)
        self.assertGreater(came.made[0].shown, -0.5)  # nothing but what stands by
        self.assertLess(came.made[4].shown, -1.5)
        # a look that never showed it proves nothing, and what stays switched off is told
        came = played(case, [Act("down"), mend, Look("bank")])
        self.assertEqual((came.is_mended, came.proven, came.powered), (True, False, False))
        self.assertIsNone(played(case, [Act("down"), look]).made[1].shown)
        # powered down, the screen shows its zero and no cable carries anything
        cold = played(case, [Act("down"), Look("display"), Look("clamp", "", case.bay.link)])
        self.assertEqual([made.shown for made in cold.made[1:]], [0.0, 0.0])

    def test_what_cures_nothing_is_told_with_the_part_it_cost(self):
        case = case_of("scale")
        came = played(case, [Act("down"), Act("mend", "monitor"), Act("mend", "turn")])
        self.assertEqual((came.needless, came.cured, came.is_mended), (("a monitor",), False, False))
        self.assertEqual((came.left, came.idle), (frozenset(case.wrongs), ("turn",)))
        came = played(case, [Act("mend", "rating")])  # a number is set on a live rig
        self.assertTrue(came.is_mended)
        self.assertEqual(len(played(drawn(0, 4), []).left), 2)


class Stopped(unittest.TestCase):
    def test_a_lug_under_load_a_live_rig_a_gassing_battery_and_a_meter_as_a_bridge(self):
        case = case_of("weak_block")
        load, link = case.bay, case.bay.link
        amps = -load.shown_a("inverter")
        came = played(case, [Look("tight", "inverter", "inverter_minus"), Look("display")])
        self.assertEqual((came.stopped.danger, len(came.made)), ("arc", 1))
        self.assertAlmostEqual(came.stopped.amps, amps, delta=0.05 * amps)
        came = played(case, [Look("tight", "", link)])
        self.assertEqual(came.stopped.danger, "short")
        volts, ohm = load.scene("").block_v, load.wired.network().batteries["A1"][2]
        self.assertAlmostEqual(came.stopped.amps, volts / ohm * case.plan.bank.parallel, delta=1.0)
        self.assertIsNone(played(case, [Act("down"), Look("tight", "", link)]).stopped)
        bank = Act("mend", "bank")
        self.assertEqual(played(case, [bank]).stopped.danger, "short")
        stopped = played(case, [Act("down"), bank]).stopped
        self.assertEqual((stopped.danger, math.isnan(stopped.amps)), ("gas", True))
        self.assertTrue(played(case, [Act("down"), Act("air"), bank]).is_mended)
        self.assertEqual(played(case, [Look("inline", "inverter")]).stopped.danger, "meter")
        self.assertIsNone(played(case, [Look("inline")]).stopped)
        # by hand: the bank's volts over 20 mOhm of meter and leads
        bridge = played(case, [Look("bridge")]).stopped
        self.assertAlmostEqual(bridge.amps, 2.0 * volts / 0.02, delta=60.0)

    def test_random_play_never_fails_nor_leaves_more_wrong_than_there_was(self):
        chance = random.Random(7)
        for level in AT_LEVEL:
            for seed in range(4):
                case = drawn(seed, level)
                looks = [look for look in every_look(case.bay.sound.analysis) if look.what != "log"]
                moves = [*looks, *risky_looks(case.bay.sound.analysis), Act("down"), Act("up"), Act("air")]
                moves += [Act("mend", key, place) for key, place in every_mend(case.plan)]
                for _ in range(3):
                    came = played(case, chance.choices(moves, k=25))
                    with self.subTest(seed=seed, level=level):
                        self.assertLessEqual(came.left, frozenset(case.wrongs))
                        self.assertEqual(came.minutes, sum(made.move.minutes for made in came.made))
                        self.assertEqual(came.cured, came.left != frozenset(case.wrongs))


class Wrongs(unittest.TestCase):
    def test_a_mend_at_another_place_leaves_it(self):
        case = case_of("load_bypass")
        others = [
            place for key, place in every_mend(case.plan) if key == "move" and place != case.wrongs[0].where
        ]
        came = played(case, [Act("down"), Act("mend", "move", others[0])])
        self.assertFalse(came.cured)
        self.assertIsInstance(case.wrongs[0], Wrong)
