"""Alarms judged: delay, release, quiet hours, the limit a day; the same in one span or in many.

Against a slow twin.
"""

import math
import unittest
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from volnik.core.numbers.alarms import Alarm, Alarms
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.watch.alarm_engine import (
    AlarmState,
    after_quiet,
    dry,
    in_quiet,
    judge,
    judge_silence,
    values_for,
)
from volnik.core.watch.opinions import Opinion, reconcile
from volnik.core.watch.reminders import LeftForNow, Milestones, due_dates, never_equalised

NOON = 1_700_049_600.0  # 2023-11-15 12:00 UTC
LOW = Alarm(key="low_volts", level=12.0, release=12.4, delay_s=120.0)
NUMBERS = Numbers(100.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.1, 20.0, 1.0, 180.0)


def at(*values, start_s=NOON, step_s=60.0):
    return start_s + step_s * np.arange(len(values)), np.array(values, float)


def describe(judged):
    return [
        (
            incident.start_s - NOON,
            None if incident.is_open else incident.end_s - NOON,
            incident.worst,
            not math.isnan(incident.spoke_s),
            incident.held,
        )
        for incident in judged.incidents
    ]


def slow(alarm, time_s, values, gap_s):
    """The rule in so many words, reading by reading: (begin, end) of each incident."""
    found, since, begun, last = [], None, None, None
    for when, value in zip(time_s, values, strict=True):
        if begun is None:
            if last is not None and when - last > gap_s:
                since = None
            if not math.isnan(value) and value < alarm.level:
                since = when if since is None else since
                if when - since >= alarm.delay_s:
                    begun = when
            else:
                since = None
        elif not math.isnan(value) and value > alarm.release:
            found.append((begun, when))
            begun = since = None
        last = when
    return [*found, *([(begun, None)] if begun is not None else [])]


