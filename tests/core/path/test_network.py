"""The network against networks solved by hand, and against another way of solving it."""

import math
import random
import unittest

import numpy as np

from tests.core.path.rigs import SHUNT, analysed, bank, cable, changed, device, drawing, sound
from volnik.core.path.cases import device_drops, solve_case, string_shares
from volnik.core.path.network import solve
from volnik.core.path.shares import injection
from volnik.core.rig.wiring import Bar, Wiring

CHASSIS = Bar(id="chassis", kind="chassis", name="Chassis")


def share(item, name):
    """Share of a device's current, in per cent."""
    return 100.0 * analysed(item).shares[name].value


class ByHand(unittest.TestCase):
    def test_a_device_on_the_busbar_is_counted_and_one_on_the_post_is_not(self):
        item = sound([device("fridge"), device("pump")])
        self.assertAlmostEqual(share(item, "fridge"), 100.0, places=6)
        moved = changed(item, {"op": "move_end", "cable": "pump_minus", "end": "b", "to": "A1.minus"})
        self.assertAlmostEqual(share(moved, "pump"), 0.0, places=6)
        self.assertAlmostEqual(share(moved, "fridge"), 100.0, places=6)
        self.assertEqual(
            [analysed(moved).shares[name].word for name in ("pump", "fridge")], ["uncounted", "counted"]
        )

    def test_a_second_way_by_the_chassis_divides_by_conductance(self):
        item = sound(
            None,
            None,
            cable("bond", "chassis", "A1.minus", 1.0, "16 mm²"),
            cable("earth", "chassis", "nb", 2.0, "16 mm²"),
            bars=(CHASSIS,),
        )
        # by hand, mΩ: 0.3 m of 70 mm² is 0.075, two joints 0.2. Shunt way, nb to post: 0.275 + 0.1 + 0.275 =
        # 0.65
        # chassis way: 2 m of 16 mm² 2.1875 + 0.2 + half a chassis 1.0, and 1.09375 + 0.2 + 1.0: 5.68125
        by_hand = 100.0 * (1 / 0.65) / (1 / 0.65 + 1 / 5.68125)  # 89.733 %
        self.assertAlmostEqual(by_hand, 89.733, places=3)
        self.assertAlmostEqual(share(item, "fridge"), by_hand, delta=0.001 * by_hand)
        found = analysed(item).shares["fridge"]
        # by hand, with every joint half and the chassis double: (0.35, 7.28125) mΩ; and the other way: (1.05,
        # 4.68125 - ...)
        # joints: shunt way 2 cables x 0.2 = 0.4; chassis way 0.4, chassis 2.0, the rest copper 0.25 + 3.28125
        ends = []
        for joint in (0.5, 2.0):
            for ground in (0.5, 2.0):
                shunt_way, other = 0.25 + 0.4 * joint, 3.28125 + 0.4 * joint + 2.0 * ground
                ends.append(other / (shunt_way + other))
        self.assertAlmostEqual(found.low, min(ends), places=6)
        self.assertAlmostEqual(found.high, max(ends), places=6)
        self.assertEqual(found.word, "partly")

    def test_a_shunt_turned_round_counts_with_the_wrong_sign(self):
        item = changed(sound(), {"op": "turn_shunt"})
        self.assertAlmostEqual(share(item, "fridge"), -100.0, places=6)
        self.assertEqual(analysed(item).shares["fridge"].word, "reversed")

    def test_two_equal_blocks_joined_on_the_rig_side_count_about_half(self):
        # by hand, from nb through a block to pb. A: link 0.275, shunt 0.1, link 0.275, block 4, main 0.275 =
        # 4.925 mΩ
        # B: 1 m of 35 mm² 0.5 + 0.2 = 0.7, block 4, its plus link 0.7, main shared
        item = drawing(
            [device("fridge")],
            bank("agm", 1, 2),
            Wiring(
                shunt=SHUNT,
                bars=(Bar(id="nb", kind="busbar", name="Negative busbar"),),
                cables=(
                    cable("shunt_link", "A1.minus", "shunt.bank", 0.3, "70 mm²"),
                    cable("rig_link", "shunt.rig", "nb", 0.3, "70 mm²"),
                    cable("minus_A1_B1", "nb", "B1.minus"),
                    cable("plus_A1_B1", "A1.plus", "B1.plus"),
                    cable("fridge_minus", "fridge.minus", "nb"),
                    cable("fridge_plus", "fridge.plus", "A1.plus"),
                ),
            ),
        )
        a, b = 0.275 + 0.1 + 0.275 + 4.0, 0.7 + 4.0 + 0.7
        self.assertAlmostEqual(share(item, "fridge"), 100.0 * b / (a + b), delta=0.05)  # 53.7 %

    def test_strings_share_as_their_ways_do(self):
        # two strings, both leads at the first: string B has the two links (0.3 m of 35 mm² + 0.2 = 0.35 mΩ)
        # more
        item = sound(
            [device("fridge")],
            bank("agm", 1, 2),
            cable("shunt_link", "A1.minus", "shunt.bank", 0.3, "70 mm²"),
            cable("plus_A1_B1", "A1.plus", "B1.plus", 0.3),
            cable("minus_A1_B1", "A1.minus", "B1.minus", 0.3),
        )
        looked = analysed(item)
        shares = string_shares(item.bank, solve_case(looked.network, looked.devices, "together").flow)
        self.assertAlmostEqual(shares[0], 4.7 / 8.7, places=4)  # by hand: 4.0 + 0.7 against 4.0
        diagonal = changed(item, {"op": "move_end", "cable": "shunt_link", "end": "a", "to": "B1.minus"})
        looked = analysed(diagonal)
        self.assertAlmostEqual(string_shares(item.bank, looked.together.flow)[0], 0.5, places=6)

    def test_a_blocks_stated_resistance_stands_before_the_assumed_one_and_is_not_doubted(self):
        item = sound(
            [device("fridge")],
            bank("agm", 1, 2),
            cable("shunt_link", "A1.minus", "shunt.bank", 0.3, "70 mm²"),
            cable("plus_A1_B1", "A1.plus", "B1.plus", 0.3),
            cable("minus_A1_B1", "A1.minus", "B1.minus", 0.3),
        )
        looked = analysed(item, stated_ohm=0.001)
        # by hand: 1 mΩ a block, string B with two links of 0.35 mΩ more: 1.7 against 1.0
        self.assertAlmostEqual(string_shares(item.bank, looked.together.flow)[0], 1.7 / 2.7, places=6)
        block = next(edge for edge in looked.network.edges if edge.id == "block:A1")
        self.assertEqual(block.parts, ((0.001, None),))

    def test_a_hull_is_known_by_its_kind_not_by_its_name(self):
        for kind, name, ohm in (("hull", "Keel", 0.0005), ("chassis", "Hull of steel", 0.002)):
            bar = Bar(id=kind, kind=kind, name=name)
            item = sound(None, None, cable("bond", kind, "nb", 1.0, "16 mm²"), bars=(bar,))
            edge = next(edge for edge in analysed(item).network.edges if edge.id == "bond")
            self.assertAlmostEqual(
                edge.ohm(), 0.00109375 + 0.0002 + ohm / 2
            )  # copper, two joints, half the ground

    def test_volts_and_heat_of_a_conductor(self):
        item = sound([device("fridge", current_a=20.0)])
        looked = analysed(item)
        flow = solve_case(looked.network, looked.devices, "one", "fridge").flow
        # by hand: 20 A through 1 m of 16 mm² 1.09375 mΩ + 0.2 = 1.29375 mΩ is 25.875 mV and 0.5175 W; the
        # shunt 2 mV
        self.assertAlmostEqual(abs(flow.lost_v["fridge_minus"]), 0.025875, places=6)
        self.assertAlmostEqual(flow.heat_w["fridge_minus"], 0.5175, places=4)
        self.assertAlmostEqual(flow.lost_v["shunt"], 0.002, places=6)
        # out and back: twice 1.29375, shunt 0.1, main, link and rig link 0.275 each: 3.5125 mΩ
        self.assertAlmostEqual(
            device_drops(looked.network, item.bank, {"fridge": 20.0}, looked.devices)["fridge"],
            20 * 3.5125e-3,
            places=6,
        )

    def test_an_engine_charger_counts_its_house_current_and_the_starter_stays_apart(self):
        devices = [
            device("starter", "starter"),
            device("dcdc", "dcdc", efficiency=0.8),
            device("crank", "cranking"),
        ]
        item = sound(
            devices,
            None,
            cable("starter_minus", "starter.minus", "nb"),
            cable("dcdc_far", "dcdc.far", "starter.plus"),
            cable("crank_minus", "crank.minus", "starter.minus"),
            cable("crank_plus", "crank.plus", "starter.plus"),
        )
        item = changed(item, {"op": "remove_cable", "cable": "starter_plus"})
        self.assertAlmostEqual(share(item, "dcdc"), 100.0, places=5)
        self.assertAlmostEqual(share(item, "crank"), 0.0, places=5)
        self.assertEqual(analysed(item).shares["crank"].word, "apart")
        wrong = changed(item, {"op": "move_end", "cable": "starter_minus", "end": "b", "to": "A1.minus"})
        # by hand: at 12.0 V it takes 14.4 / 0.8 / 12 = 1.5 A for each it gives at 14.4, and those return past
        # the shunt: 1 - 1.5 = -50 %
        self.assertAlmostEqual(share(wrong, "dcdc"), -50.0, places=4)

    def test_what_floats_is_named(self):
        for cut, message in (
            ("fridge_minus", "minus of the fridge is not joined"),
            ("rig_link", "nothing in common"),
        ):
            with self.subTest(cut):
                found = analysed(changed(sound(), {"op": "remove_cable", "cable": cut})).shares["fridge"]
                self.assertTrue(math.isnan(found.value))
                self.assertIn(message, found.missing_reason)
        with self.assertRaisesRegex(ValueError, "sum to zero"):
            solve(analysed(sound()).network, {"nb": 1.0})


