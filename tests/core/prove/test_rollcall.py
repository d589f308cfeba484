"""The roll call: steps found among noise, surges, glow plugs and cycling fridges; verdicts at their limits.

One common factor.
"""

import unittest

import numpy as np

from tests.core.path.rigs import analysed, bank, cable, device, sound
from volnik.core.path.edits import apply
from volnik.core.prove import checks
from volnik.core.prove.rollcall import (
    Verdict,
    called,
    common_scale,
    expected_of,
    judge_step,
    was_minus_left_out,
)
from volnik.core.prove.steps import changes, noise_of, seen_between
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import CHEMISTRIES

NUMBERS = Numbers(100, 20, 1.1, 0.95, 14.2, 4, 180, 0.1, 50, 1.0, 180)
DEVICES = [
    device("lamp", current_a=4.0),
    device("heater", "heater"),
    device("kettle", "inverter", power_w=600, efficiency=0.9),
    device("mains", "mains", most_a=30),
]


def made(*parts, seed=1, noise=0.02):
    """Readings at 1 Hz: (seconds, amps) after one another, with noise."""
    level = np.concatenate([np.full(seconds, float(amps)) for seconds, amps in parts])
    amps = np.round(level + np.random.default_rng(seed).normal(0, noise, len(level)), 2)
    return np.arange(len(amps)) + 1e9, amps


def found(parts, on, off, expected, **more):
    time_s, amps = made(*parts, **more)
    return seen_between(time_s, amps, on_s=1e9 + on, off_s=1e9 + off, expected_a=expected)


class Steps(unittest.TestCase):
    def test_noise_is_told_in_spite_of_steps(self):
        for noise in (0.02, 0.1):
            _, amps = made((30, 0), (30, -8), (30, 0), noise=noise)
            self.assertAlmostEqual(noise_of(amps), noise, delta=0.4 * noise)

    def test_a_step_is_seen_with_its_sign_and_size(self):
        for parts, on, off, expected, amps in (
            ([(30, -1), (20, -5), (20, -1)], 31, 51, (-4.0,), -4.0),
            ([(30, -1), (20, 11), (20, -1)], 31, 51, (12.0,), 12.0),
            ([(30, -1), (20, -5), (20, -1)], 45, 68, (-4.0,), -4.0),  # pressed late
            ([(30, -1), (2, -30), (20, -5), (20, -1)], 31, 53, (-4.0,), -4.0),  # start-up surge
            ([(30, -1), (1, -60), (40, -1)], 31, 51, (-4.0,), 0.0),  # a lone spike
            ([(70, -1)], 31, 51, (-4.0,), 0.0),  # bypasses
            ([(30, -1), (20, 3), (20, -1)], 31, 51, (-4.0,), 4.0),  # reversed
        ):
            with self.subTest(parts):
                seen_ = found(parts, on, off, expected)
                self.assertAlmostEqual(seen_.amps, amps, delta=0.08)
                self.assertTrue(seen_.agrees)

    def test_a_fridge_that_cycles_meanwhile_is_told_apart(self):
        seen_ = found([(30, -1), (12, -10), (20, -14), (15, -10), (30, -1), (20, -1)], 43, 64, (-4.0,))
        self.assertAlmostEqual(seen_.amps, -4.0, delta=0.08)
        self.assertEqual(sorted(round(other.delta_a) for other in seen_.others), [-9, 9])

    def test_something_that_switches_with_it_asks_for_once_more(self):
        seen_ = found([(30, -1), (20, -9), (20, -5)], 31, 51, (-4.0,))  # on with -8, off with +4
        self.assertFalse(seen_.agrees)

    def test_a_glow_plug_that_ends_between_is_the_heaters_own(self):
        # by hand: 9 A while glowing, then 2 A running, then off
        seen_ = found([(30, 0), (180, -9), (30, -2), (20, 0)], 31, 241, (-2.0, -9.0))
        self.assertAlmostEqual(seen_.amps, -9.0, delta=0.1)
        self.assertTrue(seen_.agrees)

    def test_slow_readings_show_a_step_an_interval_late(self):
        amps = np.array([-1.0, -1.02, -0.99, -1.0, -5.0, -5.01, -4.99, -1.0, -1.01, -1.0])
        time_s = 1e9 + 60.0 * np.arange(10)
        # switched and pressed just after the reading at 180 s, and at 360 s: seen at 240 s and 420 s
        seen_ = seen_between(
            time_s, amps, on_s=1e9 + 180, off_s=1e9 + 360, expected_a=(-4.0,), began_s=1e9 + 120
        )
        self.assertAlmostEqual(seen_.amps, -4.0, delta=0.05)

    def test_no_change_is_found_in_plain_noise_of_any_seed(self):
        for seed in range(200):
            _, amps = made((120, -2), seed=seed)
            self.assertEqual(changes(np.arange(120.0), amps, least_a=5 * noise_of(amps)), [], seed)


