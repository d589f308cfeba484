"""The check-up against rigs whose fault is known, rigs without one, and logs that hold nothing."""

import unittest

import numpy as np

from benchmarks.trials.independent import outside
from benchmarks.trials.rigs import trial
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.watch.checkup.facts import KnownLoad, RigFacts, gather
from volnik.core.watch.checkup.registry import checkup, mended, names
from volnik.core.watch.checkup.unseen import unseen_charge

NUMBERS = Numbers(200.0, 20.0, 1.03, 0.99, 13.9, 4.0, 180.0, 0.1, 15.0, None, 180.0)


def plan(item):
    """What the Survey would tell of a trial rig."""
    loads = tuple(KnownLoad(load.name, load.amps, load.way == "cycling") for load in item.loads)
    return RigFacts(item.chemistry, item.cells, loads, (item.absorption_v,), item.sources)


def looked(item, *, with_plan=True):
    return checkup(item.readings, numbers=item.numbers, plan=plan(item) if with_plan else None)


def log(volts, amps, *, step_s=60.0):
    return Readings(1.7e9 + step_s * np.arange(len(volts)), np.array(volts, float), np.array(amps, float))


class Faults(unittest.TestCase):
    # Seeds apart from those the thresholds were set on; what each must find at least, of three rigs each.
    SURE = {
        "reversed": 3,
        "scale": 3,
        "charger_bypass": 3,
        "load_bypass": 2,
        "weak_block": 3,
        "changed_device": 3,
        "efficiency": 2,
        "early_resets": 2,
        "never_resets": 2,
    }

    def test_each_fault_is_named_first_on_rigs_of_another_family(self):
        for fault, least in self.SURE.items():
            for chemistry in ("lfp", "flooded"):
                with self.subTest(fault, chemistry=chemistry):
                    found = [looked(trial("apart", seed, chemistry, fault)) for seed in (500, 503, 504)]
                    first = [finding.causes[0].cause if finding.causes else "" for finding in found]
                    self.assertGreaterEqual(first.count(fault), least, first)

    def test_charge_that_may_have_gassed_accuses_no_load(self):
        item = trial("set", 103, "flooded")
        volts, amps = item.readings.volts, item.readings.amps
        taking = {"gassing": volts > 14.2, "filling": (volts > 12.9) & (volts < 14.0) & (amps > 0.5)}
        hours = float(np.median(np.diff(item.readings.time_s))) / 3600.0
        taken = float(-amps[amps < 0].sum()) * hours  # Ah, as much again as the loads took
        for where, there in taking.items():
            more = np.where(there, taken / (float(there.sum()) * hours), 0.0)
            made = checkup(
                Readings(item.readings.time_s, volts, amps + more, item.readings.extra),
                numbers=item.numbers,
                plan=plan(item),
            )
            with self.subTest(where):
                self.assertGreater(len(made.facts.fulls), 2)
                self.assertEqual("load_bypass" in [cause.cause for cause in made.causes], where == "filling")

    def test_what_a_value_can_mend_comes_with_the_value(self):
        item = trial("apart", 503, "lfp", "scale")
        factor = float(item.message.split("×")[1])
        self.assertAlmostEqual(
            looked(item).causes[0].corrected["amps_factor"], 1.0 / factor, delta=0.06 / factor
        )
        offset = trial("set", 21, "lfp", "zero_offset")
        found = looked(offset).causes[0]
        self.assertEqual(found.cause, "zero_offset")
        self.assertAlmostEqual(
            found.corrected["amps_offset_a"], -float(offset.message.split()[0]), delta=0.08
        )
        put_right = mended(item.readings, {"amps_factor": -2.0, "amps_offset_a": 1.0})
        np.testing.assert_allclose(put_right.amps, -2.0 * item.readings.amps + 1.0)

    def test_a_pair_of_faults_is_told_as_two(self):
        item = trial("apart", 63, "lfp", "dead_band")
        turned = Readings(item.readings.time_s, item.readings.volts, -item.readings.amps, item.readings.extra)
        names = [found.cause for found in checkup(turned, numbers=item.numbers, plan=plan(item)).causes]
        self.assertEqual((names[0], set(names)), ("reversed", {"reversed", "dead_band"}))

    def test_charge_that_came_in_unseen_is_estimated_from_full_to_full(self):
        whole = trial("set", 20, "lfp")
        item = trial("set", 20, "lfp", "charger_bypass")
        unseen = unseen_charge(gather(item.readings, numbers=item.numbers, plan=plan(item)))
        # The same seed without the fault is the same rig, seen whole: what it shows more of is what the other
        # did not see.
        first, last = unseen.each[0][0], unseen.each[-1][1]
        inside = (whole.readings.time_s >= first) & (whole.readings.time_s < last)
        more = float((whole.readings.amps - item.readings.amps)[inside].sum()) / 60.0
        self.assertAlmostEqual(sum(ah for _, _, ah in unseen.each) / max(more, 1.0), 1.0, delta=0.1)
        self.assertAlmostEqual(float(unseen.amps.sum()) / 6.0, sum(ah for _, _, ah in unseen.each), delta=1.0)