class AnotherWay(unittest.TestCase):
    def test_random_networks_agree_with_a_plain_nodal_solution(self):
        """Kirchhoff's equations for potentials and branch currents together, solved by least squares.

        No Laplacian, no reciprocity.
        """
        rng = random.Random(7)
        for case in range(12):
            devices = [device(f"d{at}", current_a=1.0) for at in range(rng.randint(2, 14))]
            parallel = rng.choice([1, 2, 3])
            places = ["nb", "chassis", "A1.minus", "shunt.rig", "shunt.bank", f"{chr(64 + parallel)}1.minus"]
            extra = [
                cable(
                    f"{device.id}_minus",
                    f"{device.id}.minus",
                    rng.choice(places),
                    rng.uniform(0.2, 5),
                    "6 mm²",
                )
                for device in devices
            ]
            extra.append(
                cable("bond", "chassis", rng.choice(["nb", "A1.minus"]), rng.uniform(0.2, 3), "16 mm²")
            )
            extra += [
                cable(f"x{at}", *rng.sample(places[:3], 2), rng.uniform(0.2, 3), "16 mm²")
                for at in range(rng.randint(1, 3))
            ]
            looked = analysed(sound(devices, bank("agm", 1, parallel), *extra, bars=(CHASSIS,)))
            network = looked.network
            names, edges = list(network.studs), network.edges
            rows = len(names) + len(edges)
            matrix = np.zeros((rows, rows))
            for at, edge in enumerate(edges):  # current leaves a, enters b; and x_a - x_b - R i = 0
                a, b, current = names.index(edge.a), names.index(edge.b), len(names) + at
                matrix[a, current], matrix[b, current] = 1.0, -1.0
                matrix[current, a], matrix[current, b], matrix[current, current] = 1.0, -1.0, -edge.ohm()
            shunt_row = len(names) + [edge.id for edge in edges].index("shunt")
            for item in looked.devices:
                right = np.zeros(rows)
                for stud, amps in injection(item).items():
                    right[names.index(stud)] += amps
                answer = np.linalg.lstsq(matrix, right, rcond=1e-13)[0]
                with self.subTest(case=case, device=item.id):
                    self.assertAlmostEqual(looked.shares[item.id].value, answer[shunt_row], delta=1e-6)
                    flow = solve(network, injection(item))
                    self.assertAlmostEqual(flow.amps["shunt"], answer[shunt_row], delta=1e-6)
