"""Copper, lugs and torque against the gauge's published areas and the trade's tables."""

import unittest

from volnik.core.shelf.conductors import (
    Surroundings,
    ampacity,
    awg_mm2,
    copper_ohm,
    hole_fits,
    read_size,
    torque,
)


class Sizes(unittest.TestCase):
    def test_the_area_of_each_gauge(self):
        for name, mm2 in (  # as printed in the gauge's table, to four figures
            ("4/0", 107.2),
            ("3/0", 85.01),
            ("2/0", 67.43),
            ("1/0", 53.49),
            ("1", 42.41),
            ("2", 33.62),
            ("4", 21.15),
            ("6", 13.30),
            ("8", 8.367),
            ("10", 5.261),
            ("12", 3.309),
            ("14", 2.081),
            ("16", 1.309),
            ("18", 0.8230),
            ("30", 0.05093),
        ):
            with self.subTest(name):
                self.assertAlmostEqual(awg_mm2(name) / mm2, 1.0, delta=6e-4)

    def test_a_size_in_the_ways_people_write_it(self):
        for text, tidy in (
            ("35 mm²", "35 mm²"),
            ("35mm2", "35 mm²"),
            ("35 MM2", "35 mm²"),
            ("35 sq mm", "35 mm²"),
            ("35 qmm", "35 mm²"),
            ("35 mm^2", "35 mm²"),
            ("35 mm", "35 mm²"),
            ("2,5 mm²", "2.5 mm²"),
            ("2.50 mm²", "2.5 mm²"),
            (" 0.75 mm² ", "0.75 mm²"),
            ("2/0 AWG", "2/0 AWG"),
            ("AWG 2/0", "2/0 AWG"),
            ("awg #10", "10 AWG"),
            ("10 awg", "10 AWG"),
            ("#10 AWG", "10 AWG"),
            ("10 ga", "10 AWG"),
            ("10 gauge", "10 AWG"),
        ):
            with self.subTest(text):
                self.assertEqual(read_size(text)[1], tidy)

    def test_what_is_no_size_is_left_or_refused(self):
        for text in ("35", "35 m", "35 A", "mm²", "", "fuse 35 A", "M8", "-2 mm²"):
            with self.subTest(text):
                self.assertIsNone(read_size(text))
        for text in ("0 mm²", "0.01 mm²", "501 mm²", "31 AWG", "5/0 AWG"):
            with self.subTest(text), self.assertRaises(ValueError):
                read_size(text)

    def test_amps_a_size_carries(self):
        for mm2, size, amps in (
            (1.5, "", 25),
            (2.5, "", 35),
            (6, "", 60),
            (16, "", 130),
            (50, "", 270),
            (120, "", 450),
            (5, "", 45),  # between two: the smaller one's
            (60, "", 270),
            (300, "", 475),  # thicker than the thickest
            (0.75, "", 15),  # thinner than the thinnest: 20 A by area
            (awg_mm2("10"), "10 AWG", 60),
            (awg_mm2("2/0"), "2/0 AWG", 330),
            (awg_mm2("18"), "18 AWG", 16.5),  # in no table: 0.823 mm² of 20 A
        ):
            with self.subTest((mm2, size)):
                self.assertAlmostEqual(ampacity(mm2, size), amps, delta=0.05)

    def test_what_it_lies_in_takes_from_what_a_conductor_carries(self):
        for around, amps in (
            (Surroundings(engine_space=True), 210 * 0.8563),  # by hand: sqrt((105 - 50) / 75)
            (Surroundings(70), 210 * 0.7303),  # PVC: sqrt(40 / 75)
            (Surroundings(70, engine_space=True), 210 * 0.5164),  # sqrt(20 / 75)
            (Surroundings(60), 210 * 0.45),
            (Surroundings(60, engine_space=True), 0.0),  # never there
            (Surroundings(bundle=3), 210 * 0.7),
            (Surroundings(bundle=4), 210 * 0.6),
            (Surroundings(bundle=25), 210 * 0.4),
            (Surroundings(ambient_c=105.0), 0.0),
        ):
            with self.subTest(around=around):
                self.assertAlmostEqual(ampacity(35, "", around), amps, delta=0.05)
        self.assertAlmostEqual(ampacity(67.43, "2/0 AWG", Surroundings(60)), 330 * 0.6325, delta=0.05)

    def test_what_a_conductor_loses(self):
        for length_m, mm2, celsius, milliohm in (
            (1.0, 35.0, 20.0, 0.5),  # by hand: 0.0175 / 35
            (2.0, 35.0, 20.0, 1.0),
            (3.0, 2.5, 20.0, 21.0),
            (1.0, 35.0, 70.0, 0.59825),  # 50 K warmer: 19.65 % more
            (0.0, 35.0, 20.0, 0.0),
        ):
            with self.subTest((length_m, mm2, celsius)):
                self.assertAlmostEqual(1000 * copper_ohm(length_m, mm2, celsius=celsius), milliohm)


class Lugs(unittest.TestCase):
    def test_which_hole_goes_over_which_stud(self):
        for hole, stud, fits in (
            ("M8", "M8", ""),
            ("5/16 in", "M8", ""),
            ("M8", "5/16 in", ""),
            ("3/8 in", "M10", ""),
            ("1/4 in", "M6", ""),
            ("1/2 in", "M12", ""),
            ("M8", "M10", "small"),
            ("M6", "M8", "small"),
            ("5/16 in", "3/8 in", "small"),
            ("M10", "M8", "large"),
            ("3/8 in", "5/16 in", "large"),
            ("M12", "M4", "large"),
        ):
            with self.subTest((hole, stud)):
                self.assertEqual(hole_fits(hole, stud), fits)

    def test_torque_to_start_from(self):
        for stud, newton_metres in (
            ("M6", 5.0),
            ("M8", 10.0),
            ("M10", 19.0),
            ("M12", 28.0),
            ("5/16 in", 10.0),
            ("3/8 in", 19.0),
            ("M4", None),  # a screw's: the maker's sheet tells
            ("", None),
            ("M99", None),
        ):
            with self.subTest(stud):
                self.assertEqual(torque(stud), newton_metres)
