"""The bridge's parts: its file, its box, its clock, figures put together, messages and lines taken apart."""

import math
import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

from volnik.bridge.box import Box
from volnik.bridge.clock import BridgeClock
from volnik.bridge.gather import Gathered
from volnik.bridge.plan import plan_of, read_plan
from volnik.bridge.sources import listening
from volnik.bridge.sources.heard import Ear
from volnik.bridge.sources.mqtt import value_at
from volnik.bridge.sources.text import figures_in
from volnik.core.errors import InvalidInput

LINE = r"V=(?P<volts>[-0-9.,]+) I=(?P<amps>[-0-9.]+)( T=(?P<celsius>[-0-9.]+))?"


def file_of(*sources, **rig):
    """SOURCES.toml as read, with one rig."""
    more = {"id": 3, "key": "k", "source": list(sources)} | rig
    return {"volnik": {"address": "http://127.0.0.1:8370"}, "rig": [more]}


def text_source(**more):
    """A source of text."""
    return {"kind": "text", "listen": "tcp://127.0.0.1:9000", "pattern": LINE} | more


def row(at_ms, volts=13.2, amps=-4.0):
    """A reading."""
    return (at_ms, volts, amps, None, None, None, None)


def ear_of(case, given):
    """The ear of a source that is listened to while a test runs."""
    folder = tempfile.TemporaryDirectory()
    case.addCleanup(folder.cleanup)
    box = Box(Path(folder.name) / "box.sqlite")
    case.addCleanup(box.close)
    rig = plan_of(file_of(given), Path()).rig[0]
    ear = Ear(rig.id, Gathered(5.0), BridgeClock(), box)
    source = listening(rig.source[0], ear, rig)
    source.start()
    case.addCleanup(source.close)
    return ear


class File(unittest.TestCase):
    def test_each_fault_is_told_by_its_place_in_the_file(self):
        topic = {"topic": "van/v", "column": "volts"}
        for given, place, said in (
            (file_of(text_source(pattern="(")), "rig 1, source 1, pattern", "is no pattern"),
            (file_of(text_source(pattern="(?P<song>.)")), "rig 1, source 1, pattern", "names its groups"),
            (file_of(text_source(listen="ftp://x:1")), "rig 1, source 1, listen", "pattern"),
            (file_of(text_source(colour="red")), "rig 1, source 1, colour", "Extra"),
            (
                file_of({"kind": "mqtt", "host": "b", "topics": [topic, topic | {"column": "song"}]}),
                "rig 1, source 1, topics 2, column",
                "is one of",
            ),
            (file_of(text_source(), key=""), "rig 1", "give its key"),
            (
                file_of(text_source(), key="", key_env="NO_SUCH_VARIABLE"),
                "rig 3",
                "NO_SUCH_VARIABLE is not set",
            ),
            (file_of(), "rig 1, source", "at least 1"),
            ({"volnik": {"address": "volnik"}, "rig": []}, "volnik, address", "pattern"),
        ):
            with self.subTest(place=place, said=said), self.assertRaises(InvalidInput) as refused:
                plan_of(given, Path())
            self.assertIn(said, refused.exception.problems.get(place, str(refused.exception.problems)))
            self.assertIn(place, refused.exception.problems)
        twice = file_of(text_source())
        twice["rig"] *= 2
        with self.assertRaises(InvalidInput):
            plan_of(twice, Path())

    def test_a_file_is_read_its_key_from_a_variable_its_box_beside_it(self):
        with tempfile.TemporaryDirectory() as folder, patch.dict("os.environ", {"VAN_KEY": "secret"}):
            file = Path(folder) / "SOURCES.toml"
            file.write_text(
                '[volnik]\naddress = "http://volnik:8370"\n[[rig]]\nid = 1\nkey_env = "VAN_KEY"\n'
                '[[rig.source]]\nkind = "folder"\npath = "/logs"\n'
            )
            plan = read_plan(file)
            self.assertEqual((plan.rig[0].secret, plan.rig[0].too_old_s), ("secret", 5.0))
            self.assertEqual(plan.volnik.box, Path(folder) / "bridge.sqlite")
            for bad in (b"= 3", b"\xff"):
                file.write_bytes(bad)
                with self.assertRaises(InvalidInput):
                    read_plan(file)
            with self.assertRaises(InvalidInput):
                read_plan(Path(folder) / "none.toml")


