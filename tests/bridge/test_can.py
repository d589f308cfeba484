"""CAN buses: vectors worked by hand, blanks, instances, priorities, maps that are no use, logs, a bus."""

import tempfile
import time
import unittest
from pathlib import Path

import can

from tests.bridge.test_parts import file_of
from volnik.bridge.box import Box
from volnik.bridge.clock import BridgeClock
from volnik.bridge.gather import Gathered
from volnik.bridge.plan import plan_of
from volnik.bridge.sources.can import CanListening, Decoder, MapRefused, group_of, rows_of_log
from volnik.bridge.sources.heard import Ear
from volnik.core.errors import InvalidInput

HOUSE = {"Instance": 1}
SIGNALS = (
    {"signal": "DC_SOURCE_STATUS_1.Volts", "column": "volts", "where": HOUSE},
    {"signal": "DC_SOURCE_STATUS_1.Amps", "column": "amps", "where": HOUSE},
    {"signal": "DC_SOURCE_STATUS_2.Source_Temperature", "column": "celsius", "where": HOUSE},
    {"signal": "DC_SOURCE_STATUS_1.Volts", "column": "starter_volts", "where": {"Instance": 2}},
)
STATUS_1 = 0x19FFFD42  # priority 6, group 1FFFD, sender 42
STATUS_2 = 0x19FFFC42
VECTOR = bytes.fromhex("01780A01E0E13477")
OWN_MAP = """VERSION ""
BU_: X
BO_ 256 Pack: 8 X
 SG_ Volts : 0|16@1+ (0.01,0) [0|655] "V" X
 SG_ Amps : 16|16@1- (0.1,0) [-3276|3276] "A" X
"""


def source(**more):
    """A source of the shipped map on a bus within this process."""
    given = {"kind": "can", "interface": "virtual", "channel": "van", "map": "rvc", "signals": SIGNALS} | more
    return plan_of(file_of(given), Path()).rig[0].source[0]


def figures(decoder, identifier, data, at_s=0.0):
    return dict(decoder.figures(identifier, data, at_s))


class Decoded(unittest.TestCase):
    def setUp(self):
        self.decoder = Decoder.of(source())

    def test_vectors_worked_by_hand(self):
        # 010A hex are 266 x 0.05 = 13.30 V; 7734E1E0 hex are 1,999,954,400 x 0.001 - 2,000,000 = -45.600 A
        found = figures(self.decoder, STATUS_1, VECTOR)
        self.assertEqual(found["volts"], 266 * 0.05)
        self.assertAlmostEqual(found["amps"], -45.600, places=6)
        # 2440 hex are 9280 x 0.03125 - 273 = 17 °C
        self.assertEqual(
            figures(self.decoder, STATUS_2, bytes.fromhex("01784024C8FFFFFF")), {"celsius": 17.0}
        )

    def test_a_group_is_known_under_any_priority_and_sender_and_others_say_nothing(self):
        self.assertEqual(group_of(STATUS_1), 0x1FFFD)
        for identifier in (0x0DFFFD80, 0x1DFFFD01):
            self.assertIn("volts", figures(self.decoder, identifier, VECTOR))
        for identifier in (0x19FFFA42, 0x19FEFD42):
            self.assertEqual(figures(self.decoder, identifier, VECTOR), {})
        self.assertEqual(figures(self.decoder, STATUS_1, VECTOR[:5]), {})  # cut short

    def test_all_ones_and_the_two_below_are_no_data(self):
        for volts in ("FFFF", "FEFF", "FDFF"):
            found = figures(self.decoder, STATUS_1, bytes.fromhex(f"0178{volts}FFFFFFFF"))
            self.assertEqual(found, {})
        for amps in ("FFFFFFFF", "FDFFFFFF"):
            self.assertEqual(
                list(figures(self.decoder, STATUS_1, bytes.fromhex(f"01780A01{amps}"))), ["volts"]
            )
        # one below those is a value
        self.assertIn("volts", figures(self.decoder, STATUS_1, bytes.fromhex("0178FCFFFFFFFFFF")))

    def test_each_instance_is_its_own_and_the_highest_priority_speaks_for_it(self):
        chassis = bytes.fromhex("02780801E0E13477")
        self.assertEqual(figures(self.decoder, STATUS_1, chassis), {"starter_volts": 264 * 0.05})
        lower = bytes.fromhex("01500001E0E13477")
        figures(self.decoder, STATUS_1, VECTOR, 100.0)
        self.assertEqual(figures(self.decoder, STATUS_1, lower, 101.0), {})
        self.assertIn("volts", figures(self.decoder, STATUS_1, lower, 111.0))  # the other fell silent


