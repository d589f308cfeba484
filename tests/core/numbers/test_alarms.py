"""Alarms and relay: where to start, what speaks against one, what goes on the sheet."""

import unittest

import numpy as np

from tests.core.numbers.vehicles import USE
from tests.core.path.rigs import analysed, bank, device, sound
from volnik.core.errors import InvalidInput
from volnik.core.numbers.alarms import (
    KINDS,
    RELAYS,
    Alarm,
    Alarms,
    alarm_findings,
    main_fuse_a,
    on_sheet,
    starting_alarms,
)
from volnik.core.numbers.sag import sag_ohm
from volnik.core.settings import Numbers
from volnik.core.shelf.dialects import DIALECTS
from volnik.core.simulation.vehicle import vehicle_of

NUMBERS = Numbers(200, 20, 1.03, 0.99, 13.9, 4, 180, 0.1, 20, 1.0, 180)
PHONE = next(item for item in DIALECTS if item.key == "phone")
DEVICES = [
    device("fridge", current_a=5.0),
    device("inverter", "inverter", power_w=1200),
    device("mains", "mains", most_a=30, absorption_v=14.2, float_v=13.5),
]


def rig(chemistry="lfp", auxiliary="temperature"):
    """A van with a 200 A main fuse, its spare input as said."""
    item = sound(DEVICES, bank(chemistry, ah=200.0), auxiliary=auxiliary)
    drawing = analysed(item)
    return drawing, vehicle_of(drawing, use=USE, latitude=45.0)


class Starting(unittest.TestCase):
    def test_it_follows_from_reserve_ladder_fuse_and_spare_input_and_contradicts_nothing(self):
        for chemistry in ("lfp", "agm", "flooded", "gel"):
            for auxiliary in ("temperature", "starter", "none"):
                with self.subTest(chemistry, auxiliary=auxiliary):
                    drawing, vehicle = rig(chemistry, auxiliary)
                    alarms = starting_alarms(drawing, vehicle, NUMBERS, PHONE)
                    self.assertEqual(
                        [
                            alarm_finding.message
                            for alarm_finding in alarm_findings(alarms, drawing, vehicle, NUMBERS, PHONE)
                        ],
                        [],
                    )
                    self.assertEqual(
                        alarms.one("cold_charge") is not None,
                        chemistry == "lfp" and auxiliary == "temperature",
                    )
                    self.assertEqual(alarms.one("starter_low") is not None, auxiliary == "starter")
        drawing, vehicle = rig()
        alarms = starting_alarms(drawing, vehicle, NUMBERS, PHONE)
        self.assertEqual(main_fuse_a(drawing), 200)
        self.assertEqual(
            (alarms.one("over_current").level, alarms.one("low_charge").level), (180.0, 25.0)
        )  # by hand: 0.9 x 200 A; 20 + 5 %

    def test_the_sag_under_the_heaviest_load_comes_from_the_log_where_it_shows_one(self):
        drawing, vehicle = rig()
        usual = starting_alarms(drawing, vehicle, NUMBERS, PHONE).one("low_volts").level
        stiff = starting_alarms(drawing, vehicle, NUMBERS, PHONE, sag_ohm=0.001).one("low_volts").level
        self.assertGreater(stiff, usual)
        # by hand: six draws of 40 A more for five minutes, each 0.4 V lower: 10 mOhm
        amps = np.tile(np.concatenate([np.full(60, -1.0), np.full(30, -41.0)]), 6)
        volts = np.where(amps < -20.0, 12.8, 13.2)
        time_s = 10.0 * np.arange(len(amps))
        self.assertAlmostEqual(sag_ohm(time_s, volts, amps, 200.0), 0.01)
        # hours of it take charge out: the volts that fall with it are no sag
        long = np.tile(np.concatenate([np.full(60, -1.0), np.full(900, -41.0)]), 6)
        fall = np.tile(np.concatenate([np.full(60, 13.2), 12.8 - 0.5 * np.arange(900) / 900.0]), 6)
        self.assertAlmostEqual(sag_ohm(10.0 * np.arange(len(long)), fall, long, 200.0), 0.0107, places=3)
        self.assertIsNone(sag_ohm(time_s[:400], volts[:400], amps[:400], 200.0))

    def test_only_what_the_monitor_is_to_speak_goes_on_the_sheet(self):
        drawing, vehicle = rig()
        alarms = starting_alarms(drawing, vehicle, NUMBERS, PHONE)
        self.assertIsNone(on_sheet(None))
        self.assertEqual(set(on_sheet(alarms)), {"low_alarm_pct", "low_alarm_v", "high_alarm_v"})
        quiet = Alarms(
            alarms=tuple(
                alarm.changed(on=alarm.key != "surplus", monitor=alarm.key != "low_volts")
                for alarm in alarms.alarms
            )
        )
        self.assertEqual(
            set(on_sheet(quiet)),
            {"low_alarm_pct", "high_alarm_v", "relay_on_pct", "relay_off_pct", "relay_least_s"},
        )
        self.assertEqual(on_sheet(quiet)["relay_least_s"], 1800.0)  # half an hour of a generator


