"""Cases and scenes: instruments read the solved network, against sums by hand; drawn cases are whole."""

import math
import unittest
from collections import Counter

import numpy as np

from volnik.core.path.shares import injection
from volnik.core.practice.bay import ALL_OUT, Bay
from volnik.core.practice.cases import AT_LEVEL, drawn
from volnik.core.practice.causes import CAUSES, Wrong
from volnik.core.practice.faults import faults
from volnik.core.practice.looks import Look, seen
from volnik.core.practice.mends import MENDS, mend_of
from volnik.core.practice.scene import CLAMP, METER, scene_of
from volnik.core.practice.vans import STANDBY_A, drawn_order, plan_by
from volnik.core.simulation.wired import Faults, wire

CASES = [drawn(seed, level) for level in AT_LEVEL for seed in range(10)]


def van(fits):
    """The first van that is as asked."""
    return next(
        plan
        for plan in (plan_by(drawn_order(np.random.default_rng(seed))) for seed in range(80))
        if fits(plan)
    )


def one_string():
    """A sound van of one battery."""
    return van(lambda plan: plan.bank.blocks == 1)


class Drawn(unittest.TestCase):
    def test_the_same_seed_and_level_give_the_same_case_and_others_are_refused(self):
        same, other = drawn(5, 2), drawn(5, 2)
        self.assertEqual(
            (same.wrongs, same.plan, same.since_days), (other.wrongs, other.plan, other.since_days)
        )
        self.assertNotEqual(drawn(6, 2).plan, same.plan)
        for seed, level in ((-1, 1), (0, 0), (0, 5)):
            with self.assertRaises(ValueError):
                drawn(seed, level)

    def test_each_is_sound_but_for_what_is_wrong_which_has_a_page_and_a_mend(self):
        seen_causes = Counter()
        for case in CASES:
            with self.subTest(seed=case.seed, level=case.level, truth=case.truth):
                sound = case.bay.sound.analysis.shares
                self.assertTrue(all(abs(share.value - 1.0) < 0.005 for share in sound.values()))
                for wrong in case.wrongs:
                    self.assertIn(wrong.cause, faults())
                    self.assertEqual(mend_of(wrong) == "none", wrong.cause == "sound")
                    left = MENDS[mend_of(wrong)].leaves(frozenset(case.wrongs), wrong.where)
                    self.assertEqual(wrong in left, wrong.cause == "sound")
                off = [name for name, share in case.bay.analysis.shares.items() if share.word != "counted"]
                wired = [one for one in case.wrongs if one.cause in ("load_bypass", "charger_bypass")]
                if len(case.wrongs) == 1 and wired:
                    self.assertEqual([f"{name}_minus" for name in off], [wired[0].where])
                seen_causes.update(wrong.cause for wrong in case.wrongs)
        self.assertGreaterEqual(len(seen_causes), 15)

    def test_every_cause_can_be_wired_where_a_van_can_have_it(self):
        plans = [plan_by(drawn_order(np.random.default_rng(seed))) for seed in range(12)]
        for key, cause in CAUSES.items():
            plan = next(plan for plan in plans if cause.places(plan))
            with self.subTest(key):
                for wrong in cause.wrongs(key, plan):
                    self.assertIsNotNone(Bay(plan, frozenset((wrong,))).vehicle)


