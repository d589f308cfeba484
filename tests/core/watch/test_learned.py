"""What a log shows of listed devices, on the hand-made log of test_loads."""

import unittest
from datetime import date

import numpy as np

from tests.core.watch.test_loads import DAYS, MIDNIGHT, NUMBERS, log
from volnik.core.readings import Readings
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.rig.devices import Device, LearnedUse, drawn
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.presets import PRESETS
from volnik.core.simulation.vehicle import ah_a_day
from volnik.core.watch.beside import beside
from volnik.core.watch.checkup.facts import KnownLoad, RigFacts, gather
from volnik.core.watch.checkup.rig_facts import plan_of
from volnik.core.watch.learned import LogSpan, learned, same_use, untold
from volnik.core.watch.loads import tell_apart

SPAN = LogSpan(MIDNIGHT + DAYS * 86400.0, float(DAYS), "UTC")


def device(name, kind="load", **figures):
    return drawn(Device(id=name, kind=kind, name=name, **figures), PRESETS, 12.8)


def told(known, devices, standing=(), inverter=None):
    facts = gather(log(), numbers=NUMBERS, plan=RigFacts("lfp", 4))
    found = tell_apart(facts, known, standing, reserve_ah=160.0, inverter=inverter)
    return found, {one.device_id: one for one in learned(found, devices, SPAN)}


BANK = Bank("lfp", 4, 1, 1, CapacityLabel("nameplate", ah=200.0))
FRIDGE = device("fridge", current_a=6.0, duty=0.5)
LAMP = device("lamp", current_a=2.5, duty=1.0, hours=((17, 23),))
KETTLE = device("kettle", current_a=9.0, duty=0.5, hours=((7, 8),))
KNOWN = (KnownLoad("fridge", 4.2, True, "fridge"), KnownLoad("lamp", 2.5, False, "lamp"))


class Learning(unittest.TestCase):
    def test_amps_duty_and_hours_are_the_logs_own(self):
        _, shown = told((*KNOWN, KnownLoad("kettle", 9.0, False, "kettle")), [FRIDGE, LAMP, KETTLE])
        fridge = shown["fridge"]  # by hand: 4 A for a third of the day, listed 6 A for half of it
        self.assertAlmostEqual(fridge.amps.value, 4.0, delta=0.05)
        self.assertAlmostEqual(fridge.duty.value, 1 / 3, delta=0.01)
        self.assertEqual(fridge.amps.listed, 6.0)
        self.assertTrue(fridge.differs)
        lamp = shown["lamp"]  # 18:12 to 22:12
        self.assertEqual(lamp.hours, ((18.0, 22.0),))
        self.assertAlmostEqual(lamp.use.duty * 4.0 * lamp.use.amps, 10.0, delta=0.4)
        self.assertFalse(shown["kettle"].differs)

    def test_it_counts_for_a_day_and_not_for_the_fuse(self):
        use = LearnedUse(amps=4.0, duty=0.25, days=21, until=date(2026, 8, 1))
        kept = device("fridge", current_a=6.0, duty=0.5, hours=((0, 24),), learned=use)
        self.assertAlmostEqual(ah_a_day(kept), 24.0)
        self.assertEqual((kept.running_a, kept.states("duty")), (6.0, True))

    def test_the_check_of_the_scale_goes_on_by_what_is_listed(self):
        use = LearnedUse(amps=2.0, duty=0.01, hours=((7, 8),), days=21, until=date(2026, 8, 1))
        for kept in (None, use):
            fridge = device("fridge", current_a=6.0, duty=0.5, hours=((0, 24),), learned=kept)
            plan = plan_of(BANK, CHEMISTRIES["lfp"], [fridge])
            self.assertEqual([(load.amps, load.cycles) for load in plan.loads], [(6.0, True)])

    def test_a_use_seen_only_in_part_is_not_taken_over(self):
        # As much again rises and falls slowly in the lamp's hours: part of it may be the lamp's.
        whole = log()
        slow = slow_evening().amps - whole.amps - LAMP_A * evening(whole)
        both = Readings(whole.time_s, whole.volts, whole.amps + 2.0 * slow)
        facts = gather(both, numbers=NUMBERS, plan=RigFacts("lfp", 4))
        found = tell_apart(facts, KNOWN, (), reserve_ah=160.0)
        shown = {one.device_id: one for one in learned(found, [FRIDGE, LAMP], SPAN)}
        self.assertIn("no device is known", shown["lamp"].at_least)
        self.assertIsNone(shown["lamp"].use.duty)

    def test_hours_that_no_device_tells_are_named_with_what_may_be_on_then(self):
        fan = device("fan", current_a=3.0, duty=1.0, hours=((18, 22),))
        found, _ = told(KNOWN[:1], [FRIDGE, fan])
        # the lamp of 2.5 A is a step without a name, so that nothing is left over
        self.assertIsNone(untold(found, [], [fan], SPAN))
        hidden = tell_apart(
            gather(slow_evening(), numbers=NUMBERS, plan=RigFacts("lfp", 4)), KNOWN[:1], (), reserve_ah=160.0
        )
        rest = untold(hidden, [], [fan], SPAN)
        self.assertEqual(rest.devices, ("fan",))
        self.assertTrue(17.5 <= rest.start_h <= 19.0 and 21.0 <= rest.end_h <= 22.5, rest)
        self.assertAlmostEqual(rest.amps, 2.4, delta=0.5)

    def test_the_idle_draw_speaks_against_a_usual_standby_and_not_against_a_stated_one(self):
        usual, stated = device("inverter", kind="inverter"), device("radio", standby_a=0.1)
        self.assertEqual(usual.number("standby_a"), 1.0)
        _, shown = told(KNOWN, [usual, stated])
        self.assertAlmostEqual(shown["inverter"].standby.value, 0.3 - 0.1, delta=0.03)
        self.assertNotIn("radio", shown)
        _, more = told(KNOWN, [device("inverter", kind="inverter", standby_a=0.2)])
        self.assertNotIn("inverter", more)

    def test_an_inverter_is_one_load_at_many_powers(self):
        found, shown = told(
            KNOWN, [FRIDGE, device("inverter", kind="inverter", power_w=1500.0)],
            inverter=KnownLoad("inverter", 140.0, False, "inverter"),
        )  # fmt: skip
        self.assertEqual([load.name for load in found.named if load.many], ["inverter"])
        self.assertEqual(len(found.unknown), 0)
        self.assertIsNone(shown["inverter"].amps)

    def test_what_was_taken_over_goes_on_holding_within_a_tenth(self):
        use = LearnedUse(amps=4.0, duty=0.25, days=21, until=date(2026, 8, 1))
        again = LearnedUse(amps=4.1, duty=0.26, days=22, until=date(2026, 8, 2))
        self.assertTrue(same_use(use, again))
        self.assertFalse(same_use(use, again.model_copy(update={"amps": 5.0})))


