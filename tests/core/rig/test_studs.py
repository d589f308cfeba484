"""Studs: how they are named, and between which a cable can be meant."""

import unittest

from tests.core.path.rigs import analysed, bank, cable, device, sound
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import lower, may_join
from volnik.core.rig.wiring import Bar


class Names(unittest.TestCase):
    def test_a_reference_knows_its_owner_and_its_end(self):
        for text, owner, pole in (
            ("fridge.minus", "fridge", "minus"),
            ("A1.plus", "A1", "plus"),
            ("shunt.bank", "shunt", "bank"),
            ("monitor.sense", "monitor", "sense"),
            ("iso.a", "iso", "a"),
            ("charger.far", "charger", "far"),
            ("negative_busbar", "negative_busbar", ""),
        ):
            with self.subTest(text):
                ref = StudRef(text)
                self.assertEqual((ref.owner, ref.pole), (owner, pole))
                self.assertEqual(StudRef.of(owner, pole), ref)
                self.assertEqual(ref.of_monitor, owner == "monitor")
                self.assertEqual(ref.of_shunt, owner == "shunt")

    def test_the_other_end_of_what_is_passed_through(self):
        for end, other in (
            ("shunt.bank", "shunt.rig"),
            ("shunt.rig", "shunt.bank"),
            ("iso.a", "iso.b"),
            ("iso.b", "iso.a"),
        ):
            with self.subTest(end):
                self.assertEqual(StudRef(end).across, other)

    def test_a_name_within_a_sentence(self):
        for name, within in (
            ("Negative busbar", "negative busbar"),
            ("Lights", "lights"),
            ("DC-DC charger", "DC-DC charger"),
            ("AGM lead-acid", "AGM lead-acid"),
            ("USB socket", "USB socket"),
            ("Gel lead-acid", "gel lead-acid"),
            ("X", "x"),
            ("pump", "pump"),
        ):
            with self.subTest(name):
                self.assertEqual(lower(name), within)


class Joins(unittest.TestCase):
    def test_a_cable_is_meant_between_like_poles_and_as_a_series_link(self):
        rig = analysed(
            sound(
                [device("pump"), device("lamp"), device("engine", "starter")],
                bank(series=2, parallel=2),
                cable("link", "A2.plus", "A1.minus"),
                bars=(Bar(id="chassis", kind="chassis", name="Chassis"),),
            )
        )
        for one, other, meant in (
            ("pump.minus", "nb", True),
            ("pump.minus", "chassis", True),
            ("pump.minus", "shunt.rig", True),
            ("pump.minus", "A2.minus", True),
            ("pump.plus", "pb", True),
            ("pump.plus", "A1.plus", True),
            ("pump.minus", "lamp.minus", True),
            ("pump.minus", "lamp.plus", False),
            ("pump.minus", "pb", False),
            ("pump.plus", "nb", False),
            ("pump.plus", "pump.minus", False),
            ("pump.minus", "pump.minus", False),
            ("A1.plus", "A2.minus", True),  # a series link
            ("A1.plus", "B1.plus", True),
            ("A1.plus", "A1.minus", False),  # a dead short
            ("A1.plus", "shunt.bank", False),
            ("engine.plus", "A1.plus", True),
            ("engine.plus", "A1.minus", False),  # another battery is no block of the string
            ("shunt.bank", "shunt.rig", False),
            ("nb", "chassis", True),
            ("nb", "pb", False),
            ("monitor.sense", "A1.plus", True),
            ("monitor.sense", "pb", True),
            ("monitor.aux", "A1.minus", True),
            ("monitor.sense", "monitor.aux", False),
        ):
            with self.subTest(f"{one} to {other}"):
                self.assertEqual(may_join(rig.studs[one], rig.studs[other]), meant)
                self.assertEqual(may_join(rig.studs[other], rig.studs[one]), meant)
