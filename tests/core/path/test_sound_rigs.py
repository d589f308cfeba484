"""Sound rigs of many kinds, on which Volnik is silent, and one fault put into each of them at a time."""

import unittest
from functools import lru_cache
from pathlib import Path

from volnik.core.document import read_document
from volnik.core.path.analysis import analyse
from volnik.core.path.edits import Drawing, apply
from volnik.core.path.fitted import fitted
from volnik.core.path.judgement import judge, mends
from volnik.core.path.links import link_drops
from volnik.core.path.sensing import sense_ohm
from volnik.core.rig.use import Use
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.parts import starting_catalogue
from volnik.core.shelf.presets import PRESETS
from volnik.core.simulation.vehicle import vehicle_of

SHELF = starting_catalogue()
SOUND = Path(__file__).parents[2] / "rigs" / "sound"
NAMES = sorted(path.stem for path in SOUND.glob("*.json"))


@lru_cache
def document(name):
    """A sound rig."""
    return read_document((SOUND / f"{name}.json").read_bytes())


def findings(name, *ops, bank=None, devices=None, **wiring):
    """What is said of a rig after changes of its drawing, bank, devices by id, and facts of its wiring."""
    read = document(name)
    the_bank = read.the_bank()
    for key, value in (bank or {}).items():
        object.__setattr__(the_bank, key, value)
    stated = devices or {}
    every = tuple(one.changed(**stated.get(one.id, {})) for one in read.devices)
    drawn = fitted(read.wiring.planned, the_bank, every, PRESETS).changed(**wiring)
    drawn = apply(Drawing(the_bank, every, PRESETS, drawn), list(ops)) if ops else drawn
    return judge(
        analyse(
            the_bank, CHEMISTRIES[the_bank.chemistry], every, drawn, monitor=read.monitor, presets=PRESETS
        )
    )


def spoiled_drawing(name, ops, devices=None):
    """A sound rig after changes: to be changed, and solved."""
    read = document(name)
    the_bank, stated = read.the_bank(), devices or {}
    every = tuple(one.changed(**stated.get(one.id, {})) for one in read.devices)
    drawn = Drawing(the_bank, every, PRESETS, fitted(read.wiring.planned, the_bank, every, PRESETS))
    drawn = Drawing(the_bank, every, PRESETS, apply(drawn, ops))
    looked = analyse(
        the_bank, CHEMISTRIES[the_bank.chemistry], every, drawn.wiring, monitor=read.monitor, presets=PRESETS
    )
    return drawn, looked


def no_fuse(cable):
    return {"op": "set_fuse", "cable": cable, "fuse": None}


def fuse(cable, amps, **more):
    given = {"volts": 80, "breaks_ka": 25, "from_post_mm": 100, **more}
    return {"op": "set_fuse", "cable": cable, "fuse": {"amps": amps, **given}}


def size(cable, name, length_m=1.0, **more):
    return {"op": "set_cable", "cable": cable, "size": name, "length_m": length_m, **more}


def move(cable, end, to):
    return {"op": "move_end", "cable": cable, "end": end, "to": to}


class LinkDrops(unittest.TestCase):
    """A diode takes 0.7 V off what the alternator is set to, an electronic divider 0.1 V, a relay nothing."""

    def lost(self, name, **link):
        _, looked = spoiled_drawing(name, [], link)
        return link_drops(looked)

    def test_by_kind_of_link_and_as_read(self):
        for link, lost in (
            ({}, 0.7),
            ({"kind": "splitter"}, 0.1),
            ({"kind": "split_relay"}, 0.0),
            ({"drop_v": 0.4}, 0.4),
        ):
            with self.subTest(link):
                found = self.lost("diode_launch", diode=link)
                self.assertAlmostEqual(found.get("alternator", 0.0), lost)
                self.assertNotIn("lights", found)
        self.assertEqual(self.lost("lithium_van"), {})

    def test_the_simulated_bank_gets_what_is_left(self):
        _, looked = spoiled_drawing(
            "diode_launch", [], {"alternator": {"absorption_v": 14.4, "float_v": 13.8}}
        )
        made = vehicle_of(looked, use=Use(), latitude=None)
        alternator = next(source for source in made.sources if source.drawn.id == "alternator")
        self.assertAlmostEqual(alternator.absorption_v, 13.7)
        self.assertAlmostEqual(alternator.float_v, 13.1)

    def test_volts_that_harm_are_those_behind_the_link(self):
        for absorption_v, speaks in ((15.3, False), (16.4, True)):
            with self.subTest(absorption_v):
                found = findings("diode_launch", devices={"alternator": {"absorption_v": absorption_v}})
                self.assertEqual("path.P61" in [finding.id for finding in found], speaks)


