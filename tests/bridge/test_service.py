"""The bridge at work: from sockets, brokers and folders to Volnik, with links cut and readings refused."""

import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from tests.bridge.test_parts import LINE, file_of, row, text_source
from tests.services.shops import rig
from tests.web.test_live import BROKER, Served
from volnik.bridge.box import Box
from volnik.bridge.clock import BridgeClock
from volnik.bridge.gather import Gathered
from volnik.bridge.plan import plan_of
from volnik.bridge.service import Bridge, RigBridge
from volnik.services.live import tokens
from volnik.services.live.pending import ingest_pending
from volnik.services.yard.rigs import rig_head

NOW_S = 1_795_189_200.0  # of the shop in these tests


class LineServer:
    """A device that says its lines to whoever calls."""

    def __init__(self, case):
        self.socket = socket.create_server(("127.0.0.1", 0))
        case.addCleanup(self.socket.close)
        self.port = self.socket.getsockname()[1]
        self.called = 0
        threading.Thread(target=self.run, daemon=True).start()

    def run(self):
        """Say some lines, then hang up: it is called again."""
        while True:
            try:
                calling, _ = self.socket.accept()
            except OSError:
                return
            self.called += 1
            with calling:
                calling.sendall(b"hello\nV=13.21 I=-4.50\nV=13.2x I=1\nV=99999 I=1\nV=13.20 I=-4.60\n")


class FakeSender:
    """Volnik as a bridge sees it: what it keeps, refuses, and when it is away."""

    def __init__(self):
        self.kept, self.away, self.shut_out = [], False, False

    def send(self, rows):
        if self.away:
            raise ConnectionError("no route")
        if self.shut_out:
            return "This key does not open it."
        if any(each[1] > 100.0 for each in rows):
            return "volts must be from 0 to 100 V."
        self.kept += rows
        return ""

    def close(self):
        """Nothing to close."""


