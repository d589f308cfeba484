"""A hundred and fifty lines as installers type them, read as they meant them."""

import unittest
from pathlib import Path

from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.rig.wiring import Bar, Wiring
from volnik.core.shelf.presets import PRESETS
from volnik.core.survey.kinds import other_kinds, turned
from volnik.core.survey.lines import enter, kind_of

BANK = Bank("gel", 6, 1, 2, CapacityLabel("nameplate", ah=120.0), takeoff="one_end")
BARS = (
    Bar(id="minus_busbar", kind="busbar", name="Negative busbar"),
    Bar(id="plus_busbar", kind="busbar", pole="plus", name="Positive busbar"),
)
LINES = Path(__file__).with_name("lines.txt")
OF_DEVICE = {
    "a": "current_a",
    "w": "power_w",
    "gives": "most_a",
    "panel": "panel_w",
    "peak": "surge_a",
    "start": "start_a",
    "start_s": "start_s",
    "standby": "standby_a",
    "duty": "duty",
    "eff": "efficiency",
    "absorption": "absorption_v",
    "float": "float_v",
    "absorbs": "absorption_h",
    "rated": "rated_a",
    "ah": "capacity_ah",
}


def read(line):
    """What a line leads to, in the words of the list."""
    found = enter(line, BANK, (), Wiring(bars=BARS), PRESETS)
    if found.problems or not found.devices:
        return {"problem": found.problems}
    device, wiring = found.devices[0], found.wiring
    minus, plus = (wiring.cable(f"{device.id}_{pole}") for pole in ("minus", "plus"))
    cable = next((each for each in (plus, minus) if each is not None), None)
    told = {word: getattr(device, name) for word, name in OF_DEVICE.items()}
    told |= {
        "kind": device.kind,
        "name": device.name,
        "safety": device.safety,
        "hours": device.hours and "-".join(f"{at:g}" for at in device.hours[0]),
        "fuse": plus and plus.fuse and plus.fuse.amps,
        "unfused": plus is not None and plus.fuse is None,
        "mm2": cable and cable.size,
        "m": cable and cable.length_m,
        "minus": minus and minus.b,
        "plus": plus and plus.b,
    }
    return told


class TypedLines(unittest.TestCase):
    def test_each_is_read_as_it_was_meant(self):
        rows = [row for row in LINES.read_text(encoding="utf-8").splitlines() if row and row[0] != "#"]
        self.assertGreaterEqual(len(rows), 150)
        for row in rows:
            line, kind, name, figures = (part.strip() for part in row.split("|"))
            told = read(line)
            with self.subTest(line):
                self.assertEqual((told.get("kind"), told.get("name")), (kind, name), told.get("problem"))
                for figure in figures.split():
                    word, wanted = figure.split("=")
                    self.meant(told[word], wanted, word)

    def test_what_cannot_be_read_is_said_and_becomes_no_name(self):
        for line in ("Pump 2-3 A", "Pump -6 A", "Fan 0.5–1 A", "3-4 A pump"):
            told = read(line)
            self.assertIn("cannot be read", str(told.get("problem")), (line, told))

    def meant(self, got, wanted, word):
        """A figure is as wanted; a cross-section is told as designated."""
        if word == "mm2":
            awg = {"3.31": "12 AWG"}.get(wanted, f"{wanted} mm²")
            self.assertEqual(got, awg)
        elif word in ("minus", "plus", "hours"):
            self.assertEqual(got, wanted)
        else:
            self.assertAlmostEqual(float(got), float(wanted), places=4, msg=word)


class Kinds(unittest.TestCase):
    def test_a_name_that_may_charge_or_draw_asks_and_others_do_not(self):
        asked = {
            "Outboard": ["propulsion", "alternator"],
            "Thingamabob": ["mains", "inverter"],
            "Hydro": ["generator"],
            "Electric outboard": [],
            "Engine room fan": [],
            "Fridge": [],
            "MPPT": [],
            "TV": [],
        }
        for name, others in asked.items():
            self.assertEqual(other_kinds(name, kind_of(name, PRESETS), PRESETS), others, name)

    def test_turned_into_a_charger_what_it_drew_it_gives(self):
        figures = {"current_a": 20.0, "most_a": None, "power_w": None}
        told = turned(figures, PRESETS["load"], PRESETS["alternator"])
        self.assertEqual((told["current_a"], told["most_a"]), (None, 20.0))
        back = turned(told, PRESETS["alternator"], PRESETS["load"])
        self.assertEqual((back["current_a"], back["most_a"]), (20.0, None))
        watts = turned({"power_w": 200.0}, PRESETS["load"], PRESETS["solar"])
        self.assertEqual((watts["power_w"], watts["panel_w"]), (None, 200.0))


if __name__ == "__main__":
    unittest.main()
