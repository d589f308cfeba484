"""Fuses on the way from the bank, the worst currents, and what the take-off does, against sums by hand."""

import unittest

from tests.core.path.rigs import analysed, bank, cable, changed, device, sound
from volnik.core.path.cases import case_amps, solve_case, spread, string_shares
from volnik.core.path.findings.bank import takeoff_shares
from volnik.core.path.findings.cables import right_stack, stud_torque
from volnik.core.path.findings.fuses import charge_top_v
from volnik.core.path.findings.mends import fitting_fuse
from volnik.core.path.protection.circuit import Circuit
from volnik.core.path.protection.cut import main_cut_of
from volnik.core.path.protection.short import Shorts
from volnik.core.path.sizing import choose_cable, choose_shunt, worst_charge, worst_discharge
from volnik.core.shelf.parts import starting_catalogue

SHELF = starting_catalogue()


class Fuses(unittest.TestCase):
    def test_a_fuse_is_at_least_a_quarter_over_the_load_and_no_more_than_the_cable(self):
        rows = [
            (10.0, 45.0, 15.0),
            (12.0, 45.0, 15.0),
            (12.1, 45.0, 20.0),
            (40.0, 45.0, None),
            (40.0, None, 50.0),
            (0.1, 20.0, 1.0),
            (900.0, None, None),
        ]
        for load, carries, fuse in rows:
            with self.subTest(load=load, carries=carries):
                self.assertEqual(fitting_fuse(load, carries), fuse)

    def test_the_short_that_a_fuse_must_break(self):
        # by hand: 110 Ah AGM is 4 mΩ x 100 / 110 = 3.636 mΩ; a fuse at its post sees 12 V / 3.636 mΩ
        agm = analysed(sound(None, bank("agm", 1, 1, ah=110.0)))
        self.assertAlmostEqual(self._short(agm, "main", "a", 200.0).ka, 3.3, delta=0.02)
        # seen from the bar's end, nothing stands behind: the short comes through the cable itself,
        # 3.636 + 0.3 m of 70 mm² 0.075 + two joints 0.2 = 3.911 mΩ
        self.assertAlmostEqual(self._short(agm, "fridge_plus", "b", 100.0).ka, 12.0 / 3.911, delta=0.02)
        # two blocks in series: twice the volts over twice the ohms
        series = analysed(sound(None, bank("agm", 2, 1, ah=100.0)))
        self.assertAlmostEqual(self._short(series, "main", "a", 200.0).ka, 3.0, delta=0.02)
        # a fuse of 5 A bounds its own: 0.07 / 5 = 14 mΩ beside 3.911
        self.assertAlmostEqual(self._short(agm, "fridge_plus", "b", 5.0).ka, 12.0 / 17.911, delta=0.02)
        stated = analysed(sound(None, bank("lfp", short_ka=2.8)))
        found = self._short(stated, "main", "a", 200.0)
        self.assertAlmostEqual(found.ka, 2.8, delta=0.02)
        self.assertFalse(found.is_assumed)

    def _short(self, analysis, cable_id, end, amps):
        return Shorts(analysis, Circuit(analysis).volts).through(cable_id, end, amps)

    def test_the_highest_charge_volts_are_the_chargers_own_or_the_chemistrys(self):
        self.assertAlmostEqual(charge_top_v(analysed(sound(None, bank("agm", 4)))), 4 * 14.7, places=6)
        high = sound([device("mains", "mains", absorption_v=61.0)], bank("agm", 4))
        self.assertEqual(charge_top_v(analysed(high)), 61.0)


