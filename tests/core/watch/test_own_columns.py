"""What a rig's own columns tell: sound packs, chargers and counters left alone, faulty ones named."""

import math
import unittest

import numpy as np

from volnik.core.readings import Readings
from volnik.core.watch.checkup.facts import thinned
from volnik.core.watch.own_columns.cells import cell_findings, cells_of
from volnik.core.watch.own_columns.chargers import (
    chargers_of,
    hidden_now,
    seen_findings,
    seen_of,
    seen_words,
    way_findings,
    way_of,
    way_words,
)
from volnik.core.watch.own_columns.counters import counter_of, is_sound, jump_words
from volnik.core.watch.own_columns.despiked import despiked
from volnik.core.watch.own_columns.passing import said_in_passing
from volnik.core.watch.own_columns.switches import switch_of, switch_words
from volnik.tasks.demo import dome_log

TIME_S = 1e9 + 60.0 * np.arange(200)
LFP = {"chemistry": "lfp", "low_v": 2.90, "high_v": 3.65}


def cells(offsets, *, level=3.33, amps=0.5):
    """Four cells that stand apart by so much, at rest."""
    columns = {f"cell_volts_{at + 1}": np.full(200, level + off) for at, off in enumerate(offsets)}
    return cells_of(TIME_S, np.full(200, amps), columns, 100.0, chemistry="lfp")


class Cells(unittest.TestCase):
    def test_a_sound_pack_is_left_alone_also_full_and_empty(self):
        for level, amps in ((3.33, 0.5), (3.50, 20.0), (3.00, -30.0)):
            found = cells((0.0, 0.004, -0.003, 0.002), level=level, amps=amps)
            self.assertEqual(cell_findings(found, **LFP), [], level)

    def test_held_near_full_and_near_empty_sound_cells_part_and_are_left_alone(self):
        for level in (3.48, 3.10):
            self.assertEqual(cell_findings(cells((0.0, 0.07, -0.01, 0.0), level=level), **LFP), [], level)
        self.assertNotEqual(cell_findings(cells((0.0, 0.07, -0.01, 0.0), level=3.30), **LFP), [])

    def test_cells_that_part_at_rest_are_told_and_named(self):
        found = cells((0.0, 0.05, -0.02, 0.0))
        self.assertAlmostEqual(found.rest_v, 0.07)
        self.assertEqual((found.first_high, found.first_low), ("cell 2", "cell 3"))
        (said,) = cell_findings(found, **LFP)
        self.assertEqual((said.level, said.id), ("advise", "watch.W04"))
        self.assertIn("70 mV", said.message)

    def test_one_at_its_limit_ahead_of_the_others_is_to_be_mended(self):
        (high,) = cell_findings(cells((0.0, 0.16, 0.0, 0.0), level=3.48, amps=20.0), **LFP)
        self.assertEqual(high.level, "fix")
        self.assertIn("3.64 V, 160 mV ahead", high.message)
        (low,) = cell_findings(cells((0.0, -0.28, 0.0, 0.0), level=3.18, amps=-30.0), **LFP)
        self.assertIn("cell 2) fell to 2.90 V", low.message)
        # all of them full together is no fault of one
        self.assertEqual(cell_findings(cells((0.0, 0.02, 0.0, 0.0), level=3.62, amps=20.0), **LFP), [])

    def test_extremes_alone_serve_and_one_cell_alone_does_not(self):
        pair = {"cell_volts_low": np.full(200, 3.30), "cell_volts_high": np.full(200, 3.34)}
        found = cells_of(TIME_S, np.full(200, 0.0), pair, 100.0, chemistry="lfp")
        self.assertEqual((found.first_high, round(found.parted_v, 3)), ("", 0.04))
        del pair["cell_volts_low"]
        self.assertIsNone(cells_of(TIME_S, np.full(200, 0.0), pair, 100.0, chemistry="lfp"))


class Counters(unittest.TestCase):
    def counter(self, percent, amps=-6.0):
        return counter_of("percent_pack", TIME_S, np.full(200, amps), np.array(percent), capacity_ah=100.0)

    def test_one_that_counts_does_not_jump_nor_after_a_silence(self):
        # 6 A of 100 Ah are 0.1 points a minute; in whole points
        self.assertEqual(self.counter(np.round(90.0 - 0.1 * np.arange(200))).jumps, ())
        silent = np.where(np.arange(200) % 40 == 0, 90.0 - 0.1 * np.arange(200), np.nan)
        self.assertEqual(self.counter(silent).jumps, ())
        # 400 A empty a twentieth of it a minute: no jump either
        self.assertEqual(self.counter(np.maximum(0.0, 99.0 - 6.6 * np.arange(200)), amps=-400.0).jumps, ())
        self.assertIsNone(self.counter(np.full(200, np.nan)))

    def test_a_restart_is_told_and_a_reset_near_full_is_none(self):
        found = self.counter(np.where(np.arange(200) < 120, 63.0, 100.0))
        (jump,) = found.jumps
        self.assertEqual((jump.before, jump.after, jump.time_s), (63.0, 100.0, TIME_S[120]))
        self.assertEqual(found.full_s, TIME_S[-1])
        self.assertFalse(is_sound(jump, 0.64))
        self.assertIn("restarted and claims full", jump_words(jump, 0.64, words="pack counter"))
        self.assertTrue(is_sound(jump, 0.97))
        self.assertIn("as it should be", jump_words(jump, 0.97, words="pack counter"))
        self.assertTrue(is_sound(jump, math.nan))  # nobody knows: no finding
        (lost,) = self.counter(np.where(np.arange(200) < 120, 63.0, 50.0)).jumps
        self.assertIn("lost its supply", jump_words(lost, 0.63, words="pack counter"))