class SenseLead(unittest.TestCase):
    def test_its_landing_puts_the_drop_into_the_volts_that_are_read(self):
        # By hand, at 0.0175 Ω mm²/m and 0.1 mΩ a joint: the link, 0.3 m of 95 mm², 0.2553 mΩ; on the bar also
        # the main cable, 0.4 m of 95 mm², 0.2737 mΩ.
        for ops, milliohm in (([], 0.2553), ([move("sense", "b", "pb")], 0.5290)):
            with self.subTest(ops):
                _, looked = spoiled_drawing("lithium_van", ops)
                self.assertAlmostEqual(1000 * sense_ohm(looked), milliohm, places=3)
                made = vehicle_of(looked, use=Use(), latitude=None)
                self.assertAlmostEqual(1000 * made.sense_ohm, milliohm, places=3)


FAULTS = [
    # what can flow: nothing that opens
    ("lithium_van", [no_fuse("main")], "P22", "main"),
    ("plastic_caravan", [no_fuse("main")], "P22", "main"),
    ("house_on_wheels", [no_fuse("main")], "P22", "main"),
    ("gel_yacht", [no_fuse("main")], "P22", "main"),
    ("electric_launch", [no_fuse("main")], "P22", "main"),
    ("two_string_coach", [no_fuse("lead_a")], "P22", "lead_a"),
    ("lithium_van", [no_fuse("dcdc_far")], "P27", "dcdc_far"),
    ("gauge_camper", [no_fuse("dcdc_far")], "P27", "dcdc_far"),
    ("relay_motorhome", [no_fuse("relay_far")], "P27", "relay_far"),
    ("diode_launch", [no_fuse("diode_far")], "P27", "diode_far"),
    ("bow_battery_boat", [no_fuse("bow_plus")], "P27", "bow_plus"),
    ("bow_battery_boat", [no_fuse("thruster_plus")], "P27", "thruster_plus"),
    ("clinic_van", [no_fuse("main")], "P22", "main"),
    ("hardly_known_van", [no_fuse("main")], "P22", "main"),
    # what can flow: more than the copper carries
    ("lithium_van", [no_fuse("fridge_plus")], "P20", "fridge_plus"),
    ("lithium_van", [no_fuse("solar_plus")], "P20", "solar_plus"),
    ("lithium_van", [fuse("heater_plus", 80)], "P20", "heater_plus"),
    ("gel_yacht", [no_fuse("windlass_plus")], "P20", "windlass_plus"),
    (
        "gel_yacht",
        [size("thruster_plus", "35 mm²"), size("thruster_minus", "95 mm²"), no_fuse("thruster_plus")],
        "P20",
        "thruster_plus",
    ),
    ("plastic_caravan", [fuse("main", 200)], "P20", "main"),
    ("plastic_caravan", [no_fuse("pump_plus")], "P20", "pump_plus"),
    ("relay_motorhome", [size("relay_plus", "10 mm²", 2.0)], "P20", "relay_plus"),
    ("relay_motorhome", [no_fuse("relay_plus"), size("relay_plus", "16 mm²", 2.0)], "P20", "relay_plus"),
    ("two_string_coach", [size("lead_b", "16 mm²", 1.2)], "P20", "lead_b"),
    ("two_string_coach", [no_fuse("inverter_plus"), size("inverter_plus", "35 mm²")], "P20", "inverter_plus"),
    ("twin_cable_truck", [{"op": "remove_cable", "cable": "inv_p2"}], "P20", "inv_p1"),
    ("one_fuse_hut", [fuse("main", 80)], "P20", "lights_plus"),
    ("one_fuse_hut", [size("socket_plus", "2.5 mm²", 3.0)], "P20", "socket_plus"),
    ("clinic_van", [no_fuse("vaccine_plus")], "P20", "vaccine_plus"),
    ("electric_launch", [fuse("main", 350)], "P20", "main"),
    ("solar_cabin", [fuse("main", 250)], "P20", "main"),
    (
        "obedient_alternator",
        [size("alternator_plus", "25 mm²", 2.0), no_fuse("alternator_plus")],
        "P20",
        "alternator_plus",
    ),
    ("lithium_van", [size("main", "95 mm²", 0.4, engine_space=True), fuse("main", 350)], "P20", "main"),
    # what comes back
    ("lithium_van", [size("inverter_minus", "16 mm²", 1.2)], "P49", "inverter_minus"),
    ("lithium_van", [size("fridge_minus", "0.75 mm²", 3.0), fuse("fridge_plus", 20)], "P49", "fridge_minus"),
    ("house_on_wheels", [size("start_minus", "6 mm²", 2.0)], "P18", "start_minus"),
    ("bow_battery_boat", [size("bow_minus", "6 mm²", 3.0)], "P49", "bow_minus"),
    ("two_string_coach", [size("shunt_link", "35 mm²", 0.3)], "P43", "shunt_link"),
    ("two_string_coach", [size("minus_a", "10 mm²", 1.2)], "P49", "minus_a"),
    ("gel_yacht", [size("rig_link", "35 mm²", 0.3)], "P49", "rig_link"),
    ("gel_yacht", [size("hull_bond", "10 mm²")], "P50", "hull_bond"),
    ("relay_motorhome", [size("chassis_bond", "6 mm²")], "P50", "chassis_bond"),
    # fuses themselves
    ("gel_yacht", [fuse("thruster_plus", 125)], "P21", "thruster_plus"),
    ("lithium_van", [fuse("inverter_plus", 200)], "P21", "inverter_plus"),
    ("gel_yacht", [fuse("main", 200)], "P21", "main"),
    ("house_on_wheels", [fuse("inverter_plus", 100, volts=32)], "P24", "inverter_plus"),
    ("house_on_wheels", [fuse("sense", 1, volts=32)], "P24", "sense"),
    ("electric_launch", [fuse("lights_plus", 5, volts=None)], "P24", "lights_plus"),
    ("lithium_van", [fuse("main", 300, breaks_ka=2)], "P25", "main"),
    ("twin_cable_truck", [fuse("solar_plus", 70, breaks_ka=2)], "P25", "solar_plus"),
    ("lithium_van", [fuse("main", 300, from_post_mm=900)], "P23", "main"),
    ("lithium_van", [fuse("fridge_plus", 15, from_post_mm=2500)], "P23", "fridge_plus"),
    ("lithium_van", [size("lights_plus", "0.5 mm²", 40.0), fuse("lights_plus", 10)], "P55", "lights_plus"),
    # the shunt's side
    ("lithium_van", [move("inverter_minus", "b", "A1.minus")], "P01", "inverter"),
    ("gel_yacht", [move("windlass_minus", "b", "A2.minus")], "P01", "windlass"),
    ("relay_motorhome", [move("chassis_bond", "b", "B1.minus")], "P05", "chassis_bond"),
    ("gel_yacht", [move("hull_bond", "b", "A2.minus")], "P05", "hull_bond"),
    ("house_on_wheels", [move("conv_plus", "b", "A3.plus")], "P29", "conv_plus"),
    ("clinic_van", [move("vaccine_plus", "b", "pb")], "P33", "vaccine"),
    ("lithium_van", [size("heater_plus", "1 mm²", 9.0), size("heater_minus", "1 mm²", 9.0)], "P19", "heater"),
]
STATED = [
    ("gel_yacht", {"devices": {"mains": {"absorption_v": 30.4}}}, "P61", "mains"),
    ("lithium_van", {"devices": {"solar": {"absorption_v": 15.0}}}, "P61", "solar"),
    ("relay_motorhome", {"devices": {"mains": {"absorption_v": 15.8}}}, "P61", "mains"),
    ("lithium_van", {"devices": {"solar": {"slope_mv_c": -4.0}}}, "P62", "solar"),
    ("lithium_van", {"bank": {"discharge_a": 150.0}}, "P57", "bank"),
    ("electric_launch", {"bank": {"discharge_a": 80.0}}, "P57", "bank"),  # the motor runs alone
    ("twin_cable_truck", {"bank": {"peak_a": 400.0}}, "P58", "inverter"),
    ("lithium_van", {"bank": {"charge_a": 40.0}}, "P59", "bank"),
    ("lithium_van", {"devices": {"lights": {"current_a": 40.0}}}, "P18", "lights_plus"),
    ("clinic_van", {"gases": True}, "P64", "main"),
    ("clinic_van", {"gases": True}, "P64", "iso"),
    ("relay_motorhome", {"devices": {"start": {"nominal_v": 24.0}}}, "P63", "start"),
    ("obedient_alternator", {"bank": {"commands_charging": None}}, "P28", "alternator"),
    ("obedient_alternator", {"devices": {"alternator": {"external_regulator": None}}}, "P28", "alternator"),
    ("house_on_wheels", {"precharge": ()}, "P32", "inverter"),
    ("gel_yacht", {"insulation_c": 60}, "P20", "main"),
]