class Causes(unittest.TestCase):
    """What each of them does to what is seen, by hand."""

    def screen(self, plan, wrong, running):
        return seen(Bay(plan, frozenset((wrong,))), Look("display", running), 14, 1)

    def test_the_screen_shows_what_crosses_the_shunt_by_scale_sign_zero_and_dead_band(self):
        plan = one_string()
        running = next(device for device in wire(plan).analysis.devices if device.id == "inverter").running_a
        for wrong, off, on in (
            (Wrong("sound"), -STANDBY_A, -running),
            (Wrong("reversed"), STANDBY_A, running),
            (Wrong("scale", "", 2.0), -2.0 * STANDBY_A, -2.0 * running),
            (Wrong("zero_offset", "", 0.5), 0.5 - STANDBY_A, 0.5 - running),
            (Wrong("dead_band", "", 0.8), 0.0, -running),
            (Wrong("load_bypass", "inverter_minus"), 0.0, 0.0),
        ):
            with self.subTest(wrong.cause):
                self.assertAlmostEqual(self.screen(plan, wrong, ""), off, places=6)
                self.assertAlmostEqual(self.screen(plan, wrong, "inverter"), on, places=6)
        self.assertIn("dark", self.screen(plan, Wrong("sense_fuse", "sense"), ""))
        self.assertIn("begins anew", self.screen(plan, Wrong("restarts"), "inverter"))
        bay = Bay(plan, frozenset((Wrong("zero_offset", "", 0.5),)))
        self.assertAlmostEqual(bay.shown_a(ALL_OUT), 0.5, places=9)  # nothing but its zero is left

    def test_a_second_bond_takes_its_part_of_what_returns_through_the_chassis_alone(self):
        plan = van(lambda plan: CAUSES["bond"].places(plan) and plan.bank.parallel == 1)
        wrong = Wrong("partial_return")
        # by hand: the bond and the second one lie beside feed, shunt and link
        network = Bay(plan, frozenset((wrong,))).wired.network()
        ohm = {edge.id: edge.ohm() for edge in network.edges}
        around = ohm["chassis_bond"] + ohm["second_bond"]
        through = ohm["feed_minus_busbar"] + ohm["shunt"] + ohm["shunt_link"]
        part = around / (around + through)
        sound = self.screen(plan, Wrong("sound"), "inverter")
        self.assertAlmostEqual(self.screen(plan, wrong, "inverter"), part * sound, places=6)
        fewer = ohm["second_bond"] / (around + through)
        lights, rest = (self.screen(plan, Wrong("sound"), each) for each in ("rear_lights", ""))
        wanted = fewer * (lights - rest) + part * rest
        self.assertAlmostEqual(self.screen(plan, wrong, "rear_lights"), wanted, places=6)
        bonded = Wrong("bond", "chassis_bond")
        self.assertAlmostEqual(self.screen(plan, bonded, "rear_lights"), rest, places=6)

    def test_a_weak_block_a_drain_a_short_charger_frost_and_what_stands_in_no_papers(self):
        plan = van(lambda plan: plan.bank.series > 1)
        weak, sound = (
            Bay(plan, frozenset((each,))) for each in (Wrong("weak_block", "A2", 5.0), Wrong("sound"))
        )
        drop = [seen(bay, Look("block", "inverter", "A2"), 14, 1) for bay in (sound, weak)]
        amps = -sound.shown_a("inverter")
        ohm = sound.wired.network().batteries["A2"][2]
        self.assertAlmostEqual(drop[0] - drop[1], 0.12 + 4.0 * ohm * amps, places=6)
        drained = Bay(plan, frozenset((Wrong("idle_drain", "inverter", 0.5),)))
        rest = sound.shown_a("")
        self.assertAlmostEqual(drained.shown_a(""), rest - 0.5, places=6)
        self.assertAlmostEqual(drained.shown_a("", pulled="inverter"), rest + STANDBY_A, delta=0.06)
        charger = CAUSES["short_charger"].places(plan)[0]
        short = Bay(plan, frozenset((Wrong("short_charger", charger),)))
        fell = seen(sound, Look("end", charger), 14, 1) - seen(short, Look("end", charger), 14, 1)
        self.assertAlmostEqual(fell, sound.vehicle.sources[0].absorption_v - 13.6, places=6)
        lithium = van(lambda plan: plan.bank.chemistry == "lfp" and CAUSES["charger_bypass"].places(plan))
        gives = CAUSES["short_charger"].places(lithium)[0]
        self.assertAlmostEqual(
            Bay(lithium, frozenset((Wrong("cold_refusal"),))).shown_a(gives), -STANDBY_A, 6
        )
        later = Bay(plan, frozenset((Wrong("added_later"),)))
        self.assertIn("one device more", seen(later, Look("labels"), 14, 1))
        self.assertIn("heater", seen(later, Look("owner"), 14, 1))
        self.assertIn("150 Ah", seen(Bay(plan, frozenset((Wrong("swapped"),))), Look("labels"), 14, 1))
        self.assertNotIn("150 Ah", seen(sound, Look("labels"), 14, 1))