class Chargers(unittest.TestCase):
    def test_its_way_is_told_apart_from_what_the_meters_differ_by(self):
        amps = np.linspace(0.0, 30.0, 200)
        bank_v = np.full(200, 13.4)
        way = way_of("charger_volts_mains", bank_v + 0.010 * amps + 0.05, amps, bank_v)  # 10 mΩ, meters 50 mV
        self.assertAlmostEqual(way.milliohm, 10.0, delta=0.1)
        self.assertAlmostEqual(way.meters_v, 0.05, delta=0.002)
        self.assertLess(way.low, 10.0)
        self.assertGreater(way.high, 10.0)
        self.assertFalse(way.loses_much)  # 0.3 V of 13.4 V are 2.2 %
        bad = way_of("charger_volts_mains", bank_v + 0.020 * amps, amps, bank_v)  # 0.6 V: 4.5 %
        (said,) = way_findings([bad])
        self.assertIn("0.59 V are lost at 30 A", said.message)

    def test_at_one_current_the_meters_stay_in_it_and_too_little_tells_nothing(self):
        steady = np.full(200, 20.0)
        way = way_of("charger_volts", np.full(200, 13.6), steady, np.full(200, 13.4))
        self.assertTrue(math.isnan(way.meters_v))
        self.assertLess(way.low, 9.0)  # 0.2 V at 20 A are 10 mΩ, give or take 30 mV / 20 A
        self.assertIn("hardly changed", way_words(way))
        self.assertIsNone(way_of("charger_volts", np.full(200, 13.6), np.zeros(200), np.full(200, 13.4)))
        columns = {"charger_volts_a": np.full(200, 13.6), "charger_amps_a": steady, "charger_volts_b": steady}
        self.assertEqual(
            [each.name for each in chargers_of(columns, np.full(200, 13.4))], ["charger_volts_a"]
        )

    def test_a_charger_the_shunt_does_not_see_is_named_by_its_own_steps(self):
        """Twelve amps on and off, the battery's volts with them; and one at float that follows a load."""
        gives = 12.0 * (np.arange(200) // 10 % 2)
        load = 3.0 + 2.0 * (np.arange(200) // 7 % 2)
        volts = 13.2 + 0.01 * (gives - load)
        for name, amps, share in (
            ("sound", gives - load, 1.0),
            ("unseen", -load, 0.0),
            ("half", 0.5 * gives - load, 0.5),
        ):
            (seen,) = seen_of(TIME_S, {"charger_amps_sun": gives}, amps, volts)
            self.assertAlmostEqual(seen.share, share, delta=0.1, msg=name)
            self.assertTrue(seen.low < share < seen.high, name)
            named = [each.id for each in seen_findings([(seen, "sun")])]
            self.assertEqual(named, ["watch.W08"] if name == "unseen" else [])
            self.assertEqual("another side" in seen_words(seen, "sun"), name == "half")
        full = np.full(200, 13.8)
        for column, v in ((load, full), (np.full(200, np.nan), volts)):
            self.assertEqual(seen_of(TIME_S, {"charger_amps_sun": column}, np.zeros(200), v), [])
        self.assertEqual(seen_of(TIME_S, {}, load, volts), [])

    def test_of_two_suns_that_rise_together_the_unseen_one_is_told(self):
        rng = np.random.default_rng(3)
        sky = 8.0 * rng.random(200)
        one, two = sky + rng.random(200), 0.6 * sky + rng.random(200)
        volts = 13.2 + 0.01 * (one + two)
        seen = {each.name: each for each in seen_of(TIME_S, {"one": one, "two": two}, one - 3.0, volts)}
        self.assertGreater(seen["one"].low, 0.9)
        self.assertLess(seen["two"].high, 0.1)
        (alone,) = seen_of(TIME_S, {"two": two}, one + two - 3.0, volts)  # the other one tells nothing
        self.assertIn("another charger", seen_words(alone, "second sun"))
        self.assertEqual(seen_findings([(alone, "second sun")]), [])

    def test_the_lorrys_own_steps_name_its_sun_and_clear_its_alternator(self):
        log = dome_log(1_795_910_400.0)
        week = log.part(len(log) - 7 * 1440, len(log))
        own = {name: week.extra[f"charger_amps_{name}"] for name in ("solar_controller", "dc_dc_charger")}
        for sun_seen, least, most in ((0.0, -0.2, 0.2), (1.0, 0.85, 1.15)):
            amps = week.amps + sun_seen * own["solar_controller"]
            seen = {each.name: each for each in seen_of(week.time_s, own, amps, week.volts)}
            self.assertGreater(seen["solar_controller"].low, least)
            self.assertLess(seen["solar_controller"].high, most)
            self.assertGreater(seen["dc_dc_charger"].low, 0.9)

    def test_what_loads_take_straight_is_told_within_the_meters_doubt(self):
        given = {"charger_amps_mains": 12.4, "amps": 11.6}
        self.assertEqual(
            hidden_now(given),
            "chargers give 12.4 A, 11.6 A arrive: 0.8 A go straight to loads now, or past the shunt",
        )
        self.assertIn("no load that shows", hidden_now({"charger_amps": 12.0, "amps": 11.8}))
        self.assertIn("something else gives 3.0 A more", hidden_now({"charger_amps": 12.0, "amps": 15.0}))
        self.assertEqual(hidden_now({"charger_amps": 0.1, "amps": -4.0}), "")
        self.assertEqual(
            said_in_passing({"cell_volts_1": 3.30, "cell_volts_2": 3.41, "amps": -1.0}),
            ("cells 3.30 to 3.41 V, 110 mV apart",),
        )


class Switches(unittest.TestCase):
    def test_its_amps_are_told_by_its_turns(self):
        state = (np.arange(200) // 20 % 2).astype(float)
        found = switch_of("switch_pump", TIME_S, -0.3 - 4.1 * state, state, gap_s=300.0)
        self.assertEqual((found.turns, found.is_on, found.since_s), (9, True, TIME_S[180]))
        self.assertAlmostEqual(found.amps, -4.1)
        self.assertAlmostEqual(found.on_h, 99 / 60.0)  # four times 20 minutes, and 19 at the end
        self.assertIn("takes 4.1 ± 0.1 A by 9 turns", switch_words(found).replace("0.0", "0.1"))

    def test_one_that_moves_nothing_says_so_and_two_turns_say_nothing(self):
        state = (np.arange(200) // 20 % 2).astype(float)
        found = switch_of("switch_pump", TIME_S, np.full(200, -3.0), state, gap_s=300.0)
        self.assertFalse(found.shows)
        self.assertIn("no step above 0.3 A", switch_words(found))
        once = switch_of(
            "switch_pump", TIME_S, np.full(200, -3.0), (np.arange(200) > 99).astype(float), gap_s=300.0
        )
        self.assertTrue(math.isnan(once.amps))
        self.assertIn("from 3 on", switch_words(once))
        self.assertIsNone(switch_of("switch_pump", TIME_S, TIME_S, np.full(200, np.nan), gap_s=300.0))


class Wild(unittest.TestCase):
    def test_one_wild_figure_is_no_event_and_a_step_stays_a_step(self):
        values = np.array([3.3, 3.3, 9.0, 3.3, 3.3, 3.5, 3.5, 3.5, 9.0])
        np.testing.assert_array_equal(despiked(values), [3.3, 3.3, 3.3, 3.3, 3.3, 3.5, 3.5, 3.5, 3.5])
        np.testing.assert_array_equal(despiked(np.array([9.0, 1.0])), [9.0, 1.0])
        columns = {f"cell_volts_{at}": np.full(200, 3.33) for at in range(4)}
        columns["cell_volts_2"][50] = 3.64  # a frame that was read wrongly
        found = cells_of(TIME_S, np.full(200, 0.5), columns, 100.0, chemistry="lfp")
        self.assertEqual(cell_findings(found, **LFP), [])
        percent = np.full(200, 63.0)
        percent[120] = 0.0
        counted = counter_of("percent", TIME_S, np.full(200, -6.0), percent, capacity_ah=100.0)
        self.assertEqual(counted.jumps, ())

    def test_what_comes_seldom_is_not_lost_where_readings_are_averaged(self):
        time_s = 1e9 + np.arange(100.0)
        seldom = np.where(np.arange(100) % 25 == 3, 81.0, np.nan)
        made = thinned(Readings(time_s, np.full(100, 13.2), np.full(100, -2.0), {"percent": seldom}))
        self.assertEqual(len(made), 10)
        np.testing.assert_array_equal(np.flatnonzero(np.isfinite(made.extra["percent"])), [0, 2, 5, 7])
        self.assertEqual(set(made.extra["percent"][[0, 2, 5, 7]]), {81.0})
