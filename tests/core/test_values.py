"""Values that refuse what cannot stand, in sentences that say where and what to do."""

import unittest

from volnik.core.errors import InvalidInput
from volnik.core.rig.devices import Device, Devices
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.wiring import Bar, Cable, Wiring, other_end
from volnik.core.shelf.parts import Catalogue, starting_catalogue
from volnik.core.shelf.presets import PRESETS
from volnik.core.values import read_plain, unique_name


class Refusals(unittest.TestCase):
    def test_each_fault_is_told_at_its_place(self):
        rows = [
            (
                Cable,
                {"id": "a", "a": "A1.minus", "b": "nb", "length_m": 0},
                "length_m",
                "must be more than 0, got 0.",
            ),
            (
                Cable,
                {"id": "a", "a": "A1.minus", "b": "nb", "length_m": "long"},
                "length_m",
                "must be a number, got “long”.",
            ),
            (Cable, {"id": "a", "a": "A1.minus", "b": "A1.minus"}, "document", "same stud"),
            (Cable, {"id": "a", "a": "A1.minus"}, "b", "is missing."),
            (Cable, {"id": "a", "a": "A1.minus", "b": "nb", "colour": "red"}, "colour", "is not known here."),
            (Cable, {"id": "a b", "a": "A1.minus", "b": "nb"}, "id", "pattern"),
            (Cable, {"id": "a", "a": "A1.moon", "b": "nb"}, "a", "pattern"),
            (
                Cable,
                {"id": "a", "a": "A1.minus", "b": "nb", "size": "35 parsec"},
                "document",
                "such as 35 mm² or 2/0 AWG",
            ),
            (Device, {"id": "a", "kind": "load", "name": ""}, "name", "must not be empty, got “”."),
            (Device, {"id": "a", "kind": "load", "name": "x" * 80}, "name", "at most 60 letters"),
            (
                Device,
                {"id": "a", "kind": "load", "name": "x", "together": "perhaps"},
                "together",
                "true or false",
            ),
            (
                Device,
                {"id": "a", "kind": "load", "name": "x", "current_a": float("nan")},
                "current_a",
                "a plain number",
            ),
            (
                Devices,
                {"devices": [{"id": "a", "kind": "load", "name": "x"}] * 2},
                "document",
                "the id a is there twice",
            ),
            (Devices, {"devices": {}}, "devices", "must be a list"),
            (Devices, [], "document", "must be an object"),
            (Monitor, {"lamps_v": [11.8, -1]}, "lamps_v.1", "more than 0, got -1"),
            (Monitor, {"lamps_v": [12.0] * 9}, "lamps_v", "at most 8 entries"),
            (Bar, {"id": "a", "kind": "rope", "name": "x"}, "kind", "must be one of"),
        ]
        for model, body, at, message in rows:
            with self.subTest(model=model.__name__, at=at, message=message):
                with self.assertRaises(InvalidInput) as caught:
                    read_plain(model, body)
                self.assertIn(message, caught.exception.problems.get(at, str(caught.exception.problems)))
        with self.assertRaises(InvalidInput) as caught:
            read_plain(Wiring, {"cables": [{"id": "a", "a": "x", "b": "y"}, {"id": "b"}]}, "wiring.found")
        self.assertEqual(
            set(caught.exception.problems), {"wiring.found.cables.1.a", "wiring.found.cables.1.b"}
        )

    def test_names_are_made_unlike(self):
        self.assertEqual(
            [unique_name("a", ()), unique_name("a", {"a"}), unique_name("a", ["a", "a2", "b"])],
            ["a", "a2", "a3"],
        )

    def test_a_value_changes_into_a_checked_one(self):
        cable = Cable(id="a", a="A1.minus", b="nb", size="35 mm²")
        self.assertEqual(cable.changed(size="1/0 AWG").mm2, Cable(id="a", a="x", b="y", size="1/0 AWG").mm2)
        self.assertEqual((other_end(cable, "nb"), other_end(cable, "A1.minus")), ("A1.minus", "nb"))
        with self.assertRaises(ValueError):
            cable.changed(length_m=-1)
        with self.assertRaises(ValueError):
            cable.b = "elsewhere"
        drawing = Wiring(cables=(cable,))
        self.assertEqual(drawing.with_cable(cable.changed(b="pb")).cable("a").b, "pb")
        self.assertEqual(len(drawing.with_cable(cable.changed(id="b")).cables), 2)
        self.assertIsNone(drawing.cable("z"))


class Shelf(unittest.TestCase):
    def test_the_starting_shelf_is_whole_and_made_up(self):
        shelf = starting_catalogue()
        self.assertEqual(Catalogue.model_validate(shelf.model_dump(mode="json")), shelf)
        self.assertEqual(set(shelf.by_key()), set(PRESETS))
        for kind in (
            "inverter",
            "inverter_charger",
            "fridge",
            "heater",
            "pump",
            "lights",
            "socket",
            "windlass",
            "thruster",
            "solar",
            "mains",
            "dcdc",
            "wind",
            "chassis_bond",
            "starter",
            "trickle",
        ):
            self.assertIn(kind, PRESETS)
        for preset in PRESETS.values():
            with self.subTest(preset.key):
                self.assertTrue(preset.source)
                if preset.role in ("load", "both", "link") and not (
                    preset.closes_with_engine or "senses" in preset.traits
                ):
                    self.assertTrue(preset.power_w or preset.current_a)
                if preset.role in ("source", "both"):
                    self.assertTrue(preset.most_a and preset.absorption_v and preset.float_v)
        for shunt in shelf.shunts:
            self.assertLess(shunt.fitted().carries_a, shunt.amps)
            self.assertEqual(shunt.fitted().product, shunt.name)
        sizes = {cable.size for cable in shelf.cables}
        self.assertTrue({lug.size for lug in shelf.lugs} <= sizes)
