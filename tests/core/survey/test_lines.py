"""Devices typed one a line, and what an old gauge's lamps mean."""

import unittest

from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.rig.devices import Device, drawn
from volnik.core.rig.wiring import Wiring
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.presets import PRESETS
from volnik.core.survey.gauge import read_lamps, usual_lamps
from volnik.core.survey.lines import enter, kind_of

BANK = Bank("gel", 6, 1, 2, CapacityLabel("nameplate", ah=120.0), takeoff="one_end")


def typed(text, devices=(), wiring=None):
    """What a text of lines leads to."""
    return enter(text, BANK, tuple(devices), wiring or Wiring(), PRESETS)


class Lines(unittest.TestCase):
    def test_a_line_says_what_it_says(self):
        found = typed(
            "Galley heater; 2,5 A; start 9 A; fuse 15 A; 6 mm²; 1.5 m; B1; duty 40 %; 6-9 17-23; alone"
        )
        self.assertEqual(found.problems, {})
        device = found.devices[0]
        self.assertEqual(
            (device.kind, device.current_a, device.start_a, device.duty, device.hours, device.together),
            ("heater", 2.5, 9.0, 0.4, ((6, 9), (17, 23)), False),
        )
        minus, plus = found.wiring.cable("galley_heater_minus"), found.wiring.cable("galley_heater_plus")
        self.assertEqual((minus.b, minus.size, minus.length_m), ("B1.minus", "6 mm²", 1.5))
        self.assertEqual((plus.b, plus.fuse.amps, minus.fuse), ("A1.plus", 15.0, None))

    def test_a_shunt_somebody_fitted_is_drawn_with_its_leads_and_nothing_is_moved(self):
        found = typed(
            "Heater, 2 A, battery post, fuse 15 A\nShunt, 500 A, 50 mV, B1\nLights, 3 A, rig side, fuse 10 A"
        )
        self.assertEqual(found.problems, {})
        wiring = found.wiring
        self.assertEqual((wiring.shunt.amps, wiring.shunt.mv), (500.0, 50.0))
        self.assertEqual(
            (wiring.cable("shunt_link").a, wiring.cable("shunt_link").b), ("B1.minus", "shunt.bank")
        )
        self.assertEqual(wiring.cable("heater_minus").b, "A1.minus")
        self.assertEqual(wiring.cable("lights_minus").b, "shunt.rig")
        self.assertEqual([device.id for device in found.devices], ["heater", "lights"])
        self.assertIn("Say what is printed on the shunt", typed("Shunt, 500 A").problems[1])
        self.assertIn("drawn already", typed("Shunt, 300 A, 50 mV", wiring=wiring).problems[1])

    def test_a_fuse_block_is_one_place_on_the_bar_with_many_circuits(self):
        found = typed(
            "\n".join(f"Load {at}, 2 A, busbar, plus fuse block, fuse 5 A, 2.5 mm²" for at in range(7))
        )
        self.assertEqual(found.problems, {})
        block = next(bar for bar in found.wiring.bars if bar.kind == "fuse_block")
        self.assertEqual((block.pole, block.name), ("plus", "Fuse block"))
        self.assertEqual(len(found.wiring.at(block.id)), 8)  # seven circuits and its feed
        self.assertEqual(len([cable for cable in found.wiring.at("A1.plus") if cable.b == block.id]), 1)

    def test_what_carries_no_current_and_what_joins_batteries_are_told_apart(self):
        found = typed(
            "Solar volts sense, 0 mA, battery post\nBalancer, battery post\nSplit charge relay, 100 A"
        )
        self.assertEqual(found.problems, {})
        sense, balancer, relay = (drawn(device, PRESETS, 12.0) for device in found.devices)
        self.assertTrue(sense.is_current_free and balancer.is_current_free)
        self.assertEqual(
            (relay.device.kind, relay.device.rated_a, relay.running_a), ("split_relay", 100.0, 0.0)
        )

    def test_every_figure_in_the_ways_people_write_it(self):
        for part, field, value in (
            ("6 A", "current_a", 6.0),
            ("6A", "current_a", 6.0),
            ("draws 6 A", "current_a", 6.0),
            ("0,35 A", "current_a", 0.35),
            ("350 mA", "current_a", 0.35),
            ("72 W", "power_w", 72.0),
            ("0.6 kW", "power_w", 600.0),
            ("peak 12 A", "surge_a", 12.0),
            ("Surge 12 a", "surge_a", 12.0),
            ("start 9 A", "start_a", 9.0),
            ("start 30 s", "start_s", 30.0),
            ("standby 20 mA", "standby_a", 0.02),
            ("idle 0.1 A", "standby_a", 0.1),
            ("duty 35 %", "duty", 0.35),
            ("duty 35%", "duty", 0.35),
            ("efficiency 88 %", "efficiency", 0.88),
            ("eff 88 %", "efficiency", 0.88),
            ("7-21", "hours", ((7.0, 21.0),)),
            ("7:30-21:15", "hours", ((7.5, 21.25),)),
            ("7 to 9", "hours", ((7.0, 9.0),)),
            ("22–6 h", "hours", ((22.0, 6.0),)),
            ("6-9 and 17-23", "hours", ((6.0, 9.0), (17.0, 23.0))),
            ("alone", "together", False),
            ("together", "together", True),
            ("safety", "safety", True),
            ("must not go dead", "safety", True),
        ):
            with self.subTest(part):
                found = typed(f"Water pump, {part}")
                self.assertEqual(found.problems, {})
                self.assertEqual(getattr(found.devices[0], field), value)

    def test_what_a_source_says_of_itself(self):
        for line, field, value in (
            ("Solar, 30 A", "most_a", 30.0),
            ("Solar, gives 30 A", "most_a", 30.0),
            ("Solar, 400 W", "panel_w", 400.0),
            ("Solar, panel 400 W", "panel_w", 400.0),
            ("Mains charger, absorption 14,4 V", "absorption_v", 14.4),
            ("Mains charger, float 13.5 V", "float_v", 13.5),
            ("Mains charger, absorption 2 h", "absorption_h", 2.0),
            ("Mains charger, end 4 A", "end_a", 4.0),
            ("Mains charger, slope -4 mV", "slope_mv_c", -4.0),
            ("Mains charger, slope −4 mV/°C", "slope_mv_c", -4.0),
        ):
            with self.subTest(line):
                found = typed(line)
                self.assertEqual(found.problems, {})
                self.assertEqual(getattr(found.devices[0], field), value)

    def test_cables_and_fuses_in_the_ways_people_write_them(self):
        for part, size, length_m, fuse_a in (
            ("6 mm²", "6 mm²", None, None),
            ("6mm2", "6 mm²", None, None),
            ("6 mm", "6 mm²", None, None),
            ("10 AWG", "10 AWG", None, None),
            ("AWG 10", "10 AWG", None, None),
            ("2/0 AWG", "2/0 AWG", None, None),
            ("2 m", "", 2.0, None),
            ("0,5 m", "", 0.5, None),
            ("fuse 15 A", "", None, 15.0),
            ("fuse 7,5 A", "", None, 7.5),
            ("no fuse", "", None, None),
            ("unfused", "", None, None),
        ):
            with self.subTest(part):
                found = typed(f"Water pump, 6 A, {part}")
                self.assertEqual(found.problems, {})
                plus = found.wiring.cable("water_pump_plus")
                self.assertEqual((plus.size, plus.length_m), (size, length_m))
                self.assertEqual(plus.fuse.amps if plus.fuse else None, fuse_a)

    def test_a_line_that_cannot_be_read_says_what_it_wants(self):
        for line, said in (
            ("Pump, 6", "needs a unit"),
            ("Pump, 6,5", "needs a unit"),
            ("Pump, 6 V", "cannot be read"),
            ("Pump, peak 6 V", "cannot be read"),
            ("Pump, glow 6 A", "known words are peak, start"),
            ("Pump, fuse 0 A", "more than 0 A"),
            ("Pump, 0 m", "longer than 0 m"),
            ("Pump, duty 140 %", "at most 1"),
            ("Pump, -6 A", "0"),
            ("Pump, efficiency 0 %", "efficiency"),
            ("Mains charger, slope -24 mV", "−4 a cell"),
            ("Pump, peak -3 A", "peak must be"),
            ("Pump, rig side", "No shunt is drawn yet"),
            ("Pump, 6 A, the moon", "Nothing here is called"),
            ("Pump, B9", "Nothing here is called"),
            (", 6 A", "Begin with the device's name"),
            (": pump, 6 A", "Begin with the device's name"),
            ("Chassis bond, chassis", "bonded to"),
        ):
            with self.subTest(line):
                found = typed(line)
                self.assertEqual(list(found.problems), [1])
                self.assertIn(said, found.problems[1])
                self.assertEqual(found.devices, ())

    def test_landings_by_their_words(self):
        rows = [
            ("battery post", "A1.minus"),
            ("on the negative post", "A1.minus"),
            ("b1", "B1.minus"),
            ("busbar", "minus_busbar"),
            ("chassis", "chassis"),
            ("the chassis", "chassis"),
            ("frame", "chassis"),
            ("hull", "hull"),
            ("post", "A1.minus"),
            ("Battery", "A1.minus"),
            ("at the battery", "A1.minus"),
            ("a1", "A1.minus"),
            ("A1 post", "A1.minus"),
            ("the negative busbar", "minus_busbar"),
            ("bus", "minus_busbar"),
            ("fuse panel", "minus_busbar"),
        ]
        for words, stud in rows:
            with self.subTest(words):
                self.assertEqual(typed(f"Pump, 6 A, {words}").wiring.cable("pump_minus").b, stud)
        unknown = typed("Pump, 6 A, ?")
        self.assertEqual((unknown.problems, unknown.wiring.cable("pump_minus")), ({}, None))
        boat = typed(
            "DC-DC charger, 20 A, battery post\nTrickle, 2 A, starter\nStarter motor, starter\n"
            "Starter battery, battery post\nAlternator, 55 A, starter battery"
        )
        self.assertEqual(list(boat.problems), [2, 3])  # no starter battery stands above these lines
        self.assertEqual(boat.wiring.cable("dc_dc_charger_far").b, "starter_battery.plus")
        self.assertEqual(
            (boat.wiring.cable("alternator_plus").b, boat.wiring.cable("alternator_minus").b),
            ("starter_battery.plus", "starter_battery.minus"),
        )

    def test_a_bad_line_is_told_by_its_number_and_the_others_are_kept(self):
        found = typed(
            "Pump, 6 A, battery post\nRadio, 25\n\nMast, 3 A, moon\nFridge, 4 A, -2 m\nFan, 3 A, "
            "fuse -1 A\n, 3 A\nLamp, 6 furlongs 3\nLights, duty 140 %, 3 A\nSocket, 300 W, 5 A"
        )
        self.assertEqual([device.id for device in found.devices], ["pump"])
        for number, words in {
            2: "needs a unit",
            4: "called “moon”",
            5: "longer than 0 m, got -2",
            6: "more than 0 A",
            7: "Begin with",
            8: "cannot be read",
            9: "at most 1",
            10: "same thing",
        }.items():
            with self.subTest(number):
                self.assertIn(words, found.problems[number])
        self.assertNotIn(1, found.problems)

    def test_a_table_pasted_with_headings(self):
        found = typed(
            "Device\tCurrent A\tLanding\tFuse A\tPeak (A)\nPump\t6\tpost\t10\t12\nLights\t3\tbusbar\t\t\n"
        )
        self.assertEqual(found.problems, {})
        self.assertEqual(
            [(device.name, device.current_a, device.surge_a) for device in found.devices],
            [("Pump", 6.0, 12.0), ("Lights", 3.0, None)],
        )
        self.assertEqual(found.wiring.cable("pump_plus").fuse.amps, 10.0)
        self.assertEqual(len(typed("\n".join("Pump, 1 A" for _ in range(220))).devices), 200)

    def test_a_line_of_thousands_of_letters_is_refused_at_once(self):
        found = typed("Pump, 6 A\nx, a" + " " * 20_000 + "!\n" + "y" * 20_000 + ", 1 A\nLights, 3 A")
        self.assertEqual([device.name for device in found.devices], ["Pump", "Lights"])
        self.assertEqual(sorted(found.problems), [2, 3])
        self.assertIn("at most 100 letters", found.problems[2])

    def test_the_kind_is_told_by_the_longest_known_word(self):
        rows = {
            "Diesel heater": "heater",
            "Bilge pump": "bilge",
            "Pump": "pump",
            "Vaccine fridge": "medical",
            "Bow thruster": "thruster",
            "Thing": "load",
            "Solar": "solar",
            "Roof fan": "fan",
            "Fan heater": "heater",
            "Cabin lights": "lights",
            "LED strip": "lights",
            "Windlass": "windlass",
            "Anchor winch": "windlass",
            "Alternator": "alternator",
            "DC-DC charger": "dcdc",
            "Shore charger": "mains",
            "Inverter": "inverter",
            "Inverter charger": "inverter_charger",
            "Cool box": "fridge",
            "Gas alarm": "alarm",
            "USB sockets": "socket",
            "Wind turbine": "wind",
            "Starter motor": "cranking",
            "Starter battery": "starter",
            "PUMP": "pump",
            "pumpkin lamp": "lights",
            "Engine room fan": "fan",
            "Engine blower": "fan",
            "Chassis battery": "starter",
            "Ground tackle winch": "windlass",
            "VSR": "split_relay",
            "MPPT": "solar",
            "Battery-to-battery charger": "dcdc",
            "Engine DC-DC": "dcdc",
            "Engine start battery": "starter",
            "Immersion heater": "load",
            "Generator": "generator",
            "Leisure battery charger": "mains",
        }
        self.assertEqual({name: kind_of(name, PRESETS) for name in rows}, rows)

    def test_a_line_is_read_as_people_type_it(self):
        rows = {
            "Fridge 45W": ("Fridge", "power_w", 45.0),
            "Fridge 3 amps": ("Fridge", "current_a", 3.0),
            "Diesel heater, 2.5 amps": ("Diesel heater", "current_a", 2.5),
            "2x fan 0.5A": ("fan", "current_a", 1.0),
            "Fan x3, 0,4 A": ("Fan", "current_a", 1.2),
            "LED lights - 24 watts": ("LED lights", "power_w", 24.0),
            "Solar 2 x 100 Wp": ("Solar", "panel_w", 200.0),
            "Inverter 2kW": ("Inverter", "power_w", 2000.0),
            "Inverter (1500 W)": ("Inverter", "power_w", 1500.0),
            "Pump 6A peak 10A": ("Pump", "surge_a", 10.0),
            "12V socket 5A": ("12V socket", "current_a", 5.0),
            "Radio: radio 1.5A": ("Radio: radio 1.5A", None, None),
        }
        for line, (name, figure, value) in rows.items():
            with self.subTest(line):
                found = typed(line)
                if figure is None:
                    continue
                self.assertEqual(found.problems, {})
                self.assertEqual(found.devices[0].name, name)
                self.assertAlmostEqual(getattr(found.devices[0], figure), value)

    def test_fuses_sizes_and_places_are_read_without_commas(self):
        for line, minus, fuse_a, size in (
            ("Fridge 45W 10A fuse", None, 10.0, ""),
            ("Fridge 45W fuse 10A 2.5mm2", None, 10.0, "2.5 mm²"),
            ("Fridge 5A on battery post", "A1.minus", None, ""),
            ("Fridge 5 A to the chassis", "chassis", None, ""),
            ("Fridge 5A 7.5 amp breaker via busbar", "minus_busbar", 7.5, ""),
        ):
            with self.subTest(line):
                found = typed(line)
                self.assertEqual((found.problems, found.devices[0].name), ({}, "Fridge"))
                cables = found.wiring
                if minus:
                    self.assertEqual(cables.cable("fridge_minus").b, minus)
                plus = cables.cable("fridge_plus")
                self.assertEqual((plus.fuse and plus.fuse.amps, plus.size), (fuse_a, size))

    def test_watts_of_a_panel_become_amps(self):
        item = drawn(typed("Solar, 400 W").devices[0], PRESETS, 12.8)
        self.assertAlmostEqual(item.gives_a, 28.2, places=1)  # by hand: 400 / 14.2
        self.assertAlmostEqual(drawn(typed("Solar 400W").devices[0], PRESETS, 25.6).gives_a, 14.1, places=1)
        self.assertEqual(drawn(typed("Solar, 400 W, 25 A").devices[0], PRESETS, 12.8).gives_a, 25.0)

    def test_unknown_figures_are_the_presets_marked_and_scaled(self):
        item = drawn(Device(id="f", kind="fridge", name="F"), PRESETS, 25.6)
        self.assertEqual(
            (item.running_a, "current_a" in item.assumed), (2.25, True)
        )  # by hand: 4.5 A at 12 V is 2.25 at 24
        stated = drawn(Device(id="f", kind="fridge", name="F", power_w=60.0), PRESETS, 12.8)
        self.assertAlmostEqual(stated.running_a, 60 / 11.52)
        self.assertNotIn("current_a", stated.assumed)
        solar = drawn(Device(id="s", kind="solar", name="S"), PRESETS, 51.2)
        self.assertEqual((solar.figures["absorption_v"], solar.gives_a), (57.6, 5.0))


