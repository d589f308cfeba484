"""What rules ask of each kind of device, told by someone who wires them."""

import unittest

from volnik.core.shelf.presets import PRESETS

# role, and what is true of it beside
KINDS = {
    "inverter": ("load", {"is_inverter"}),
    "inverter_charger": ("both", {"is_inverter", "shore"}),
    "fridge": ("load", {"cycles"}),
    "heater": ("load", {"runs_down"}),
    "pump": ("load", set()),
    "bilge": ("load", {"bails", "safety"}),
    "lights": ("load", set()),
    "socket": ("load", set()),
    "fan": ("load", set()),
    "radio": ("load", set()),
    "windlass": ("load", {"bursts"}),
    "thruster": ("load", {"bursts"}),
    "alarm": ("load", {"safety"}),
    "medical": ("load", {"cycles", "safety"}),
    "sensing": ("load", {"senses"}),
    "balancer": ("load", {"senses", "balances"}),
    "load": ("load", set()),
    "solar": ("source", set()),
    "mains": ("source", {"shore"}),
    "dcdc": ("source", {"far"}),
    "alternator": ("source", {"engine", "no_float"}),
    "wind": ("source", {"wind"}),
    "trickle": ("link", {"far", "own_minus"}),
    "combine": ("link", {"far"}),
    "split_relay": ("link", {"far", "joins"}),
    "split_diode": ("link", {"far", "joins", "one_way"}),
    "splitter": ("link", {"far", "joins", "one_way"}),
    "generator": ("source", {"shore"}),
    "propulsion": ("both", {"bursts", "regenerates"}),
    "cranking": ("load", {"bursts", "cranks"}),
    "chassis_bond": ("bond", {"chassis"}),
    "hull_bond": ("bond", {"hull"}),
    "starter": ("battery", {"is_starter_battery"}),
    "second_bank": ("battery", set()),
}


class Kinds(unittest.TestCase):
    def test_each_kind_is_what_the_trade_knows_it_to_be(self):
        self.assertEqual(set(KINDS), set(PRESETS))
        asked = ("is_inverter", "is_starter_battery", "safety", "far")
        for key, (role, true_of) in KINDS.items():
            with self.subTest(key):
                preset = PRESETS[key]
                traits = set(preset.traits) - {"inverter", "starter_battery"}
                found = traits | {name for name in asked if getattr(preset, name)} | {preset.surface} - {""}
                self.assertEqual((preset.role, found), (role, true_of))
                self.assertEqual(preset.is_source, role == "source")
                self.assertEqual(preset.is_battery, role == "battery")
                self.assertEqual(preset.is_bond, role == "bond")
                self.assertEqual(preset.is_link, role == "link")
                self.assertEqual(preset.is_plain_load, role == "load")
