"""Cases and scenes: instruments read the solved network, against sums by hand; drawn cases are whole."""

import math
import unittest
from collections import Counter
from dataclasses import replace

from volnik.core.path.shares import injection
from volnik.core.practice.cases import AT_LEVEL, drawn
from volnik.core.practice.faults import faults
from volnik.core.practice.scene import CLAMP, METER, scene_of
from volnik.core.simulation.wired import Faults, wire

CASES = [drawn(seed, level) for level in AT_LEVEL for seed in range(12)]


def one_string():
    """A sound rig of one battery, from the cases themselves."""
    return next(case for case in CASES if case.plan.bank.blocks == 1)


class Drawn(unittest.TestCase):
    def test_the_same_seed_and_level_give_the_same_case_and_others_are_refused(self):
        self.assertEqual(drawn(5, 2), drawn(5, 2))
        self.assertNotEqual(drawn(5, 2), drawn(6, 2))
        for seed, level in ((-1, 1), (0, 0), (0, 4)):
            with self.assertRaises(ValueError):
                drawn(seed, level)

    def test_each_is_sound_but_for_its_fault_which_has_a_page(self):
        seen = Counter()
        for case in CASES:
            with self.subTest(seed=case.seed, level=case.level, fault=case.fault):
                self.assertIn(case.fault, faults())
                sound = wire(case.plan).analysis.shares
                self.assertTrue(all(abs(share.value - 1.0) < 0.005 for share in sound.values()))
                wired = wire(case.plan, case.faults)
                off = [name for name, share in wired.analysis.shares.items() if share.word != "counted"]
                if case.fault in ("load_bypass", "charger_bypass"):
                    self.assertEqual([f"{name}_minus" for name in off], [case.where])
                    self.assertEqual(wired.analysis.shares[off[0]].word, "uncounted")
                elif case.fault == "second_negative":
                    self.assertGreater(len(off), 1)
                else:
                    self.assertEqual(off, [])
                seen[case.fault] += 1
        self.assertGreaterEqual(len(seen), 7)


class Scenes(unittest.TestCase):
    def test_a_battery_sags_by_its_own_ohms_and_a_lug_takes_its_part(self):
        case = one_string()
        wired = wire(case.plan)
        draw = {"inverter": -80.0}
        scene = scene_of(wired, draw, open_v=13.0)
        ((plus, minus, ohm),) = wired.network().batteries.values()
        # by hand: 13 V less 80 A through the battery's own ohms
        self.assertAlmostEqual(scene.volts(plus, minus), 13.0 - 80.0 * ohm, places=9)
        self.assertAlmostEqual(scene.clamped_a(("inverter_minus",), toward="minus_busbar"), 80.0, places=6)
        self.assertAlmostEqual(scene.clamped_a(("shunt",), toward="shunt.bank"), 80.0, places=6)
        loose = scene_of(wire(case.plan, Faults(loose={"inverter_minus": 0.005})), draw, open_v=13.0)
        ends = ("inverter.minus", "minus_busbar")
        # by hand: 80 A over 5 mOhm are 0.4 V, and 80² x 5 mOhm = 32 W in the joint
        self.assertAlmostEqual(loose.volts(*ends) - scene.volts(*ends), 0.4, places=9)
        self.assertAlmostEqual(loose.warmth_k("inverter_minus"), 4.0 * 32.0, places=6)
        self.assertLess(scene.warmth_k("inverter_minus"), 8.0)
        # at rest a joint shows nothing
        rest = scene_of(wire(case.plan, Faults(loose={"inverter_minus": 0.005})), {}, open_v=13.0)
        self.assertAlmostEqual(rest.volts(*ends), 0.0, places=9)

    def test_what_goes_past_the_shunt_the_clamp_sees_and_the_shunt_does_not(self):
        case = next(case for case in CASES if case.fault == "load_bypass")
        wired = wire(case.plan, case.faults)
        device = case.where.removesuffix("_minus")
        scene = scene_of(wired, {device: -6.0}, open_v=12.9)
        post = wired.analysis.wiring.cable(case.where).b
        self.assertAlmostEqual(scene.clamped_a((case.where,), toward=post), 6.0, places=6)
        self.assertAlmostEqual(scene.clamped_a(("shunt",), toward="shunt.bank"), 0.0, places=6)

    def test_in_every_case_what_flows_into_a_stud_flows_out_of_it(self):
        for case in CASES:
            wired = wire(case.plan, case.faults)
            loads = {device.id: -device.running_a for device in wired.analysis.devices if not device.gives}
            scene = scene_of(wired, loads, open_v=wired.vehicle.bank.cells * 2.1)
            sums = Counter()
            for edge in scene.network.edges:
                if not edge.is_battery:
                    sums[edge.a] -= scene.flow.amps[edge.id]
                    sums[edge.b] += scene.flow.amps[edge.id]
            for device in wired.analysis.devices:
                for stud, share in injection(device).items():
                    sums[stud] += share * -loads.get(device.id, 0.0)
            posts = {post for plus, minus, _ in scene.network.batteries.values() for post in (plus, minus)}
            for stud, total in sums.items():
                if stud not in posts:
                    self.assertAlmostEqual(total, 0.0, places=6, msg=f"{case.seed} {case.level} {stud}")

    def test_tips_on_what_nothing_joins_read_nothing_and_a_clamp_needs_its_end(self):
        scene = scene_of(wire(one_string().plan), {}, open_v=13.0)
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
            wire(replace(one_string().plan), Faults(loose={"nowhere": 0.1}))