class Judged(unittest.TestCase):
    def test_it_speaks_after_its_delay_and_is_silent_only_once_released(self):
        found = judge(LOW, *at(12.8, 11.9, 11.8, 11.7, 12.2, 12.3, 12.5, 11.9, 12.1), gap_s=300.0, zone="UTC")
        # by hand: passed at 60 s, so it speaks at 180; 12.2 and 12.3 lie below the release of 12.4
        self.assertEqual(describe(found), [(180.0, 360.0, 11.7, True, "")])
        still = judge(LOW, *at(11.9, 11.9, 11.9, 11.5), gap_s=300.0, zone="UTC")
        self.assertEqual(describe(still), [(120.0, None, 11.5, True, "")])

    def test_a_silence_breaks_the_delay(self):
        time_s, values = at(11.9, 11.9, 11.9)
        time_s[2] += 3600.0
        self.assertEqual(describe(judge(LOW, time_s, values, gap_s=300.0, zone="UTC")), [])

    def test_quiet_hours_hold_it_back_and_it_speaks_after_them_if_it_lasts(self):
        quiet = LOW.changed(quiet=(22.0, 7.0), delay_s=0.0)
        night = NOON + 11 * 3600.0  # 23:00
        self.assertTrue(in_quiet(quiet, night, "UTC"))
        self.assertFalse(in_quiet(quiet, NOON, "UTC"))
        self.assertEqual(after_quiet(quiet, night, "UTC"), NOON + 19 * 3600.0)  # by hand: 07:00
        short = judge(quiet, *at(12.8, 11.9, 12.8, start_s=night), gap_s=300.0, zone="UTC").incidents[0]
        self.assertEqual((math.isnan(short.spoke_s), short.held), (True, "quiet"))
        long = judge(quiet, *at(*([11.9] * 600), start_s=night), gap_s=300.0, zone="UTC").incidents[0]
        self.assertEqual((long.spoke_s, long.held), (NOON + 19 * 3600.0, "quiet"))

    def test_it_speaks_no_more_often_a_day_than_its_limit(self):
        few = LOW.changed(delay_s=0.0, most_a_day=2)
        values = [12.8, 11.9] * 5 + [12.8]
        spoke = [
            not math.isnan(incident.spoke_s)
            for incident in judge(few, *at(*values), gap_s=300.0, zone="UTC").incidents
        ]
        self.assertEqual(spoke, [True, True, False, False, False])
        run = dry(
            few, judge(few, *at(*values), gap_s=300.0, zone="UTC").incidents, start_s=NOON, end_s=NOON + 600.0
        )
        self.assertEqual((run.spoke, run.most_a_night), (2, 0))

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.sampled_from([11.5, 11.9, 12.0, 12.2, 12.5, float("nan")]), min_size=1, max_size=60),
        st.integers(0, 59),
        st.integers(0, 59),
    )
    def test_spans_of_any_length_come_to_the_same_and_to_what_the_slow_twin_says(self, values, cut, hole):
        time_s, levels = at(*values)
        time_s[min(hole, len(time_s) - 1) :] += 900.0
        whole = judge(LOW, time_s, levels, gap_s=300.0, zone="UTC")
        cut = min(cut, len(time_s))
        first = judge(LOW, time_s[:cut], levels[:cut], gap_s=300.0, zone="UTC", state=AlarmState())
        second = judge(LOW, time_s[cut:], levels[cut:], gap_s=300.0, zone="UTC", state=first.state)
        joined = [incident for incident in first.incidents if not incident.is_open] + second.incidents
        if cut == len(time_s):
            joined = first.incidents
        self.assertEqual(
            [(item.start_s, item.worst) for item in joined],
            [(incident.start_s, incident.worst) for incident in whole.incidents],
        )
        self.assertEqual(
            [
                (incident.start_s, None if incident.is_open else incident.end_s)
                for incident in whole.incidents
            ],
            slow(LOW, time_s, levels, 300.0),
        )

    def test_each_kind_looks_at_its_own_quantity(self):
        readings = Readings(
            NOON + 60.0 * np.arange(3),
            np.array([13.0, 13.1, 13.2]),
            np.array([-90.0, 5.0, 0.0]),
            {"celsius": np.array([-2.0, -3.0, -4.0]), "starter_volts": np.full(3, 12.2)},
        )
        soc = np.array([0.5, 0.4, math.nan])

        def values(key, **more):
            kinds = {
                "hot": (50, 45),
                "high_volts": (14.8, 14.4),
                "over_current": (80, 60),
                "days_since_full": (14, 1),
            }
            level, release = kinds.get(key, (1.0, 5.0))
            return values_for(
                Alarm(key=key, level=level, release=release),
                readings,
                soc,
                np.array(more.get("full", [])),
                NUMBERS,
                first_s=NOON - 86400.0,
            ).tolist()

        self.assertEqual(values("low_charge")[:2], [50.0, 40.0])
        self.assertEqual(values("over_current"), [90.0, -5.0, 0.0])
        self.assertEqual(values("cold_charge"), [6.0, -3.0, 6.0])  # only while it charges
        self.assertEqual(values("starter_low"), [12.2] * 3)
        self.assertAlmostEqual(values("days_since_full")[0], 1.0)  # since the log began
        self.assertAlmostEqual(values("days_since_full", full=[NOON - 2 * 86400.0])[0], 2.0)

    def test_a_silence_longer_than_its_level_is_told(self):
        alarm = Alarm(key="no_reading", level=15.0, release=1.0, delay_s=0.0)
        found = judge_silence(alarm, [(NOON, NOON + 600.0), (NOON + 1000.0, NOON + 4600.0)], zone="UTC")
        self.assertEqual([(finding.start_s - NOON, finding.worst) for finding in found], [(1900.0, 60.0)])