class Brought(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.box = Box(Path(folder.name) / "box.sqlite")
        self.addCleanup(self.box.close)
        self.rig = plan_of(file_of(text_source()), Path()).rig[0]
        self.sender = FakeSender()
        self.bridged = RigBridge(self.rig, self.sender, Gathered(5.0))

    def test_what_waits_while_volnik_is_away_is_brought_in_order_once_it_is_back(self):
        self.box.put(3, [row(1000 * at) for at in range(1, 12_001)])
        self.sender.away = True
        self.bridged.bring(self.box, 0.0)
        self.assertIn("no route", self.bridged.trouble)
        self.assertEqual(self.box.waits(3), 12_000)
        self.sender.away = False
        self.bridged.bring(self.box, 0.5)  # not yet: it waits a second first
        self.assertEqual(self.sender.kept, [])
        self.bridged.bring(self.box, 1.1)
        self.assertEqual([each[0] for each in self.sender.kept], [1000 * at for at in range(1, 12_001)])
        self.assertEqual((self.box.waits(3), self.bridged.brought, self.bridged.trouble), (0, 12_000, ""))

    def test_it_is_tried_ever_more_seldom(self):
        self.box.put(3, [row(1000)])
        self.sender.away = True
        tried, steady_s = [], 0.0
        while steady_s < 100.0:
            before = self.bridged._failed
            self.bridged.bring(self.box, steady_s)
            tried += [steady_s] if self.bridged._failed > before else []
            steady_s += 1.0
        self.assertEqual(tried, [0.0, 1.0, 3.0, 8.0, 23.0, 83.0])

    def test_one_that_volnik_refuses_is_left_out_and_told_and_all_others_are_brought(self):
        rows = [row(1000 * at, volts=999.0 if at in (3, 700) else 13.0) for at in range(1, 1001)]
        self.box.put(3, rows)
        self.bridged.bring(self.box, 0.0)
        self.assertEqual(self.sender.kept, [each for each in rows if each[1] < 100.0])
        self.assertEqual(self.box.waits(3), 0)

    def test_a_key_that_is_refused_loses_nothing(self):
        self.box.put(3, [row(1000)])
        self.sender.shut_out = True
        self.bridged.bring(self.box, 0.0)
        self.assertEqual((self.box.waits(3), self.sender.kept), (1, []))
        self.assertIn("does not open", self.bridged.told(self.box, BridgeClock()))


class ToVolnik(unittest.TestCase):
    def setUp(self):
        self.served = Served(self)
        context = self.served.running.context
        self.rig_id = rig(context)
        made = tokens.make(context, kind="bridge", rig_id=self.rig_id, name="van bridge", interval_s=0.2)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.address = f"http://127.0.0.1:{self.served.port}"
        self.key = made.secret

    def bridge(self, *sources, key=None):
        """A bridge of one rig that runs until the test ends."""
        given = file_of(*sources, id=self.rig_id, key=key or self.key, interval_s=0.2)
        given["volnik"]["address"] = self.address
        bridge = Bridge(plan_of(given, self.folder), BridgeClock(wall=lambda: NOW_S - 5000.0))
        runs = threading.Thread(target=bridge.run, daemon=True)
        runs.start()
        self.addCleanup(runs.join, 30)
        self.addCleanup(bridge.stop)
        return bridge

    def wait(self, seen, what):
        for _ in range(400):
            if seen():
                return
            time.sleep(0.05)
        self.fail(what)

    def now(self):
        return self.served.running.live.now(self.rig_id)

    def test_lines_of_a_device_that_hangs_up_come_as_readings_by_volniks_clock(self):
        device = LineServer(self)
        bridge = self.bridge(text_source(listen=f"tcp://127.0.0.1:{device.port}", pattern=LINE))
        self.wait(lambda: self.now() is not None and bridge.rigs[0].brought > 3, "nothing came")
        self.wait(lambda: device.called > 1, "it was not called again")
        self.assertEqual((self.now().values["volts"], self.now().values["amps"]), (13.2, -4.6))
        # the vehicle's clock stood an hour behind: readings bear Volnik's time all the same
        self.assertAlmostEqual(self.now().time_s, NOW_S, delta=60.0)
        self.assertAlmostEqual(bridge.clock.off_s, 5000.0, delta=30.0)
        told = bridge.rigs[0].told(bridge.box, bridge.clock)
        self.assertIn("brought", told)

    def test_readings_are_put_together_while_the_link_hangs(self):
        device = LineServer(self)
        hangs = socket.create_server(("127.0.0.1", 0))  # takes the call and never answers
        self.addCleanup(hangs.close)
        self.address = f"http://127.0.0.1:{hangs.getsockname()[1]}"
        bridge = self.bridge(text_source(listen=f"tcp://127.0.0.1:{device.port}", pattern=LINE))
        self.wait(lambda: bridge.box.waits(self.rig_id) >= 5, "they waited for the link")
        hangs.close()

    def test_datagrams_and_a_log_file_in_a_folder(self):
        logs = self.folder / "logs"
        logs.mkdir()
        lines = ["time,volts,amps"]
        lines += [f"{1_795_000_000 + 60 * at},{13.2 + at % 3 / 100:.2f},-4.5" for at in range(300)]
        (logs / "week.csv").write_text("\n".join(lines))
        (logs / "song.txt").write_text("la la la")
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        bridge = self.bridge(
            {"kind": "folder", "path": str(logs), "settle_s": 0},
            text_source(listen=f"udp://127.0.0.1:{port}"),
        )
        self.wait(lambda: bridge.rigs[0].brought >= 300, "the file did not come")
        self.assertIn("song.txt", bridge.rigs[0].sources[0].ear.trouble)
        speak = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.addCleanup(speak.close)

        def heard():
            speak.sendto(b"V=12.90 I=-7.0\n", ("127.0.0.1", port))
            return self.now() is not None and self.now().values["amps"] == -7.0

        self.wait(heard, "no datagram came")
        ingest_pending(self.served.running.context, self.rig_id)
        self.assertGreaterEqual(
            rig_head(self.served.running.context, self.rig_id).rig.summary.at_s, NOW_S - 60
        )
        self.assertEqual(bridge.rigs[0].sources[0].look(), 0)  # what was read is read once

    @unittest.skipUnless(BROKER, "Debian's mosquitto is not installed")
    def test_a_broker_that_drops_and_comes_back(self):
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        settings = self.folder / "broker.conf"
        settings.write_text(f"listener {port} 127.0.0.1\nallow_anonymous true\n")

        def broker():
            running = subprocess.Popen(
                [BROKER, "-c", settings], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
            )
            self.addCleanup(running.wait)
            self.addCleanup(running.terminate)
            return running

        first = broker()
        topics = [
            {"topic": "van/+/battery", "column": "volts", "path": "v"},
            {"topic": "van/+/battery", "column": "amps", "path": "i", "scale": -1.0},
        ]
        bridge = self.bridge({"kind": "mqtt", "host": "127.0.0.1", "port": port, "topics": topics})
        speak = mqtt.Client(CallbackAPIVersion.VERSION2)
        speak.reconnect_delay_set(1, 1)
        speak.connect_async("127.0.0.1", port)
        speak.loop_start()
        self.addCleanup(speak.loop_stop)

        def says(body, amps):
            speak.publish("van/7/battery", body)
            return self.now() is not None and self.now().values["amps"] == amps

        self.wait(lambda: says('{"v": 13.1, "i": 3.5}', -3.5), "nothing came by the broker")
        first.terminate()
        first.wait()
        self.wait(lambda: "hung up" in bridge.rigs[0].sources[0].ear.trouble, "its end was not told")
        broker()
        self.wait(lambda: says('{"v": 13.0, "i": 4.5}', -4.5), "nothing came after it was back")
        self.wait(
            lambda: says("on", -4.5) and "holds no v" in bridge.rigs[0].sources[0].ear.trouble, "not told"
        )

    def test_the_command_checks_a_file_and_says_what_stands_in_the_way(self):
        file = self.folder / "SOURCES.toml"

        def said(key, *options):
            file.write_text(
                f'[volnik]\naddress = "{self.address}"\n[[rig]]\nid = {self.rig_id}\nkey = "{key}"\n'
                f'[[rig.source]]\nkind = "folder"\npath = "{self.folder}"\n'
            )
            command = [sys.executable, "-m", "volnik.cli", "bridge", str(file), *options]
            return subprocess.run(command, capture_output=True, text=True, timeout=120, check=False)

        right = said(self.key, "--check")
        self.assertEqual((right.returncode, "Volnik answers" in right.stdout), (0, True), right.stderr)
        wrong = said("another", "--check")
        self.assertEqual(wrong.returncode, 2)
        self.assertIn("key", wrong.stderr.lower())
        self.assertNotIn("Traceback", wrong.stderr)