LAMP_A = 2.5


def evening(readings):
    """1 while the lamp of that log burns."""
    hour = (readings.time_s / 3600.0) % 24.0
    return ((hour >= 18.2) & (hour < 22.2)).astype(float)


def slow_evening():
    """As the log of test_loads, but its lamp dims up and down over half an hour: no step shows."""
    whole = log()
    hour = (whole.time_s / 3600.0) % 24.0
    lamp = LAMP_A * evening(whole)
    slow = LAMP_A * np.clip((hour - 17.7) / 0.5, 0, 1) * np.clip((22.2 - hour) / 0.5, 0, 1)
    return Readings(whole.time_s, whole.volts, whole.amps + lamp - slow)


class BesideTheCharger(unittest.TestCase):
    def setUp(self):
        self.time_s = MIDNIGHT + 60.0 * np.arange(4 * 1440)
        hour = (self.time_s / 3600.0) % 24.0
        self.gave = 20.0 * np.sin(np.pi * np.clip((hour - 8.0) / 8.0, 0, 1))
        load = np.where((hour > 10) & (hour < 12), 6.0, 1.0)
        self.bank = Readings(self.time_s, np.full(len(hour), 13.4), self.gave - load)

    def test_what_it_gave_and_did_not_arrive_is_the_hidden_load(self):
        held = beside("solar", self.time_s, self.gave, self.bank, "UTC")
        # by hand: eight hours at 1 A, two of them at 6 A: 18 Ah; 20 x 8 x 2/pi = 102 given
        self.assertAlmostEqual(held.hidden_ah_day, 18.0, delta=0.7)
        self.assertAlmostEqual(held.gave_ah_day, 101.9, delta=1.5)
        self.assertAlmostEqual(held.drawn_ah_day, 34.0, delta=1.0)  # 22 h at 1 A, 2 h at 6 A
        self.assertEqual((len(held.days), held.lag_s, held.more_sources), (4, 0.0, False))

    def test_a_clock_an_hour_off_is_seen_and_taken_off(self):
        held = beside("solar", self.time_s + 3600.0, self.gave, self.bank, "UTC")
        self.assertAlmostEqual(held.lag_s, 3600.0, delta=600.0)
        self.assertAlmostEqual(held.hidden_ah_day, 18.0, delta=2.0)

    def test_another_source_is_told_as_such(self):
        more = Readings(self.time_s, self.bank.volts, self.bank.amps + 8.0)
        self.assertTrue(beside("solar", self.time_s, self.gave, more, "UTC").more_sources)

    def test_two_logs_that_do_not_meet_say_nothing(self):
        self.assertIsNone(beside("solar", self.time_s + 1e8, self.gave, self.bank, "UTC"))


if __name__ == "__main__":
    unittest.main()