class Kept(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.file = Path(folder.name) / "box.sqlite"
        self.box = self.opened()

    def opened(self):
        box = Box(self.file)
        self.addCleanup(box.close)
        return box

    def test_readings_wait_over_a_restart_and_go_once_brought(self):
        self.box.put(1, [row(1000), row(2000), row(3000)])
        self.box.put(2, [row(1500)])
        self.box.close()
        box = self.opened()
        first = box.first(1, 2)
        self.assertEqual([each[0] for _, each in first], [1000, 2000])
        box.let_go(1, first[-1][0])
        self.assertEqual((box.waits(1), box.waits(2)), (1, 1))
        self.assertEqual(box.first(1, 9)[0][1], row(3000))
        box.put(2, [row(7000)], by_clock=True)
        box.moved(0, 500)  # those that came with their own time keep it
        self.assertEqual([each[0] for _, each in box.first(2, 9)], [1500, 7500])

    def test_a_week_at_a_hertz_is_under_a_hundred_megabytes_and_the_oldest_go_when_it_is_full(self):
        self.box.put(1, (row(1000 * at, 13.2 + at % 7 / 100, -4.0 - at % 11 / 10) for at in range(20_000)))
        self.box.close()
        self.assertLess(self.file.stat().st_size / 20_000 * 604_800, 100e6)
        with patch("volnik.bridge.box.MOST_ROWS", 100):
            box = self.opened()
            box.put(1, [row(9_000_000)])
            self.assertEqual(box.waits(1), 100)


class Clocks(unittest.TestCase):
    def test_it_goes_on_evenly_and_is_put_right_by_volnik_alone(self):
        wall, steady = [5000.0], [100.0]
        clock = BridgeClock(lambda: wall[0], lambda: steady[0])
        steady[0], wall[0] = 110.0, 999_999.0  # the machine's own clock was set meanwhile
        self.assertEqual(clock.now(), 5010.0)
        self.assertEqual(clock.compared(5011.0), 0.0)
        self.assertEqual(clock.compared(7010.0), 2000.0)
        self.assertEqual(clock.now(), 7010.0)


class Figures(unittest.TestCase):
    def test_volts_and_amps_that_are_fresh_make_a_reading_and_nonsense_is_refused(self):
        gathered = Gathered(5.0)
        self.assertTrue(math.isnan(gathered.heard_s()))
        gathered.hear("volts", 13.2, 100.0)
        self.assertIsNone(gathered.reading(101.0))
        gathered.hear("amps", -4.0, 103.0)
        gathered.hear("celsius", 21.0, 90.0)
        self.assertEqual(gathered.reading(104.0), (104_000, 13.2, -4.0, None, None, None, None))
        self.assertIsNone(gathered.reading(105.5))  # the volts are too old
        for value in (math.nan, math.inf, 2_294_967.0):
            self.assertFalse(gathered.hear("amps", value, 106.0))
        self.assertIn("amps", gathered.refused)
        gathered.hear("volts", 13.2, 106.0)
        gathered.forget()  # the clock was put back: nobody knows how old they are
        self.assertIsNone(gathered.reading(6.0))

    def test_what_stands_in_a_message(self):
        for payload, path, wanted in (
            (b"13.2", "", 13.2),
            (b'{"battery": {"v": 13.2}}', "battery.v", 13.2),
            (b'{"cells": [3.31, 3.32]}', "cells.1", 3.32),
            (b'"-4.5"', "", -4.5),
        ):
            self.assertEqual(value_at(payload, path), wanted)
        for payload, path, wanted in ((b"ON", "", 1.0), (b'{"pump": false}', "pump", 0.0), (b"1", "", 1.0)):
            self.assertEqual(value_at(payload, path, is_switch=True), wanted)
        for payload, path in (
            (b"on", ""),
            (b"\xff\xfe", ""),
            (b"true", ""),
            (b"NaN", ""),
            (b'{"v": null}', "v"),
            (b'{"v": {}}', "v"),
            (b"[1]", "3"),
            (b"{}", "battery.v"),
            (b"[" * 5000, ""),
            (b"1" * 70_000, ""),
        ):
            with self.subTest(payload[:20]), self.assertRaises(ValueError):
                value_at(payload, path)

    def test_what_stands_in_a_line(self):
        source = plan_of(file_of(text_source(scale={"amps": -1.0})), Path()).rig[0].source[0]
        self.assertEqual(figures_in("x V=13,2 I=4.5", source), {"volts": 13.2, "amps": -4.5})
        self.assertEqual(figures_in("V=13.2 I=4 T=21", source)["celsius"], 21.0)
        self.assertEqual(figures_in("hello", source), {})
        with self.assertRaises(ValueError):
            figures_in("V=1.2.3 I=4", source)