class Maps(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def own(self, text, *signals):
        (self.folder / "own.dbc").write_text(text)
        given = {"kind": "can", "channel": "can0", "map": "own.dbc", "signals": signals}
        return Decoder.of(plan_of(file_of(given), self.folder).rig[0].source[0])

    def test_a_map_of_ones_own_is_known_by_whole_identifiers_and_its_signs(self):
        volts = {"signal": "Pack.Volts", "column": "volts"}
        decoder = self.own(OWN_MAP, volts, {"signal": "Pack.Amps", "column": "amps", "scale": -1.0})
        found = figures(decoder, 256, bytes.fromhex("2805F6FF00000000"))
        self.assertEqual((round(found["volts"], 6), found["amps"]), (13.2, 1.0))
        self.assertEqual(figures(decoder, 257, bytes(8)), {})

    def test_what_is_no_use_is_told(self):
        volts = {"signal": "Pack.Volts", "column": "volts"}
        over = OWN_MAP.replace("16|16@1-", "8|16@1-")
        for text, signal, said in (
            (over, volts, "no use"),
            ("song", volts, "no use"),
            (OWN_MAP, volts | {"signal": "Pack.Song"}, "no signal Pack.Song"),
            (OWN_MAP, volts | {"where": {"Instance": 1}}, "no signal Pack.Instance"),
        ):
            with self.subTest(said), self.assertRaises(MapRefused) as refused:
                self.own(text, signal)
            self.assertIn(said, str(refused.exception))
        with self.assertRaises(MapRefused):
            Decoder.of(source(map="none.dbc"))
        for wrong in ({"channel": ""}, {"file": "log"}, {"signals": []}, {"signals": [{"signal": "Volts"}]}):
            with self.assertRaises(InvalidInput):
                source(**wrong)

    def test_logs_of_three_kinds_come_as_the_same_readings_a_second(self):
        frames = [
            can.Message(timestamp=1_795_000_000.0 + at / 50, arbitration_id=STATUS_1, data=VECTOR)
            for at in range(500)
        ]
        frames[3] = can.Message(timestamp=1_795_000_000.06, arbitration_id=0x19FEE042, data=bytes(8))
        found = []
        for name in ("van.log", "van.asc", "van.blf"):
            with can.Logger(self.folder / name) as written:
                for frame in frames:
                    written.on_message_received(frame)
            rows = list(rows_of_log(self.folder / name, Decoder.of(source()), 1.0, 5.0))
            found.append([(round(row[0], -3), row[1], round(row[2], 3)) for row in rows])
        self.assertEqual(len(found[0]), 10)
        self.assertEqual(found[0], found[2])
        self.assertEqual(len(found[1]), len(found[0]))
        self.assertEqual(found[0][0][1:], (13.3, -45.6))
        (self.folder / "cut.log").write_bytes(
            b"(1.5) can0 19FFFD42#0178\n(x) can0 19FFFD42#zz\nsong\n\n(1) can0"
        )
        self.assertEqual(list(rows_of_log(self.folder / "cut.log", Decoder.of(source()), 1.0, 5.0)), [])


class OnABus(unittest.TestCase):
    def test_frames_of_a_bus_become_figures_and_a_flood_of_others_does_not_hide_them(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        box = Box(Path(folder.name) / "box.sqlite")
        self.addCleanup(box.close)
        ear = Ear(3, Gathered(5.0), BridgeClock(), box)
        listening = CanListening(source(), ear, 1.0)
        listening.start()
        self.addCleanup(listening.close)
        with can.Bus(interface="virtual", channel="van") as bus:
            for _ in range(200):
                for at in range(20):
                    bus.send(can.Message(arbitration_id=0x19FEE000 + at, data=bytes(8)))
                bus.send(can.Message(arbitration_id=STATUS_1, data=VECTOR))
                row = ear.gathered.reading(ear.clock.now())
                if row is not None:
                    break
                time.sleep(0.05)
        self.assertEqual((row[1], round(row[2], 3)), (13.3, -45.6))
        self.assertEqual(ear.trouble, "")