class Scenes(unittest.TestCase):
    def test_a_battery_sags_by_its_own_ohms_and_a_lug_takes_its_part(self):
        plan = one_string()
        wired = wire(plan)
        draw = {"inverter": -80.0}
        scene = scene_of(wired, draw, open_v=13.0)
        ((plus, minus, ohm),) = wired.network().batteries.values()
        # by hand: 13 V less 80 A through the battery's own ohms
        self.assertAlmostEqual(scene.volts(plus, minus), 13.0 - 80.0 * ohm, places=9)
        self.assertAlmostEqual(scene.clamped_a(("inverter_minus",), toward="minus_busbar"), 80.0, places=6)
        self.assertAlmostEqual(scene.clamped_a(("shunt",), toward="shunt.bank"), 80.0, places=6)
        loose = scene_of(wire(plan, Faults(loose={"inverter_minus": 0.005})), draw, open_v=13.0)
        ends = ("inverter.minus", "minus_busbar")
        # by hand: 80 A over 5 mOhm are 0.4 V, and 80² x 5 mOhm = 32 W in the joint
        self.assertAlmostEqual(loose.volts(*ends) - scene.volts(*ends), 0.4, places=9)
        self.assertAlmostEqual(loose.warmth_k("inverter_minus"), 4.0 * 32.0, places=6)
        self.assertLess(scene.warmth_k("inverter_minus"), 8.0)
        # at rest a joint shows nothing
        rest = scene_of(wire(plan, Faults(loose={"inverter_minus": 0.005})), {}, open_v=13.0)
        self.assertAlmostEqual(rest.volts(*ends), 0.0, places=9)

    def test_in_every_case_what_flows_into_a_stud_flows_out_of_it(self):
        for case in CASES:
            amps = case.bay.amps("inverter")
            scene = case.bay.scene("inverter")
            sums = Counter()
            for edge in scene.network.edges:
                if not edge.is_battery:
                    sums[edge.a] -= scene.flow.amps[edge.id]
                    sums[edge.b] += scene.flow.amps[edge.id]
            for device in case.bay.analysis.devices:
                for stud, share in injection(device).items():
                    sums[stud] += share * -amps.get(device.id, 0.0)
            posts = {post for plus, minus, _ in scene.network.batteries.values() for post in (plus, minus)}
            for stud, total in sums.items():
                if stud not in posts:
                    self.assertAlmostEqual(total, 0.0, places=6, msg=f"{case.seed} {case.level} {stud}")

    def test_tips_on_what_nothing_joins_read_nothing_and_a_clamp_needs_its_end(self):
        scene = scene_of(wire(one_string()), {}, open_v=13.0)
        self.assertTrue(math.isnan(scene.volts("A1.plus", "nowhere")))
        with self.assertRaises(ValueError):
            scene.clamped_a(("inverter_minus",), toward="A1.plus")

    def test_instruments_err_within_their_sheets_and_the_same_look_shows_the_same(self):
        read = [METER.reads(12.8, seed, "bank") for seed in range(200)]
        self.assertEqual(METER.reads(12.8, 3, "bank"), read[3])
        self.assertLess(max(abs(value - 12.8) for value in read), 0.02 * 12.8)
        self.assertTrue(all(abs(value * 100 - round(value * 100)) < 1e-6 for value in read))
        self.assertEqual(CLAMP.reads(0.0, 1, "cable"), 0.0)
        self.assertTrue(math.isnan(METER.reads(math.nan, 1, "bank")))

    def test_a_loose_lug_on_no_cable_is_refused(self):
        with self.assertRaises(ValueError):
            wire(one_string(), Faults(loose={"nowhere": 0.1}))
