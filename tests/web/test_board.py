"""The path board as boxes and ways."""

import unittest

from tests.core.path.rigs import analysed, bank, cable, changed, device, sound
from volnik.core.path.cases import solve_case
from volnik.core.rig.wiring import Bar
from volnik.drawings.path import draw_board, wire_width

CHASSIS = Bar(id="chassis", kind="chassis", name="Chassis")


def corners(wire):
    """Corner points of a wire."""
    return [tuple(map(float, part.split())) for part in wire.path[1:].split("L")]


class Board(unittest.TestCase):
    def drawings(self):
        """Small, large, messy."""
        many = [device(f"d{at}", current_a=1.0) for at in range(40)]
        messy = sound(
            [device("starter", "starter"), device("dcdc", "dcdc"), device("fridge")],
            bank("agm", 4, 2),
            cable("bond", "chassis", "A4.minus"),
            cable("dcdc_far", "dcdc.far", "starter.plus"),
            cable("starter_minus", "starter.minus", "A4.minus"),
            bars=(CHASSIS,),
        )
        return {
            "one": sound(),
            "forty": sound(many),
            "messy": messy,
            "strings": sound(None, bank("agm", 1, 3)),
            "isolators": changed(
                sound(),
                {"op": "add_isolator", "cable": "shunt_link"},
                {"op": "add_isolator", "cable": "main"},
                {"op": "add_isolator", "cable": "rig_link"},
            ),
            "no shunt": changed(sound(), {"op": "set_shunt"}),
        }

    def test_cables_run_at_right_angles_from_stud_to_stud_on_the_paper(self):
        for name, drawing in self.drawings().items():
            looked = analysed(drawing)
            board = draw_board(looked)
            drawn = {wire.id for wire in board.wires}
            with self.subTest(name):
                self.assertEqual(drawn, {cable.id for cable in drawing.wiring.cables})
                for wire in board.wires:
                    points = corners(wire)
                    for (x0, y0), (x1, y1) in zip(points, points[1:], strict=False):
                        self.assertTrue(x0 == x1 or y0 == y1, wire)
                    for x, y in points:
                        self.assertTrue(
                            0 <= x <= board.width and board.top <= y <= board.top + board.height,
                            (wire, board.width, board.height),
                        )
                self.assertEqual(len(board.rows), len(drawing.devices))
                if name != "no shunt":
                    spots = [(end.x, end.y) for end in board.ends]
                    self.assertEqual(len(set(spots)), len(spots), "two ends lie on each other")
                self.assertEqual(len({end.cable + end.end for end in board.ends}), len(board.ends))

    def test_every_end_lies_on_its_stud(self):
        for name, drawing in self.drawings().items():
            board = draw_board(analysed(drawing))
            targets = {target.stud: target for target in board.targets}
            for end in board.ends:
                if end.stud not in targets:
                    continue
                target = targets[end.stud]
                with self.subTest(name, end=end.title):
                    self.assertTrue(target.x - 12 <= end.x <= target.x + target.width + 12, (end, target))
                    self.assertTrue(target.y - 8 <= end.y <= target.y + target.height + 8, (end, target))

    def test_counted_cables_are_whole_and_others_broken(self):
        item = changed(
            sound([device("fridge"), device("pump")]),
            {"op": "move_end", "cable": "pump_minus", "end": "b", "to": "A1.minus"},
        )
        board = draw_board(analysed(item))
        states = {wire.id: wire.state for wire in board.wires}
        self.assertEqual(
            (states["fridge_minus"], states["pump_minus"], states["shunt_link"], states["main"]),
            ("counted", "uncounted", "plain", "plain"),
        )
        rows = {row.id: (row.word, row.share, row.bar) for row in board.rows}
        self.assertEqual(rows["fridge"], ("counted", "counted", 1.0))
        self.assertEqual(rows["pump"][:2], ("uncounted", "0 % counted"))
        self.assertIn("2 devices, 1 of them counted; 1 cables", board.message)

    def test_a_picked_loop_is_heavy_with_arrows_the_way_the_current_goes(self):
        item = sound([device("fridge", current_a=5.0), device("pump")])
        looked = analysed(item)
        board = draw_board(
            looked, pick="fridge", loop=solve_case(looked.network, looked.devices, "one", "fridge")
        )
        self.assertEqual(
            {wire.id for wire in board.wires if wire.heavy},
            {"fridge_minus", "fridge_plus", "main", "rig_link", "shunt_link"},
        )
        self.assertEqual({arrow.text for arrow in board.arrows}, {"", "5 A"})
        minus = next(wire for wire in board.wires if wire.id == "fridge_minus")
        heads = [
            arrow
            for arrow in board.arrows
            if not arrow.text and abs(arrow.y - corners(minus)[0][1]) < 1 and arrow.x < corners(minus)[0][0]
        ]
        self.assertTrue(heads)
        self.assertTrue(
            all(abs(abs(arrow.turn) - 180.0) < 0.1 for arrow in heads)
        )  # from the device leftwards to the busbar

    def test_thick_cables_are_drawn_thick_and_positives_can_be_left_out(self):
        self.assertLess(wire_width(6), wire_width(35))
        self.assertLess(wire_width(35), wire_width(95))
        board = draw_board(analysed(sound()), positives=False)
        self.assertEqual(
            {wire.id for wire in board.wires}, {"shunt_link", "rig_link", "fridge_minus", "sense"}
        )