class Speaking(unittest.TestCase):
    def test_each_contradiction_is_named(self):
        # LFP 12 V: cut-off 11.6 V, rest at 20 % 12.92 V, chargers 14.2 V, cell cut-off 14.6 V, full rest 13.6
        # V; main fuse 200 A
        for key, level, release, found in (
            ("low_charge", 15, 30, "alarms.A01"),
            ("low_charge", 25, 101, "alarms.A02"),
            ("relay", 10, 40, "alarms.A03"),
            ("relay", 30, 33, "alarms.A04"),
            ("relay", 30, 120, "alarms.A02"),
            ("low_volts", 11.5, 12.5, "alarms.A05"),
            ("low_volts", 13.0, 13.2, "alarms.A06"),
            ("low_volts", 12.4, 14.5, "alarms.A02"),
            ("high_volts", 14.1, 13.9, "alarms.A07"),
            ("high_volts", 14.7, 14.3, "alarms.A08"),
            ("high_volts", 14.4, 13.5, "alarms.A02"),
            ("over_current", 200, 150, "alarms.A10"),
            ("over_current", 90, 80, "alarms.A11"),
            ("over_charge", 5, 4, "alarms.A16"),
            ("surplus", 100, 96, "alarms.A02"),
            ("surplus", 95, 60, "alarms.A17"),
            ("cold_charge", -5, 2, "alarms.A12"),
        ):
            with self.subTest(key, level=level, release=release):
                drawing, vehicle = rig()
                least = 30.0 if key in RELAYS else None
                alarms = Alarms(alarms=(Alarm(key=key, level=level, release=release, least_min=least),))
                self.assertEqual(
                    [
                        alarm_finding.id
                        for alarm_finding in alarm_findings(alarms, drawing, vehicle, NUMBERS, PHONE)
                    ],
                    [found],
                )
                off = Alarms(alarms=(Alarm(key=key, level=level, release=release, on=False),))
                self.assertEqual(alarm_findings(off, drawing, vehicle, NUMBERS, PHONE), [])

    def test_an_alarm_without_its_sensor_or_its_speaker_is_named(self):
        drawing, vehicle = rig(auxiliary="none")
        hot = Alarms(alarms=(Alarm(key="hot", level=50, release=45),))
        self.assertEqual(
            [alarm_finding.id for alarm_finding in alarm_findings(hot, drawing, vehicle, NUMBERS, PHONE)],
            ["alarms.A13"],
        )
        spoken = Alarms(alarms=(Alarm(key="over_current", level=180, release=150, monitor=True),))
        self.assertEqual(
            [alarm_finding.id for alarm_finding in alarm_findings(spoken, drawing, vehicle, NUMBERS, PHONE)],
            ["alarms.A14"],
        )
        bare = [device("fridge", current_a=5.0)]
        unfused = sound(bare, bank("lfp"))
        main = unfused.wiring.cable("main").changed(fuse=None)
        drawing = analysed(unfused, wiring=unfused.wiring.with_cable(main))
        over = Alarms(alarms=(Alarm(key="over_current", level=180, release=150),))
        self.assertEqual(
            [alarm_finding.id for alarm_finding in alarm_findings(over, drawing, vehicle, NUMBERS, PHONE)],
            ["alarms.A09"],
        )

    def test_what_can_never_clear_or_is_spoken_by_nobody_is_refused(self):
        for key, kind in KINDS.items():
            with self.subTest(key), self.assertRaises((InvalidInput, ValueError)):
                Alarm(key=key, level=20, release=19 if kind.below else 21)
        with self.assertRaises((InvalidInput, ValueError)):
            Alarm(key="hot", level=50, release=45, monitor=False, volnik=False)
        with self.assertRaises(ValueError):
            Alarms(alarms=(Alarm(key="hot", level=50, release=45), Alarm(key="hot", level=51, release=45)))