class AnotherSimulator(unittest.TestCase):
    """Logs of benchmarks/trials/independent.py, which shares no law with what the check-up knows."""

    def asked(self, seed, chemistry, fault, *, partly=False):
        rig = outside(seed, chemistry, fault, partly=partly)
        return rig, checkup(rig.readings, numbers=rig.numbers, plan=rig.plan)

    def test_what_begins_part_way_is_named_with_its_day_and_the_device_it_is_about(self):
        for fault in ("reversed", "scale", "charger_bypass", "load_bypass"):
            near = 0
            for seed in (3001, 3002, 3003):
                rig, found = self.asked(seed, "lfp", fault, partly=True)
                first = found.causes[0] if found.causes else None
                dated = first is not None and first.since_s is not None
                near += dated and first.cause == fault and abs(first.since_s - rig.begun_s) < 2 * 86_400.0
            self.assertGreaterEqual(near, 2, fault)
        _, found = self.asked(3001, "lfp", "load_bypass")
        self.assertEqual((found.causes[0].since_s, found.causes[0].about), (None, ("fridge",)))

    def test_sound_logs_are_left_in_peace_and_their_figures_hold_the_truth(self):
        for chemistry in ("lfp", "flooded"):
            for seed in range(3000, 3006):
                rig, found = self.asked(seed, chemistry, "")
                self.assertEqual([cause.cause for cause in found.causes], [], (seed, chemistry))
                for each in found.measures:
                    if each.key == "zero":  # as drawn: a deviation of 15 mA
                        self.assertTrue(each.low - 0.05 < 0.0 < each.high + 0.05, (seed, each))
                    if each.key == "capacity":  # worn by a tenth at most
                        self.assertLess(each.low, 1.04 * rig.numbers.capacity_ah, (seed, each))

    def test_a_capacity_that_cannot_be_told_is_an_interval_and_a_measurement(self):
        _, found = self.asked(3000, "flooded", "capacity")
        told = {unsure.cause: unsure.why for unsure in found.cannot_tell}
        self.assertRegex(told["capacity"], r"It holds (more than|between) \d+.*discharge from full")

    def test_what_a_bypass_falsifies_is_not_measured(self):
        _, found = self.asked(3001, "lfp", "charger_bypass")
        self.assertEqual({each.key for each in found.measures}, {"resistance"})


class Healthy(unittest.TestCase):
    def test_sound_rigs_are_not_accused(self):
        accused = []
        for chemistry in ("lfp", "flooded", "agm", "gel"):
            for seed in range(700, 710):
                found = looked(trial("apart", seed, chemistry))
                accused += [(chemistry, seed, cause.cause, cause.evidence) for cause in found.causes]
        self.assertLessEqual(len(accused), 1, accused)

    def test_without_a_plan_scale_and_efficiency_cannot_be_told(self):
        found = looked(trial("apart", 701, "lfp", "efficiency"), with_plan=False)
        self.assertEqual({"scale", "efficiency"} - {item.cause for item in found.cannot_tell}, set())
        self.assertNotIn("efficiency", [cause.cause for cause in found.causes])
        self.assertEqual(found.facts.chemistry, "lfp")


class NothingToTell(unittest.TestCase):
    def test_logs_that_hold_nothing_are_answered_without_a_verdict(self):
        rng = np.random.default_rng(1)
        day = 3 * 1440
        cases = {
            "none": log([], []),
            "one": log([13.0], [-1.0]),
            "constant volts": log([13.2] * day, rng.normal(-2, 1, day)),
            "zeros": log([0.0] * day, [0.0] * day),
            "constant": log([13.2] * day, [0.0] * day),
            "noise": log(13.2 + rng.normal(0, 0.006, day), rng.normal(0, 0.02, day)),
            "not numbers": log([float("nan")] * day, [float("nan")] * day),
            "spikes": log(np.where(rng.random(day) < 0.5, 1e9, 13.0), rng.normal(0, 1e6, day)),
        }
        for name, readings in cases.items():
            with self.subTest(name), np.errstate(all="raise", under="ignore"):
                for numbers in (NUMBERS, None):
                    found = checkup(readings, numbers=numbers)
                    self.assertEqual(found.causes, [])
                    self.assertGreater(len(found.cannot_tell), 3)

    def test_years_of_gaps_and_a_few_spikes_do_not_make_a_fault(self):
        item = trial("apart", 702, "lfp")
        amps, volts, time_s = (
            item.readings.amps.copy(),
            item.readings.volts.copy(),
            item.readings.time_s.copy(),
        )
        amps[::5000], volts[7::5000] = 1e7, float("nan")
        time_s[len(time_s) // 2 :] += 3 * 365 * 86400.0
        found = checkup(
            Readings(time_s, volts, amps, item.readings.extra), numbers=item.numbers, plan=plan(item)
        )
        self.assertEqual([each.cause for each in found.causes], [])
        self.assertGreater(found.facts.spikes, 4)

    def test_every_cause_is_named_or_looked_at(self):
        for fault in names():
            self.assertTrue(trial("set", 1, "lfp", fault, days=2).message or fault == "reversed", fault)