class Beside(unittest.TestCase):
    def test_dates_follow_from_the_record(self):
        day = 86400.0
        dated = Milestones(
            last_full_s=NOON,
            log_begin_s=NOON - 9 * day,
            log_end_s=NOON + day,
            built_s=NOON - 100 * day,
            torqued_s=math.nan,
            equalised_s=math.nan,
        )
        found = {
            due_date.key: (due_date.at_s - NOON) / day
            for due_date in due_dates(Alarms(), dated, chemistry="flooded", bridged=False)
        }
        self.assertEqual(
            found, {"full": 14.0, "equalise": 21.0, "file": 31.0, "torque": -70.0, "firmware": 265.0}
        )  # by hand: 30 - 9; 1 + 30; the first month, 30 - 100; 365 - 100
        off = Alarms(
            alarms=(
                Alarm(key="days_since_full", level=7, release=1, on=False),
                Alarm(key="retorque_due", level=365, release=1),
            )
        )
        found = {
            due_date.key: (due_date.at_s - NOON) / day
            for due_date in due_dates(off, dated, chemistry="lfp", bridged=True)
        }
        self.assertEqual(found, {"torque": -70.0, "firmware": 265.0})
        later = replace(dated, torqued_s=NOON - 60 * day)
        due = due_dates(off, later, chemistry="lfp", bridged=True)
        found = {each.key: (each.at_s - NOON) / day for each in due}
        self.assertEqual(found["torque"], 305.0)  # yearly from then on: 365 - 60

    def test_a_full_charge_is_due_by_the_counts_own_drift_or_for_the_batterys_sake(self):
        day = 86400.0
        for chemistry, half, wanted in (
            ("lfp", 0.02, 25.0),  # by hand: 2 % in five days are 10 % in 25
            ("lfp", 0.005, 30.0),
            ("agm", 0.005, 14.0),
            ("agm", 0.05, 10.0),
            ("lfp", 0.4, 3.0),
        ):
            dated = Milestones(NOON, NOON - day, NOON + 5 * day, math.nan, math.nan, math.nan, half=half)
            full = next(due for due in due_dates(Alarms(), dated, chemistry=chemistry, bridged=True))
            with self.subTest(chemistry, half=half):
                self.assertEqual((full.at_s - NOON) / day, wanted)
                self.assertEqual("hardening" in full.why, chemistry == "agm" and wanted == 14.0)

    def test_winter_and_what_was_left_have_their_day(self):
        autumn = datetime(2026, 11, 20, tzinfo=UTC).timestamp()
        known = Milestones(math.nan, math.nan, autumn, math.nan, math.nan, math.nan)
        left = LeftForNow(7, "fan on a spare fuse", autumn + 5.0)
        for latitude, wanted in ((52.0, "2027-10-01"), (-40.0, "2027-04-01"), (10.0, None)):
            found = due_dates(
                Alarms(), replace(known, latitude=latitude, left=(left,)), chemistry="lfp", bridged=True
            )
            days = {due.key: datetime.fromtimestamp(due.at_s, UTC).date().isoformat() for due in found}
            self.assertEqual(days.get("season"), wanted)
            self.assertEqual(days["left-7"], "2026-11-20")

    def test_sealed_batteries_are_never_equalised(self):
        self.assertEqual(never_equalised("flooded"), "")
        for chemistry in ("agm", "gel", "lfp"):
            self.assertIn("Never", never_equalised(chemistry))

    def test_counters_are_weighed_by_what_they_count(self):
        two = [
            Opinion(name="port", soc_pct=90, capacity_ah=100, full_s=NOON - 2 * 86400, amps=-8),
            Opinion(name="starboard", soc_pct=60, capacity_ah=200, full_s=None, amps=-4),
        ]
        found = reconcile(two, bank_ah=300.0, shunt_soc=0.9, shunt_half=0.03, at_s=NOON)
        self.assertAlmostEqual(found.soc, 0.7)  # by hand: (90 x 100 + 60 x 200) / 300
        self.assertAlmostEqual(found.off, 0.2)
        self.assertAlmostEqual(found.imbalance, 0.3)
        self.assertAlmostEqual(found.each[0].uncertainty, 0.02 + 2 * 0.004)
        self.assertAlmostEqual(found.share_off, 2 / 3 - 1 / 3)
        self.assertFalse(found.agree)
        self.assertIn("starboard has not been full", " ".join(found.sentences))
        self.assertIn("port carries 67 % of the current with 33 % of the Ah", found.sentences[-1])
        far = reconcile(
            [Opinion(name="one", soc_pct=40.0, capacity_ah=100.0)],
            bank_ah=100.0,
            shunt_soc=0.65,
            shunt_half=0.02,
            at_s=0.0,
        )
        self.assertIn("25 points above them: so far apart one of them is wrong", " ".join(far.sentences))
        with self.assertRaisesRegex(ValueError, "no opinion"):
            reconcile([], bank_ah=1, shunt_soc=1, shunt_half=0, at_s=0)