class Lamps(unittest.TestCase):
    def test_a_lamps_volts_are_a_charge_by_the_rest_curve(self):
        for chemistry, cells, series, volts, charge in (  # between two points of the table, by hand
            ("flooded", 6, 1, 12.70, 1.0),
            ("flooded", 6, 1, 12.36, 0.625),
            ("flooded", 6, 1, 12.15, 0.375),
            ("flooded", 6, 1, 11.925, 0.125),
            ("flooded", 6, 1, 11.0, 0.0),
            ("flooded", 6, 2, 24.72, 0.625),
            ("flooded", 3, 4, 24.94, 0.75),
            ("agm", 6, 1, 12.85, 1.0),
            ("agm", 6, 1, 12.475, 0.625),
            ("agm", 6, 1, 12.10, 0.25),
            ("agm", 6, 1, 13.5, 1.0),
            ("gel", 6, 1, 12.50, 0.625),
            ("gel", 6, 1, 12.175, 0.375),
            ("gel", 6, 4, 48.0, 0.25),
            ("lfp", 4, 1, 13.28, 0.7),
            ("lfp", 4, 1, 13.205, 0.55),
            ("lfp", 4, 2, 26.26, 0.4),
            ("lfp", 4, 1, 12.81, 0.15),
            ("lfp", 16, 1, 51.68, 0.2),
        ):
            with self.subTest(f"{chemistry} {volts}"):
                bank = Bank(chemistry, cells, series, 1, CapacityLabel("nameplate", ah=100.0))
                lamp = read_lamps((volts,), bank, CHEMISTRIES[chemistry], 0.5)[0]
                self.assertAlmostEqual(lamp.charge, charge, delta=0.003)
                self.assertEqual(lamp.below_reserve, charge < 0.5)

    def test_lamps_against_the_rest_curve(self):
        gel = CHEMISTRIES["gel"]
        lamps = read_lamps((12.6, 11.8, 12.2), BANK, gel, 0.5)
        # by hand, gel: 12.35 is 50 %, 12.65 is 75 %: 12.6 is 70.8 %; 12.0 is 25 %: 12.2 is 39.3 %
        self.assertEqual([round(100 * lamp.charge) for lamp in lamps], [0, 39, 71])
        self.assertEqual([lamp.below_reserve for lamp in lamps], [True, True, False])
        self.assertIn("false comfort", lamps[1].sentence)
        lfp = Bank("lfp", 4, 2, 1, CapacityLabel("nameplate", ah=100.0))
        self.assertEqual(usual_lamps(lfp, CHEMISTRIES["lfp"]), (23.6, 24.4, 25.2))
        flat = read_lamps((13.2 * 2, 28.4), lfp, CHEMISTRIES["lfp"], 0.15)
        self.assertIn("volts tell almost nothing", flat[0].sentence)
        self.assertIn("only while it charges", flat[1].sentence)
