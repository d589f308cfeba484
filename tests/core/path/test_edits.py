"""Changes to a drawing: what can be meant is drawn, what cannot is refused and changes nothing."""

import unittest

from tests.core.path.rigs import analysed, bank, cable, changed, device, sound
from volnik.core.path.edits import ChangeRefused, apply, block_places
from volnik.core.path.fitted import fitted
from volnik.core.path.sizing import auxiliary_uses, choices, worst_discharge
from volnik.core.path.work import difference, parts_list
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.conductors import Surroundings, ampacity, awg_mm2, copper_ohm, hole_fits, read_size
from volnik.core.shelf.parts import starting_catalogue
from volnik.core.shelf.presets import PRESETS

SHELF = starting_catalogue()


class Changes(unittest.TestCase):
    def test_what_cannot_be_meant_is_refused_and_nothing_changes(self):
        drawing = sound()
        rows = [
            ({"op": "move_end", "cable": "fridge_minus", "end": "b", "to": "nowhere"}, "to", "no stud"),
            (
                {"op": "move_end", "cable": "fridge_minus", "end": "b", "to": "A1.plus"},
                "to",
                "cannot end on the battery's plus post",
            ),
            (
                {"op": "move_end", "cable": "fridge_minus", "end": "b", "to": "fridge.minus"},
                "to",
                "cannot end",
            ),
            ({"op": "move_end", "cable": "gone", "end": "b", "to": "nb"}, "cable", "no longer there"),
            ({"op": "set_cable", "cable": "fridge_minus", "length_m": -2}, "length_m", "more than 0, got -2"),
            ({"op": "set_cable", "cable": "fridge_minus", "size": "0 mm²"}, "size", "0.05 to 500"),
            ({"op": "set_cable", "cable": "fridge_minus", "size": "thick"}, "size", "35 mm² or 2/0 AWG"),
            (
                {"op": "set_cable", "cable": "fridge_minus", "size": "16 mm²", "lug_b": "M9"},
                "size",
                "no stud or lug hole",
            ),
            ({"op": "set_fuse", "cable": "main", "fuse": {"amps": -1}}, "fuse.amps", "more than 0"),
            ({"op": "remove_bar", "bar": "gone"}, "bar", "no longer there"),
            ({"op": "add_cable", "a": "nb", "b": "pb"}, "b", "cannot end"),
            ({"op": "add_isolator", "cable": "sense"}, "cable", "thin lead"),
            ({"op": "set_auxiliary", "use": "starter"}, "use", "No starter battery"),
            ({"op": "set_auxiliary", "use": "midpoint"}, "use", "two batteries"),
            ({"op": "overrule", "what": "shunt", "chosen": "this", "reason": ""}, "reason", "Say why"),
            ({"op": "place_block", "block": "Z9", "column": 0, "row": 0}, "block", "no such battery"),
            ({"op": "paint"}, "document", "op"),
            ("paint", "document", "object"),
        ]
        for op, at, message in rows:
            with self.subTest(op=op):
                with self.assertRaises(ChangeRefused) as caught:
                    apply(drawing, [{"op": "turn_shunt"}, op])
                self.assertIn(at, caught.exception.problems)
                self.assertIn(message, caught.exception.problems[at])

    def test_bars_isolators_and_the_shunt_go_in_and_out_without_loose_ends(self):
        drawing = sound([device("fridge"), device("pump")])
        ways = [
            ([{"op": "add_isolator", "cable": "shunt_link"}], [{"op": "remove_isolator", "isolator": "iso"}]),
            ([{"op": "add_isolator", "cable": "main"}], [{"op": "remove_isolator", "isolator": "iso"}]),
            (
                [{"op": "add_bar", "kind": "busbar", "feed": "nb", "take": ["pump_minus"]}],
                [{"op": "remove_bar", "bar": "minus_busbar"}],
            ),
            ([{"op": "turn_shunt"}], [{"op": "turn_shunt"}]),
        ]
        for there, back in ways:
            with self.subTest(there):
                between = changed(drawing, *there)
                self.assertEqual(
                    {end for cable in between.wiring.cables for end in (cable.a, cable.b)}
                    - set(between.studs),
                    set(),
                )
                again = changed(between, *back)
                landings = [
                    (cable.id, cable.a, cable.b) for cable in again.wiring.cables if "minus" in cable.a
                ]
                self.assertEqual(
                    landings,
                    [(cable.id, cable.a, cable.b) for cable in drawing.wiring.cables if "minus" in cable.a],
                )
        bare = changed(drawing, {"op": "set_shunt"})
        self.assertIsNone(bare.wiring.shunt)
        self.assertFalse(
            [cable for cable in bare.wiring.cables if "shunt" in cable.a + cable.b or "monitor" in cable.a]
        )
        fitted_again = changed(bare, {"op": "set_shunt", "shunt": {"amps": 300, "mv": 50}})
        self.assertTrue(all(share.word == "counted" for share in analysed(fitted_again).shares.values()))

    def test_an_isolator_has_its_bank_end_towards_the_bank(self):
        drawing = changed(sound(), {"op": "add_isolator", "cable": "main"})
        self.assertEqual(
            {(cable.id, cable.a, cable.b) for cable in drawing.wiring.cables if "main" in cable.id},
            {("main", "A1.plus", "iso.a"), ("main_on", "iso.b", "pb")},
        )

    def test_rows_and_blocks_move(self):
        drawing = sound([device("fridge"), device("pump")], bank("agm", 1, 2))
        self.assertEqual(
            changed(drawing, {"op": "move_row", "device": "pump", "by": -5}).wiring.rows, ("pump", "fridge")
        )
        swapped = changed(drawing, {"op": "place_block", "block": "B1", "column": 0, "row": 0})
        self.assertEqual(block_places(swapped.bank, swapped.wiring), {"A1": (0, 1), "B1": (0, 0)})

    def test_a_drawing_follows_its_bank_and_devices(self):
        drawing = sound([device("fridge"), device("pump")], bank("agm", 1, 2))
        fewer = fitted(drawing.wiring, bank("agm", 1, 1), [drawing.devices[0]], PRESETS)
        self.assertFalse(
            [cable.id for cable in fewer.cables if "B1" in cable.a + cable.b or "pump" in cable.id]
        )
        more = fitted(fewer, bank("agm", 1, 2), list(drawing.devices), PRESETS, like=drawing.wiring)
        self.assertIn("pump_minus", [cable.id for cable in more.cables])
        self.assertIn("plus_A1_B1", [cable.id for cable in more.cables])


