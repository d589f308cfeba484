"""One verdict: order, what is spoilt, and when a percentage is believed."""

import math
import unittest

from volnik.core.findings import Finding
from volnik.core.verdict import CountFacts, belief, key_of, of_checkup, spoils, stage_of, verdict
from volnik.core.watch.checkup.cause import Cause

SOUND = CountFacts(known=True, half=0.03)


def finding(name, level="stop", message="It is so.", about=()):
    return Finding(name, level, message, "", "", "path", about=about)


def judged(*findings, count=SOUND, since=None):
    return verdict(findings, count, since=since or {}, now_s=1000.0)


class Believed(unittest.TestCase):
    def test_what_makes_the_count_lie_strikes_it_and_what_endangers_does_not(self):
        for name, level, wanted in (
            ("path.P01", "stop", "not"),
            ("path.P03", "stop", "not"),
            ("path.P02", "fix", "doubt"),
            ("path.P22", "stop", "plain"),  # no main fuse: grave, and the count is right
            ("path.P20", "stop", "plain"),
            ("numbers.N02", "stop", "not"),
            ("numbers.N18", "stop", "doubt"),
            ("numbers.N07", "advise", "plain"),
            ("prove.R01", "stop", "not"),
            ("prove.R02", "fix", "doubt"),
            ("count.C03", "stop", "plain"),
            ("bank.B04", "fix", "plain"),
        ):
            with self.subTest(name, level=level):
                self.assertEqual(judged(finding(name, level)).believed, wanted)

    def test_the_count_itself_says_when_it_is_in_doubt(self):
        for count, wanted in (
            (CountFacts(), "unknown"),
            (SOUND, "plain"),
            (CountFacts(known=True, half=0.34), "doubt"),
            (CountFacts(known=True, half=math.nan), "plain"),
            (CountFacts(known=True, half=0.02, claimed=True), "doubt"),
            (CountFacts(known=True, half=0.02, wired_s=5.0, full_seen=False), "doubt"),
            (CountFacts(known=True, half=0.02, wired_s=5.0, full_seen=True), "plain"),
        ):
            with self.subTest(count):
                self.assertEqual(judged(count=count).believed, wanted)

    def test_an_unknown_count_is_not_called_a_lie(self):
        self.assertEqual(belief([finding("path.P01")], CountFacts()), ("unknown", ""))

    def test_a_cause_in_the_log_counts_by_how_likely_it_is(self):
        for cause, likelihood, level, wanted in (
            ("charger_bypass", 0.97, "stop", "not"),
            ("charger_bypass", 0.5, "advise", "plain"),
            ("dead_band", 0.9, "fix", "doubt"),
            ("charger_bypass", 0.2, None, "plain"),
        ):
            with self.subTest(cause, likelihood=likelihood):
                made = of_checkup(Cause(cause, likelihood, "seen", "measure"))
                self.assertEqual([each.level for each in made], [] if level is None else [level])
                self.assertEqual(judged(*made).believed, wanted)


class Order(unittest.TestCase):
    def test_the_gravest_first_and_of_like_gravity_what_spoils_the_count(self):
        told = judged(
            finding("numbers.N07", "advise"),
            finding("path.P22"),
            finding("numbers.N03", "fix"),
            finding("path.P01"),
        )
        ids = [each.finding.id for each in told.findings]
        self.assertEqual(ids, ["path.P01", "path.P22", "numbers.N03", "numbers.N07"])
        self.assertEqual(told.worst.spoils, "count")

    def test_what_follows_goes_under_its_cause(self):
        both = judged(finding("path.P01"), finding("count.C04", "fix"))
        self.assertEqual([each.finding.id for each in both.findings], ["path.P01"])
        alone = judged(finding("count.C04", "fix"))
        self.assertEqual((len(alone.findings), alone.believed), (1, "doubt"))

    def test_a_finding_keeps_the_day_it_was_first_seen(self):
        old, new = finding("path.P01", about=("fan",)), finding("path.P01", about=("heater",))
        told = judged(old, new, since={key_of(old): 40.0})
        self.assertEqual([each.since_s for each in told.findings], [40.0, 1000.0])

    def test_each_family_has_its_stage_and_what_it_spoils(self):
        for name, level, stage, spoilt in (
            ("bank.B01", "advise", "survey", "path"),
            ("alarms.A01", "fix", "watch", "promise"),
            ("checkup.scale", "stop", "watch", "count"),
            ("prove.R01", "stop", "prove", "count"),
            ("path.P22", "stop", "path", "safety"),
        ):
            with self.subTest(name):
                made = finding(name, level)
                self.assertEqual((stage_of(made), spoils(made)), (stage, spoilt))