def said_at(found, mark, place):
    """Whether a finding stands at a place."""
    return any(
        one.id == f"path.{mark}" and one.level in ("stop", "fix") or one.id == f"path.{mark}" == "path.P50"
        for one in found
        if one.at == f"path.{place}" or place in one.about
    )


class Sound(unittest.TestCase):
    def test_there_are_many_kinds(self):
        self.assertGreaterEqual(len(NAMES), 15)

    def test_nothing_is_found_that_must_be_mended(self):
        for name in NAMES:
            with self.subTest(name):
                wrong = [one for one in findings(name) if one.level != "advise"]
                self.assertEqual([f"{one.id} {one.message}" for one in wrong], [])


class Mended(unittest.TestCase):
    def test_no_mend_brings_up_what_was_not_there(self):
        for name, ops, mark, place in FAULTS:
            drawn, looked = spoiled_drawing(name, ops)
            before = {(one.id, one.at) for one in judge(looked) if one.level != "advise"}
            made, after = mends(looked, drawn, SHELF)
            new = [one for one in judge(after) if one.level != "advise" and (one.id, one.at) not in before]
            with self.subTest(name, mark=mark, place=place):
                self.assertEqual([f"{one.id} {one.at} {one.message}" for one in new], [])
                for mend in made:
                    self.assertTrue(mend.work or mend.changes)

    def test_both_conductors_of_a_circuit_are_sized_alike_and_not_to_their_last_amp(self):
        thin = [size("inverter_minus", "16 mm²", 1.2)]
        drawn, looked = spoiled_drawing("lithium_van", thin)
        made, after = mends(looked, drawn, SHELF)
        plus, minus = (after.wiring.cable(f"inverter_{pole}") for pole in ("plus", "minus"))
        self.assertEqual((plus.size, minus.size), ("70 mm²", "70 mm²"))
        heavy = [size("pump_plus", "1 mm²"), size("pump_minus", "1 mm²"), fuse("pump_plus", 20)]
        drawn, looked = spoiled_drawing("relay_motorhome", heavy, devices={"pump": {"current_a": 24.0}})
        made, after = mends(looked, drawn, SHELF)
        plus, minus = (after.wiring.cable(f"pump_{pole}") for pole in ("plus", "minus"))
        self.assertEqual(plus.size, minus.size)
        # by hand: 24 A are at most four fifths of what it carries, and its fuse of 30 A or more is below it
        self.assertGreaterEqual(after.carries_a(plus), 24.0 / 0.8)
        self.assertTrue(24.0 * 1.25 <= plus.fuse.amps <= after.carries_a(plus))


class Spoiled(unittest.TestCase):
    def test_each_fault_is_named_at_its_place(self):
        rows = [(name, ops, {}, mark, place) for name, ops, mark, place in FAULTS]
        rows += [(name, [], given, mark, place) for name, given, mark, place in STATED]
        self.assertGreaterEqual(len(rows), 60)
        for name, ops, given, mark, place in rows:
            with self.subTest(name, mark=mark, place=place, given=given):
                found = findings(name, *ops, **given)
                told = [f"{one.level} {one.id} {one.at}" for one in found]
                self.assertTrue(said_at(found, mark, place), told)