class Verdicts(unittest.TestCase):
    def setUp(self):
        self.drawing = analysed(sound(DEVICES))
        self.one = {device.id: device for device in self.drawing.devices}

    def judge(self, device_id, seen_a, *, expected=None, drawing=None, **more):
        item = self.one[device_id]
        return judge_step(
            item,
            expected_a=expected or expected_of(item, 12.5),
            seen_a=seen_a,
            noise_a=0.02,
            drawing=drawing or self.drawing,
            **more,
        )

    def test_watts_are_expected_over_the_volts_seen_and_amps_as_listed(self):
        self.assertAlmostEqual(expected_of(self.one["kettle"], 12.5)[0], -600 / (12.5 * 0.9))
        self.assertEqual(expected_of(self.one["lamp"], 12.5), (-4.0,))
        self.assertEqual(expected_of(self.one["heater"], 12.5), (-2.0, -9.0))

    def test_limits(self):
        for seen_a, word, proven in (
            (-4.0, "counted", True),
            (-2.8, "counted", True),
            (-2.79, "partly", False),
            (-5.2, "counted", True),
            (-5.21, "more than listed", True),
            (-0.4, "partly", False),
            (-0.39, "not counted", False),
            (0.39, "not counted", False),
            (0.41, "reversed", False),
            (4.0, "reversed", False),
        ):
            with self.subTest(seen_a):
                verdict = self.judge("lamp", seen_a)
                self.assertEqual((verdict.word, verdict.proven), (word, proven))

    def test_a_start_phase_counts_as_well_as_running(self):
        for seen_a in (-9.1, -2.1):
            self.assertEqual(self.judge("heater", seen_a).word, "counted")
        self.assertEqual(self.judge("heater", 0.0).word, "not counted")

    def test_less_than_five_times_the_noise_is_too_small_to_tell(self):
        self.assertEqual(self.judge("lamp", -0.08, expected=(-0.09,)).word, "too small to tell")
        self.assertEqual(self.judge("lamp", -0.1, expected=(-0.11,)).word, "counted")

    def test_a_source_is_held_against_its_own_display(self):
        self.assertEqual(self.judge("mains", 11.6, expected=(12.0,)).word, "counted")
        self.assertEqual(self.judge("mains", 0.1, expected=(12.0,)).word, "not counted")

    def test_a_verdict_against_the_drawing_points_at_the_wire_or_the_drawing(self):
        verdict = self.judge("lamp", 0.0)
        self.assertIn("follow the wire, or correct the drawing", verdict.next)
        self.assertEqual(verdict.at, "lamp_minus")
        base = sound(DEVICES)
        moved = analysed(
            base,
            wiring=apply(base, [{"op": "move_end", "cable": "lamp_minus", "end": "b", "to": "A1.minus"}]),
        )
        agreed = self.judge("lamp", 0.0, drawing=moved)
        self.assertNotIn("follow the wire", agreed.next)
        self.assertIn("the drawing is wrong", self.judge("lamp", -4.0, drawing=moved).next)

    def test_a_partial_share_asks_for_a_clamp_and_the_clamp_settles_it(self):
        twin = bank(parallel=2)
        base = sound(DEVICES, twin, cable("second", "A1.minus", "nb", 0.3, "70 mm²"))
        partial = analysed(base)
        self.assertTrue(0.05 < partial.shares["lamp"].value < 0.95)
        self.assertEqual(self.judge("lamp", -2.0, drawing=partial).word, "clamp wanted")
        self.assertEqual(self.judge("lamp", -2.0, drawing=partial, clamp_a=4.0).word, "partly")
        self.assertEqual(
            self.judge("lamp", -2.0, clamp_a=2.1).word, "counted"
        )  # rated differently, as the clamp shows

    def test_loads_are_called_before_sources(self):
        self.assertEqual([item.id for item in called(self.drawing)], ["lamp", "heater", "kettle", "mains"])

    def test_one_common_factor_is_the_shunts_rating(self):
        self.assertIn("75 mV", common_scale({"a": 1.5, "b": 1.47, "c": 1.53, "d": 1.0}).sentence)
        for ratios in (
            {"a": 1.0, "b": 0.97, "c": 1.04},
            {"a": 1.5, "b": 1.5},
            {"a": 1.5, "b": 0.8, "c": 1.1, "d": 2.0},
            {"a": 0.0, "b": 0.02, "c": 0.01},
        ):
            self.assertIsNone(common_scale(ratios), ratios)