class Ratings(unittest.TestCase):
    def test_what_is_read_from_cables_bars_and_switches_is_kept_until_it_is_told_anew(self):
        item = changed(
            sound(),
            {"op": "set_cable", "cable": "main", "size": "70 mm²", "length_m": 0.3, "insulation_c": 70},
            {"op": "set_cable", "cable": "main", "size": "50 mm²", "length_m": 0.3, "parallel": 2},
            {"op": "set_fuse", "cable": "main", "far": True, "fuse": {"amps": 100}},
            {"op": "set_rating", "of": "pb", "carries_a": 250},
            {"op": "set_insulation", "insulation_c": 90},
        )
        main = item.wiring.cable("main")
        self.assertEqual(
            (main.insulation_c, main.parallel, main.far_fuse.amps, main.fuse.amps), (70, 2, 100, 200)
        )
        self.assertEqual(next(bar for bar in item.wiring.bars if bar.id == "pb").carries_a, 250)
        # by hand: two of 50 mm² in PVC, 270 A x sqrt(40 / 75) each; what states nothing has 90 °C
        self.assertAlmostEqual(analysed(item).carries_a(main), 2 * 270 * (40 / 75) ** 0.5)
        self.assertAlmostEqual(
            analysed(item).carries_a(item.wiring.cable("rig_link")), 330 * (60 / 75) ** 0.5
        )
        with self.assertRaisesRegex(ChangeRefused, "no longer there"):
            changed(item, {"op": "set_rating", "of": "gone", "carries_a": 1})


