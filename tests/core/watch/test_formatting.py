"""Sentences and stages: what is said of a count, and where a rig stands."""

import math
import unittest

from volnik.core.count.runtime import Runtime
from volnik.core.findings import Finding, by_weight
from volnik.core.instants import iso_text, known_zone
from volnik.core.settings import Numbers
from volnik.core.stages import STAGES, RecordFacts, stage_statuses
from volnik.core.units import temperature
from volnik.core.watch.formatting import band_sentence, flow_sentence, since_words, span_words
from volnik.core.watch.outlook import outlook

NUMBERS = Numbers(100.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.1, 20.0, 1.0, 180.0)


class Sentences(unittest.TestCase):
    def test_spans_are_told_as_finely_as_they_matter(self):
        message = {
            0.0: "0 min",
            0.66: "40 min",
            0.99: "59 min",
            0.995: "1 h",
            1.0: "1 h",
            1.5: "1 h 30 min",
            7.333: "7 h 20 min",
            9.0: "9 h",
            9.995: "10 h",
            10.4: "10 h",
            31.2: "31 h",
            47.4: "47 h",
            48.0: "2 days",
            72.0: "3 days",
            500.0: "21 days",
        }
        self.assertEqual({hours: span_words(hours) for hours in message}, message)

    def test_the_runtime_is_always_told_with_the_level_it_runs_to(self):
        empty = Numbers(**{**NUMBERS.as_dict(), "reserve_pct": 0.0})
        cases = [
            (
                Runtime("discharging", 4.2, 31.0),
                NUMBERS,
                True,
                "4.2 A is going out: 31 h to the reserve of 20 %.",
            ),
            (Runtime("discharging", 0.26, 31.0), empty, True, "0.26 A is going out: 31 h to empty."),
            (
                Runtime("discharging", 0.1, 900.0),
                NUMBERS,
                True,
                "more than a fortnight to the reserve of 20 %",
            ),
            (Runtime("discharging", 5.0, 0.0), NUMBERS, True, "already reached: shed loads"),
            (Runtime("discharging", 5.0), NUMBERS, False, "no hours to go until the count is known"),
            (Runtime("charging", -9.0, None, 2.5), NUMBERS, True, "full in 2 h 30 min, without absorption"),
            (Runtime("charging", -9.0, None, 0.0), NUMBERS, True, "the count is at full"),
            (Runtime("charging", -9.0), NUMBERS, False, "unknown until the first full reset"),
            (Runtime("idle", 0.0), NUMBERS, True, "does not move"),
            (Runtime("unknown", math.nan), NUMBERS, True, "no hours to go can be given"),
        ]
        for runtime, numbers, known, words in cases:
            with self.subTest(words):
                self.assertIn(words, flow_sentence(runtime, numbers, known=known))

    def test_a_band_is_told_by_its_half_unless_that_would_mislead(self):
        for centre, low, high, told in (
            (0.71, 0.66, 0.76, "71 %, give or take 5"),
            (0.71, 0.66, 0.74, "71 %, give or take 5"),
            (0.71, 0.60, 0.74, "71 %, between 60 and 74"),
            (0.97, 0.90, 1.0, "97 %, give or take 7"),  # the upper half is cut off by full
            (0.5, 0.499, 0.501, "50 %, give or take less than 1"),
            (math.nan, 0.0, 1.0, "Charge unknown: anywhere from empty to full."),
        ):
            with self.subTest(told):
                self.assertEqual(band_sentence(centre, low, high), told)

    def test_ages_are_told_in_days(self):
        message = [since_words(seconds) for seconds in (60.0, 86_400.0, 9 * 86_400.0 + 5, math.nan)]
        self.assertEqual(message, ["today", "yesterday", "9 days ago", "never"])


class Ahead(unittest.TestCase):
    def test_the_level_to_come_stays_between_full_and_empty(self):
        # by hand: 40 Ah below full and 5 A out: 70 after 6 h, empty after 20
        out = outlook(Runtime("discharging", 5.0, 8.0), 40.0, NUMBERS, [("22:00", 6.0), ("07:00", 20.0)])
        self.assertEqual([item.deficit_ah for item in out], [70.0, 100.0])
        back = outlook(Runtime("charging", -8.0, None, 5.0), 40.0, NUMBERS, [("22:00", 2.0), ("07:00", 20.0)])
        self.assertEqual([item.deficit_ah for item in back], [24.0, 0.0])
        self.assertEqual(outlook(Runtime("idle", 0.0), 40.0, NUMBERS, [("22:00", 2.0)]), [])


class Stages(unittest.TestCase):
    def test_a_stage_is_done_only_by_what_is_on_record(self):
        cases = [
            ((False, False, False, False), ["untouched"] * 3),
            ((True, False, False, False), ["done", "untouched", "untouched"]),
            ((True, True, True, False), ["done", "done", "lacking"]),
            ((True, True, True, True), ["done", "done", "done"]),
        ]
        for (bank, numbers, log, known), states in cases:
            found = {
                status.stage.word: status
                for status in stage_statuses(
                    RecordFacts(
                        has_bank=bank,
                        has_devices=bank,
                        has_numbers=numbers,
                        has_log=log,
                        count_known=known,
                    )
                )
            }
            self.assertEqual([found[word].state for word in ("survey", "numbers", "watch")], states)
            self.assertTrue(all(status.missing_reason for status in found.values() if status.state != "done"))
        self.assertEqual(
            [stage.word for stage in STAGES],
            ["survey", "path", "numbers", "wireup", "prove", "watch", "handover"],
        )

    def test_the_gravest_finding_comes_first(self):
        found = [
            Finding(name, level, "", "", "", "")
            for name, level in (("a", "advise"), ("b", "stop"), ("c", "fix"), ("d", "stop"))
        ]
        self.assertEqual([item.id for item in by_weight(found)], ["b", "d", "c", "a"])


class Plain(unittest.TestCase):
    def test_temperatures_instants_and_zones(self):
        self.assertEqual(temperature(20.0, "us"), (68.0, "°F"))
        self.assertEqual(temperature(20.0, "metric"), (20.0, "°C"))
        self.assertEqual(iso_text(1767225600.0), "2026-01-01T00:00:00Z")
        self.assertEqual(iso_text(1767225600.25), "2026-01-01T00:00:00.250Z")
        self.assertEqual(
            [known_zone(name) for name in ("Europe/London", "UTC", "Moon/Base", "", "../etc", "Europe")],
            [True, True, False, False, False, False],
        )