class Checks(unittest.TestCase):
    def setUp(self):
        self.drawing = analysed(sound(DEVICES))
        self.mains = next(device for device in self.drawing.devices if device.id == "mains")

    def test_each_measurement_at_its_limit(self):
        nominal = self.drawing.nominal_v
        judge = checks
        for verdict, word in (
            (judge.judge_volts(12.70, 12.74, nominal_v=12.0), "well"),
            (judge.judge_volts(12.70, 12.76, nominal_v=12.0), "off"),
            (judge.judge_volts(25.40, 25.49, nominal_v=24.0), "well"),
            (judge.judge_zero(0.1, NUMBERS), "well"),
            (judge.judge_zero(-0.12, NUMBERS), "off"),
            (judge.judge_gain(-20.0, -19.5), "well"),
            (judge.judge_gain(-20.0, -19.3), "off"),
            (judge.judge_gain(3.0, 3.0), "too small to tell"),
            (judge.judge_temperature(19.0, 15.0), "well"),
            (judge.judge_temperature(21.0, 15.0), "off"),
            (judge.judge_auxiliary("starter", 12.7, 12.6), "well"),
            (judge.judge_auxiliary("starter", 12.7, 12.2), "off"),
            (judge.judge_auxiliary("midpoint", 12.70, 25.4), "well"),
            (judge.judge_auxiliary("midpoint", 12.40, 25.4), "off"),
            (judge.judge_joint("link", 10.0, 100.0), "well"),  # by hand: 0.1 mΩ, 1 W
            (judge.judge_joint("link", 40.0, 100.0), "worth a look"),  # 0.4 mΩ, 4 W
            (judge.judge_joint("link", 60.0, 100.0), "hot"),  # 0.6 mΩ, 6 W
            (judge.judge_joint("link", 12.0, 10.0), "hot"),  # 1.2 mΩ
            (judge.judge_joint("link", 1.0, 2.0), "too small to tell"),
            (judge.judge_full(14.3, 3.9, 4, NUMBERS, CHEMISTRIES["agm"], cells=6), "well"),
            (judge.judge_full(14.1, 3.9, 4, NUMBERS, CHEMISTRIES["agm"], cells=6), "not yet"),
            (judge.judge_full(14.3, 4.1, 4, NUMBERS, CHEMISTRIES["agm"], cells=6), "not yet"),
            (judge.judge_full(14.3, 3.9, 2, NUMBERS, CHEMISTRIES["agm"], cells=6), "not yet"),
            # a charger that shows 6.4 A while 5.9 A arrive: 0.5 A are used
            (judge.judge_net(self.mains, 6.4, 5.9, known_a=0.2), "well"),
            (judge.judge_net(self.mains, 6.4, 4.0, known_a=0.2), "more than listed"),
            (judge.judge_net(self.mains, 6.4, 0.0, known_a=0.2), "not counted"),
            (judge.judge_net(self.mains, 6.4, 7.4, known_a=0.2), "off"),
            (judge.judge_volts(12.70, 12.65, nominal_v=12.0), "well"),
            (judge.judge_volts(12.70, 12.64, nominal_v=12.0), "off"),
            (judge.judge_volts(52.00, 52.20, nominal_v=48.0), "well"),
            (judge.judge_volts(52.00, 52.21, nominal_v=48.0), "off"),
            (judge.judge_zero(0.0, None), "well"),
            (judge.judge_zero(-0.11, None), "off"),
            (judge.judge_gain(-20.0, -20.6), "well"),
            (judge.judge_gain(20.0, 20.7), "off"),
            (judge.judge_gain(-50.0, 49.0), "sign"),  # a load is on: charging cannot be
            (judge.judge_gain(50.0, -49.0), "sign"),  # the clamp's minus was left out
            (judge.judge_gain(5.0, 5.0), "well"),
            (judge.judge_full(14.3, -2.5, 4, NUMBERS, CHEMISTRIES["agm"], cells=6), "not yet"),
            (judge.judge_full(999.0, 3.9, 4, NUMBERS, CHEMISTRIES["agm"], cells=6), "cannot be"),
            (judge.judge_full(14.3, 3.9, 20_000, NUMBERS, CHEMISTRIES["agm"], cells=6), "cannot be"),
            (judge.judge_gain(4.9, 4.9), "too small to tell"),
            (judge.judge_temperature(10.0, 15.0), "well"),
            (judge.judge_temperature(9.9, 15.0), "off"),
            (judge.judge_temperature(-5.0, -1.0), "well"),
            (judge.judge_auxiliary("starter", 12.7, 12.9), "well"),
            (judge.judge_auxiliary("starter", 12.7, 12.95), "off"),
            (judge.judge_auxiliary("starter", 11.4, 11.4), "off"),  # no starter battery at rest
            (judge.judge_auxiliary("starter", 15.6, 15.6), "off"),
            (judge.judge_auxiliary("midpoint", 12.95, 25.4), "well"),  # 2.0 % from half
            (judge.judge_auxiliary("midpoint", 12.96, 25.4), "off"),
            (judge.judge_auxiliary("midpoint", 12.7, 0.0), "off"),
            (judge.judge_joint("link", 30.0, 100.0), "well"),  # 0.3 mΩ, 3 W
            (judge.judge_joint("link", -40.0, -100.0), "worth a look"),  # whichever way round the tips
            (judge.judge_joint("link", 5.0, 5.0), "worth a look"),  # 1 mΩ, 25 mW
            (judge.judge_full(14.2, 4.0, 3, NUMBERS, CHEMISTRIES["agm"], cells=6), "well"),
            (judge.judge_full(14.3, 0.5, 60, None, CHEMISTRIES["agm"], cells=6), "seen"),
            (judge.judge_reach({"bay": 8.0}), "well"),
            (judge.judge_main(20.0, 19.5), "well"),  # 3 % of 20 A is 0.6 A
            (judge.judge_main(20.0, 19.3), "not counted"),
            (judge.judge_main(6.0, 5.7), "well"),
            (judge.judge_main(20.0, 22.0), "off"),
            (judge.judge_main(-20.0, -20.0), "well"),
            (judge.judge_main(3.0, 1.0), "too small to tell"),
            (judge.judge_net(self.mains, 0.4, 0.4, known_a=0.2), "too small to tell"),
            (judge.judge_net(self.mains, 6.4, 6.7, known_a=0.2), "well"),
            (judge.judge_net(self.mains, 20.0, 17.8, known_a=0.2), "well"),  # 10 % and what is known
            (judge.judge_net(self.mains, 20.0, 1.9, known_a=0.2), "not counted"),
        ):
            with self.subTest(verdict.sentence):
                self.assertEqual(verdict.word, word)
        self.assertAlmostEqual(nominal, 12.0, delta=0.9)

    def test_a_chargers_way_is_reckoned_from_its_volts_and_the_banks(self):
        # by hand: (14.40 − 14.10) V / 30 A = 10 mΩ, 9 W
        for charger_v, bank_v, amps, ohm, words in (
            (14.40, 14.10, 30.0, 0.008, "0.30 V at 30.0 A: 10.0 mΩ, 9.0 W. As drawn it has 8.0 mΩ."),
            (14.40, 14.10, 30.0, 0.004, "look at its joints"),
            (14.40, 14.10, 30.0, None, "10.0 mΩ, 9.0 W."),
            (14.40, 14.10, 3.0, 0.004, "too little"),
            (14.00, 14.10, 30.0, 0.004, "0.10 V less than the battery"),
        ):
            with self.subTest(words):
                self.assertIn(words, checks.judge_loop(charger_v, bank_v, amps, drawn_ohm=ohm))

    def test_idle_draw_is_split_into_what_is_known(self):
        known = dict(checks.known_idle(self.drawing))
        self.assertEqual(known, {"Heater": 0.05, "Kettle": 1.0})  # the presets' standby
        verdict = checks.judge_idle(-1.2, self.drawing)
        self.assertEqual(verdict.word, "well")
        self.assertIn("28.8 Ah a day", verdict.sentence)  # by hand: 24 x 1.2
        self.assertEqual(checks.judge_idle(-1.7, self.drawing).word, "more than listed")
        self.assertEqual(checks.judge_idle(0.5, self.drawing).word, "off")


class Signs(unittest.TestCase):
    def test_one_that_reads_backwards_among_others_that_do_not_is_asked_about(self):
        backwards = Verdict("reversed", "stop", "lamp: counted the wrong way round.", "", -1.0)
        self.assertEqual(was_minus_left_out(backwards, 2).word, "sign")
        self.assertIn("minus left out", was_minus_left_out(backwards, 2).next)
        self.assertEqual(was_minus_left_out(backwards, 1).word, "reversed")
        fine = Verdict("counted", None, "", "", 1.0, proven=True)
        self.assertIs(was_minus_left_out(fine, 5), fine)
