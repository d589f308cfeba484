"""Drawings of Numbers as numbers: zones cover the map once, marks stand where their values are, the ladder's
names keep apart.
"""

import unittest
from dataclasses import replace

import numpy as np

from tests.core.numbers.vehicles import USE, van
from volnik.core.numbers.compared import Compared, Setting, Side
from volnik.core.numbers.defaults import default_numbers
from volnik.core.numbers.ladder import ladder
from volnik.core.numbers.recommended import Recommended
from volnik.core.numbers.reset_map import ZONES, Marked, ResetMap, grid_for
from volnik.core.numbers.schools import school_points
from volnik.core.shelf.schools import SCHOOLS
from volnik.drawings.fortnight import draw_fortnight
from volnik.drawings.ladder import draw_ladder
from volnik.drawings.resetmap import BOTTOM, LEFT, RIGHT, TOP, draw_map

VAN = van("lfp", chargers=("mains",), absorption_v=14.2, float_v=13.5)


def flat(zone):
    """A map of given zones, shape (50, 50)."""
    none = np.zeros((50, 50), int)
    return ResetMap(
        grid_for(VAN.chemistry, 4), 180.0, none, none, none, none, np.ones((50, 50)), zone, np.zeros((50, 50))
    )


def nothing(**given):
    """A recommendation that says only what is given."""
    start = {
        "charged_voltage_v": None,
        "tail_current_pct": None,
        "hold_s": None,
        "basin": np.zeros((50, 50), bool),
    }
    plain = {
        "up_v": 0,
        "down_v": 0,
        "wider_pct": 0,
        "narrower_pct": 0,
        "regret": 0,
        "weathers": [],
        "sentence": "",
        "hold_regret": {},
        "filled": True,
        "kept": 1.0,
    }
    return Recommended(**{**plain, **start, **given})


class Maps(unittest.TestCase):
    def test_zones_cover_the_map_exactly_once(self):
        zone = np.random.default_rng(1).integers(0, 5, (50, 50))
        zone[10:20] = zone[10]  # rows alike are joined
        drawing = draw_map(flat(zone), nothing(), [])
        area = sum(box.width * box.height for box in drawing.zones)
        self.assertAlmostEqual(area, (RIGHT - LEFT) * (BOTTOM - TOP), delta=0.003 * area)
        for at, name in enumerate(ZONES):
            drawn = sum(box.width * box.height for box in drawing.zones if box.kind == name)
            self.assertAlmostEqual(drawn / area, float((zone == at).mean()), delta=0.003)

    def test_schools_and_the_star_stand_at_their_values_apart_from_each_other(self):
        points = school_points(VAN, SCHOOLS)
        drawing = draw_map(
            flat(np.zeros((50, 50), int)),
            nothing(charged_voltage_v=13.8, tail_current_pct=3.0, hold_s=180.0),
            points,
        )
        self.assertEqual(drawing.star, (drawing.tails.at(3.0), drawing.volts.at(13.8)))
        places = [(mark.x, mark.y) for mark in drawing.marks]
        self.assertEqual(len(set(places)), len(places))
        first = next(mark for mark in drawing.marks if mark.key == "under-absorption")
        self.assertEqual((first.x, first.y), (drawing.tails.at(4.0), drawing.volts.at(13.9)))
        self.assertFalse(next(mark for mark in drawing.marks if mark.key == "highest").same_hold)
        for near in drawing.marks:
            for other in drawing.marks:
                if near.key < other.key:
                    self.assertGreater(abs(near.x - other.x) + abs(near.y - other.y), 18.0)

    def test_the_outline_of_a_square_region_has_four_sides(self):
        basin = np.zeros((50, 50), bool)
        basin[10:20, 5:15] = True
        drawing = draw_map(flat(np.zeros((50, 50), int)), nothing(basin=basin), [])
        self.assertEqual(len(drawing.edges), 4)
        # by hand: ten of fifty columns wide, ten of fifty rows high
        self.assertAlmostEqual(
            max(line.x2 - line.x1 for line in drawing.edges), (RIGHT - LEFT) / 5, delta=0.1
        )
        self.assertAlmostEqual(
            max(abs(line.y2 - line.y1) for line in drawing.edges), (BOTTOM - TOP) / 5, delta=0.1
        )


class Ladders(unittest.TestCase):
    def test_rungs_stand_by_their_volts_and_names_keep_apart(self):
        vehicle = van(
            "flooded",
            chargers=("mains", "solar", "dcdc", "alternator"),
            use=USE.changed(summer_c=30.0, winter_c=0.0),
        )
        found = ladder(vehicle, default_numbers(vehicle.bank, vehicle.chemistry))
        drawing = draw_ladder(found, 6)
        by_key = {rung.key: rung for rung in drawing.rungs}
        self.assertLess(by_key["over"].top, by_key["charged"].top)
        self.assertLess(by_key["charged"].top, by_key["rest_reserve"].top)
        names = sorted(rung.name_y for rung in drawing.rungs)
        gaps = [after - before for before, after in zip(names, names[1:], strict=False)]
        self.assertGreaterEqual(min(gaps), drawing.paper.room - 0.01)
        top, foot = drawing.scale.at(found.high_v), drawing.scale.at(found.low_v)
        self.assertAlmostEqual(drawing.window.y, top)
        self.assertAlmostEqual(drawing.window.height, foot - top, places=2)

    def test_a_pair_out_of_order_is_marked(self):
        vehicle = replace(VAN, sources=(replace(VAN.sources[0], absorption_v=14.55),))
        drawing = draw_ladder(ladder(vehicle, default_numbers(vehicle.bank, vehicle.chemistry)), 4)
        self.assertEqual({rung.key for rung in drawing.rungs if rung.wrong}, {"abs mains", "cut_high"})


class Fortnights(unittest.TestCase):
    def test_resets_are_marked_by_what_they_were_worth(self):
        days = np.linspace(3.0, 17.0, 29)
        marks = [
            (4.0, Marked(0, 0.99, 0.99, True, True)),
            (6.0, Marked(0, 0.93, 0.98, False, True)),
            (9.0, Marked(0, 0.6, 0.62, False, False)),
        ]
        side = Side(
            Setting("this", 13.8, 4, 180), "rightly", "", "", 0.0, 0.0, 3, 2, 1, np.full(29, 0.8), marks
        )
        drawing = draw_fortnight(
            Compared(side, replace(side, marks=[]), 3, 90, days, np.linspace(0.55, 1.0, 29))
        )
        self.assertEqual([mark.kind for mark in drawing.marks], ["right", "heals", "lasts"])
        self.assertEqual(drawing.marks[2].message, "early, and it lasted: true charge 60 %")
        # by hand: day 4 of days 3 to 17 is a fourteenth of the paper's width from the left
        self.assertAlmostEqual(drawing.marks[0].x, 52 + (552 - 52) / 14, delta=0.02)
        self.assertEqual(drawing.truth.count("L"), 28)
        self.assertIn("Days 4 to 17", drawing.message)