class Sizes(unittest.TestCase):
    def test_a_load_that_never_runs_with_others_counts_alone(self):
        lone = [
            device("windlass", "windlass", current_a=80.0),
            device("fridge", current_a=5.0),
            device("heater", current_a=2.0),
        ]
        worst = worst_discharge(analysed(sound(lone)))
        self.assertEqual((worst.careful_a, worst.peak_a), (80.0, 180.0))
        many = [*lone, device("pump", current_a=90.0)]
        self.assertEqual(
            worst_discharge(analysed(sound(many))).careful_a, 97.0
        )  # 5 + 2 + 90, the windlass not with them
        self.assertEqual(case_amps("together", analysed(sound(lone)).devices), {"fridge": 5.0, "heater": 2.0})

    def test_chargers_add_up_and_devices_of_another_battery_stay_out(self):
        devices = [
            device("solar", "solar", most_a=20.0),
            device("both", "inverter_charger", most_a=70.0),
            device("starter", "starter"),
            device("alt", "alternator", most_a=55.0),
        ]
        drawing = sound(
            devices,
            None,
            cable("alt_plus", "alt.plus", "starter.plus"),
            cable("alt_minus", "alt.minus", "starter.minus"),
        )
        drawing = changed(drawing, {"op": "remove_cable", "cable": "starter_plus"})
        self.assertEqual(worst_charge(analysed(drawing)).careful_a, 90.0)
        # nobody drives on a shore cable: 20 + 70 moored is more than 20 + 55 under way
        self.assertEqual(case_amps("chargers", analysed(drawing).devices), {"solar": 20.0, "both": 70.0})
        looked = analysed(drawing)
        flow = solve_case(looked.network, looked.devices, "chargers").flow
        self.assertAlmostEqual(
            flow.amps["shunt"], -90.0, places=6
        )  # into the bank, against the discharge's sense
        self.assertAlmostEqual(
            looked.together.flow.amps["shunt"],
            sum(device.running_a for device in looked.devices if device.takes),
            places=6,
        )

    def test_the_smallest_part_that_will_do(self):
        heavy = analysed(
            sound([device("inverter", power_w=1800.0, efficiency=0.9, surge_a=350.0)], bank("lfp"))
        )
        self.assertEqual(choose_shunt(heavy, SHELF).name, "Causeway 300")
        self.assertIsNone(choose_shunt(analysed(sound([device("x", current_a=900.0)])), SHELF))
        self.assertEqual(choose_cable(100.0, 1.0, 99.0, SHELF).size, "16 mm²")  # 10 mm² carries 90
        self.assertEqual(choose_cable(100.0, 1.0, 99.0, SHELF, awg=True).size, "6 AWG")
        # by hand: 100 A over 2 m out and back may lose 0.1 V: 0.0175 x 4 / A x 100 <= 0.1, A >= 70 mm²
        self.assertEqual(choose_cable(100.0, 2.0, 0.1, SHELF, one_way=False).size, "70 mm²")
        self.assertIsNone(choose_cable(2000.0, 1.0, 99.0, SHELF))
        self.assertEqual(main_cut_of(heavy).largest_a, 200.0)

    def test_the_stack_and_the_torque_of_a_stud(self):
        drawing = sound([device("fridge", current_a=5.0)])
        looked = analysed(drawing)
        self.assertEqual(right_stack(looked, looked.by_stud["A1.plus"]), ["main", "sense"])
        self.assertEqual(
            [stud_torque(looked, stud) for stud in ("A1.plus", "shunt.bank", "nb")], [10.0, 19.0, 10.0]
        )
        typed = analysed(
            changed(drawing, {"op": "set_stud", "stud": "A1.plus", "thread": "3/8 in", "torque_nm": 12.5})
        )
        self.assertEqual((stud_torque(typed, "A1.plus"), typed.studs["A1.plus"].thread), (12.5, "3/8 in"))


class TakeOffs(unittest.TestCase):
    def test_three_strings_share_better_from_opposite_ends(self):
        links = [
            cable(f"{pole}_{a}1_{b}1", f"{a}1.{pole}", f"{b}1.{pole}", 0.3)
            for a, b in ("AB", "BC")
            for pole in ("plus", "minus")
        ]
        drawing = sound(
            [device("fridge"), device("solar", "solar")],
            bank("agm", 1, 3),
            cable("shunt_link", "A1.minus", "shunt.bank", 0.3),
            *links,
        )
        looked = analysed(drawing)
        found = takeoff_shares(looked)
        # by hand, mΩ: block 4, each link 0.35. From one end the voltages stack: the far string has 4 links
        # more than the first
        # i3 (4) + 2 x 0.35 i3 = 4 i2 ; i2 x 4 + 2 x 0.35 (i2 + i3) = 4 i1
        third = 1.0
        second = (4.0 + 0.7) / 4.0 * third
        first = second + 0.7 * (second + third) / 4.0
        total = first + second + third
        for share, by_hand in zip(found.discharge, (first, second, third), strict=True):
            self.assertAlmostEqual(share, by_hand / total, places=4)
        self.assertEqual(found.better, "C1.minus")
        self.assertLess(spread(found.better_discharge), 0.6 * spread(found.discharge))
        moved = analysed(
            changed(drawing, {"op": "move_end", "cable": "shunt_link", "end": "a", "to": "C1.minus"})
        )
        self.assertEqual(
            [round(share, 9) for share in string_shares(drawing.bank, moved.together.flow)],
            [round(share, 9) for share in found.better_discharge],
        )
        self.assertIsNone(takeoff_shares(analysed(sound())))