class Sizing(unittest.TestCase):
    def test_the_careful_current_beside_the_quick_one(self):
        drawing = sound([device("inverter", "inverter", power_w=1800.0, efficiency=0.9)], bank("lfp"))
        worst = worst_discharge(analysed(drawing))
        # by hand: 1800 / 12 = 150; the bank sags to 0.9 x 12.8 = 11.52 V: 1800 / (11.52 x 0.9) = 173.6
        self.assertAlmostEqual(worst.quick_a, 150.0, places=6)
        self.assertAlmostEqual(worst.careful_a, 173.611, places=3)
        shunt, link, lugs, fuse = choices(analysed(drawing), SHELF)
        self.assertEqual(
            shunt.proposal, "Causeway 300"
        )  # 150's continuous 105 is too little, 300's 230 carries 174, peak 400 the surge of 300
        self.assertEqual(link.proposal, "35 mm²")  # the main fuse of 200 A and 210 A in air
        self.assertEqual(lugs.proposal, "70 mm²: M8 and M10")
        self.assertTrue(fuse.fits)

    def test_conductors(self):
        self.assertAlmostEqual(awg_mm2("2/0"), 67.43, places=2)  # the gauge: 9.266 mm across
        self.assertAlmostEqual(awg_mm2("10"), 5.26, places=2)
        self.assertEqual(read_size("awg 2/0"), (awg_mm2("2/0"), "2/0 AWG"))
        self.assertEqual(
            [ampacity(35), ampacity(awg_mm2("4"), "4 AWG"), ampacity(40), ampacity(0.5)], [210, 160, 210, 10]
        )
        self.assertAlmostEqual(
            ampacity(35, "", Surroundings(engine_space=True)), 179.8, delta=0.1
        )  # 210 x sqrt(55 / 75)
        self.assertAlmostEqual(copper_ohm(2, 35), 0.001)  # by hand: 0.0175 x 2 / 35
        self.assertAlmostEqual(copper_ohm(2, 35, celsius=120), 0.001 * 1.393)
        self.assertEqual(
            [
                hole_fits("M8", "M10"),
                hole_fits("5/16 in", "3/8 in"),
                hole_fits("3/8 in", "M10"),
                hole_fits("M10", "M8"),
            ],
            ["small", "small", "", "large"],
        )

    def test_the_spare_input(self):
        lithium, series, boat = bank("lfp"), bank("agm", 4), bank("agm")
        self.assertEqual(auxiliary_uses(analysed(sound(None, lithium)))[0].use, "temperature")
        self.assertEqual(auxiliary_uses(analysed(sound(None, series)))[0].use, "midpoint")
        self.assertEqual(
            auxiliary_uses(analysed(sound([device("starter", "starter")], boat)))[0].use, "starter"
        )


class Work(unittest.TestCase):
    def test_the_difference_and_what_to_take_along(self):
        found = changed(
            sound([device("fridge"), device("pump")]),
            {"op": "move_end", "cable": "pump_minus", "end": "b", "to": "A1.minus"},
        )
        planned = changed(
            found,
            {"op": "move_end", "cable": "pump_minus", "end": "b", "to": "nb"},
            {"op": "set_cable", "cable": "main", "size": "95 mm²", "length_m": 0.5},
            {"op": "set_fuse", "cable": "main", "fuse": {"amps": 250}},
            {"op": "add_bar", "kind": "post", "feed": "pb", "pole": "plus"},
        )
        message = " ".join(drawing.sentence for drawing in difference(analysed(found), analysed(planned)))
        self.assertIn("Pump's negative: from the battery's minus post to the negative busbar.", message)
        self.assertIn("renew in 95 mm², 0.5 m (was 70 mm²)", message)
        self.assertIn("fuse 250 A instead of 200 A", message)
        self.assertIn("Fit the positive junction stud.", message)
        parts = {part.what: part for part in parts_list(analysed(found), analysed(planned), SHELF)}
        self.assertEqual(parts["Cable 95 mm²"].amount, 0.6)  # 0.5 m and a spare 0.1
        self.assertEqual(parts["Lug 95 mm², M8"].amount, 4)  # two ends, and the holder's two studs
        self.assertEqual(parts["Fuse 250 A with holder"].amount, 1)
        self.assertIn("Crimp tool with die 16, die 95", parts)
        self.assertEqual(parts_list(analysed(found), analysed(found), SHELF), [])
        self.assertEqual(difference(analysed(found), analysed(found)), [])

    def test_a_cable_keeps_its_size_as_designated(self):
        drawing = Cable(id="x", a="A1.minus", b="nb", size="2/0 awg")
        self.assertEqual((drawing.size, round(drawing.mm2, 2)), ("2/0 AWG", 67.43))
        self.assertEqual(Cable.model_validate(drawing.model_dump()), drawing)
        self.assertEqual(cable("y", "A1.minus", "nb", 1, "35mm2").size, "35 mm²")
