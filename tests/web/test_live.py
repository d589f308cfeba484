"""The address of bridges over HTTP, the stream that feeds a page, MQTT, and a server killed in the middle."""

import json
import math
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

import httpx2
import paho.mqtt.client as mqtt
import uvicorn
from paho.mqtt.enums import CallbackAPIVersion

from tests.web.shops import NOW, notices, opened, visitor
from volnik.core.signing import kept_of, signed
from volnik.main import build, listen_mqtt
from volnik.outlets.mqtt import MqttPublisher, aged
from volnik.services.live import tokens
from volnik.services.live.ingest import Ingest, IngestHealth
from volnik.services.live.pending import ingest_pending
from volnik.services.watch.view import watch_view
from volnik.services.watch.watchman import Watchman
from volnik.serving import take_port
from volnik.settings import Broker, Settings

BROKER = shutil.which("mosquitto", path=os.environ.get("PATH", "") + ":/usr/sbin")
START = 1_795_180_000  # some hours before NOW


def readings(count, *, start=START, amps=-6.0):
    return [{"time": start + at, "volts": 13.1, "amps": amps} for at in range(count)]


def made(client, rig_id=3, **more):
    token = tokens.make(client.running.context, kind="bridge", rig_id=rig_id, name="mast bridge", **more)
    return token, {"authorization": f"Bearer {token.secret}"}


class Health(unittest.TestCase):
    def test_it_says_how_the_server_does_to_this_machine_and_to_who_brings_the_key(self):
        with visitor() as client:
            found = client.get("/api/health")
            self.assertEqual((found.status_code, found.json()["troubles"]), (200, []))
            self.assertIs(found.json()["well"], True)
            self.assertEqual(found.json()["readings"]["restarts"], 0)
            self.assertIsNone(found.json()["backup"]["last"])
            with mock.patch("volnik.web.routes.live.from_network", return_value=True):
                self.assertEqual(client.get("/api/health").status_code, 401)
                token = tokens.make(client.running.context, kind="metrics", rig_id=None, name="wall")
                key = {"authorization": f"Bearer {token.secret}"}
                self.assertEqual(client.get("/api/health", headers=key).status_code, 200)

    def test_each_trouble_is_told_in_plain_words(self):
        with visitor() as client:
            health = client.running.health
            disk = mock.patch("volnik.tasks.health.shutil.disk_usage", return_value=mock.Mock(free=1 << 20))
            stopped, away = (
                IngestHealth(False, True, 1, 3, 0, math.nan),
                mock.Mock(connected=False, refused=0),
            )
            for trouble, harm in (
                ("the disk is nearly full", disk),
                ("nothing keeps readings", mock.patch.object(Ingest, "health", return_value=stopped)),
                ("no backup can be made", mock.patch.object(health.backups, "trouble", "no room")),
                ("the broker does not answer", mock.patch.object(health, "broker", away)),
            ):
                with self.subTest(trouble), harm:
                    found = client.get("/api/health")
                    self.assertEqual((found.status_code, found.json()["troubles"]), (503, [trouble]))

    def test_a_post_that_nobody_keeps_is_answered_and_costs_the_others_nothing(self):
        with visitor(demo=True) as client, mock.patch("volnik.web.routes.live.ANSWER_S", 0.2):
            _, key = made(client)
            held = threading.Event()
            live = client.running.context.live
            keep = live.keep
            with mock.patch.object(live, "keep", side_effect=lambda given: held.wait(20) and keep(given)):
                answer = client.post("/api/rigs/3/readings", json=readings(10), headers=key)
                self.assertEqual((answer.status_code, answer.headers["retry-after"]), (503, "10"))
                held.set()
            answer = client.post("/api/rigs/3/readings", json=readings(10), headers=key)
            self.assertEqual(answer.json()["repeated"] + answer.json()["taken"], 10)


class Backup(unittest.TestCase):
    def test_the_shelf_makes_one_and_gives_it_to_this_machine_alone(self):
        with visitor() as client:
            page = client.get("/shelf/storage").text
            self.assertIn("None yet. Volnik makes one a day", page)
            self.assertNotIn("Fetch the last one", page)
            self.assertEqual(client.get("/shelf/storage/backup").status_code, 404)
            self.assertEqual(client.change("/shelf/storage/backup", page="/shelf/storage").status_code, 303)
            page = client.get("/shelf/storage").text
            self.assertRegex(page, r"1 backup beside the data; the last is just made, \d+ kB")
            fetched = client.get("/shelf/storage/backup")
            self.assertEqual(fetched.content[:4], b"\x28\xb5\x2f\xfd")  # as every zstd file begins
            with mock.patch("volnik.web.routes.shelf_storage.from_network", return_value=True):
                self.assertEqual(client.get("/shelf/storage/backup").status_code, 404)
                self.assertNotIn("Fetch the last one", client.get("/shelf/storage").text)


class OverHttp(unittest.TestCase):
    def test_readings_are_taken_and_faults_are_told_with_their_index(self):
        with visitor(demo=True) as client:
            _, key = made(client)
            address = "/api/rigs/3/readings"
            self.assertEqual(client.post(address, json=readings(10)).status_code, 401)
            self.assertEqual(
                client.post("/api/rigs/1/readings", json=readings(10), headers=key).status_code, 403
            )
            self.assertEqual(
                client.get(address, headers=key).json(), {"interval_s": 1.0, "now": NOW, "last": None}
            )
            answer = client.post(address, json=readings(10), headers=key)
            self.assertEqual(
                (answer.status_code, answer.json()), (200, {"taken": 10, "repeated": 0, "late": 0})
            )
            lines = "\n".join(json.dumps(reading) for reading in readings(12))
            answer = client.post(
                address, content=lines, headers={**key, "content-type": "application/x-ndjson"}
            )
            self.assertEqual(answer.json(), {"taken": 2, "repeated": 10, "late": 9})
            wrong = readings(3, start=START + 100)
            wrong[2]["volts"] = "high"
            answer = client.post(address, json=wrong, headers=key)
            self.assertEqual(
                (answer.status_code, answer.json()["index"], answer.json()["field"]), (422, 2, "volts")
            )
            ends = client.get(address, headers=key).json()["last"]
            self.assertEqual(
                (ends["time"], ends["amps"]), ("2026-11-20T13:06:51Z", -6.0)
            )  # by hand: START + 11 s

    def test_a_page_answers_while_a_long_change_holds_the_writer_and_shows_the_rest_after_it(self):
        with visitor(demo=True) as client:
            _, key = made(client)
            context = client.running.context
            with context.change():
                answer = client.post("/api/rigs/3/readings", json=readings(10), headers=key)
                self.assertEqual(answer.status_code, 200)
                page = client.get("/rigs/3/watch")
                self.assertEqual(page.status_code, 200)
                self.assertIsNone(watch_view(context, 3).now)
            client.get("/rigs/3/watch")
            self.assertEqual(watch_view(context, 3).now.values["amps"], -6.0)

    def test_a_body_beyond_measure_and_a_wrong_host_are_refused(self):
        with visitor(demo=True) as client:
            _, key = made(client)
            self.assertEqual(
                client.post("/api/rigs/3/readings", content=b"[" + b" " * (2 << 20), headers=key).status_code,
                413,
            )
            self.assertEqual(
                client.post(
                    "/api/rigs/3/readings", json=readings(1), headers={**key, "host": "elsewhere"}
                ).status_code,
                400,
            )


class Served:
    """A real server on a free port of this machine."""

    def __init__(self, case, *, demo=False):
        folder = tempfile.TemporaryDirectory()
        case.addCleanup(folder.cleanup)
        self.running = opened(folder.name, demo=demo)
        case.addCleanup(self.running.close)
        listener = take_port(0)
        self.port = listener.getsockname()[1]
        self.running.hosts.add(f"127.0.0.1:{self.port}")
        self.server = uvicorn.Server(
            uvicorn.Config(self.running.app, log_level="error", timeout_graceful_shutdown=1)
        )
        thread = threading.Thread(target=self.server.run, kwargs={"sockets": [listener]}, daemon=True)
        thread.start()
        case.addCleanup(thread.join, 10)
        case.addCleanup(setattr, self.server, "should_exit", True)
        while not self.server.started:
            time.sleep(0.02)


class Streamed(unittest.TestCase):
    def wait(self, seen):
        for _ in range(500):
            if seen():
                return
            time.sleep(0.02)
        self.fail("nothing was heard for ten seconds")

    def test_a_page_is_told_each_reading_and_one_that_went_away_keeps_nobody(self):
        served = Served(self)
        from tests.services.shops import rig

        rig_id = rig(served.running.context)
        made_ = tokens.make(served.running.context, kind="bridge", rig_id=rig_id, name="mast bridge")
        heard = []

        def listen(many):
            with httpx2.stream(
                "GET", f"http://127.0.0.1:{served.port}/rigs/{rig_id}/live", timeout=20
            ) as answer:
                for line in answer.iter_lines():
                    if line.startswith("data:"):
                        heard.append(json.loads(line[5:]))
                        if len(heard) >= many:
                            return

        listener = threading.Thread(target=listen, args=(3,))
        listener.start()
        self.wait(lambda: heard)
        self.assertEqual(heard[0], {"heard": False})
        send = {"headers": {"authorization": f"Bearer {made_.secret}"}, "timeout": 10}
        address = f"http://127.0.0.1:{served.port}/api/rigs/{rig_id}/readings"
        for at in range(2):
            httpx2.post(address, json=readings(1, start=START + at, amps=-6.0 - at), **send)
            self.wait(lambda: len(heard) >= 2 + at)  # noqa: B023
        listener.join(10)
        self.assertEqual([item["amps"] for item in heard[1:]], [-6.0, -7.0])
        self.assertTrue(heard[2]["fresh"])
        for at in range(5):  # the page is gone: nobody waits for it
            self.assertEqual(
                httpx2.post(address, json=readings(1, start=START + 10 + at), **send).status_code, 200
            )


SENDER = """
import sys
from pathlib import Path
from volnik.main import build
from volnik.serving import take_port
import uvicorn
running = build(Path(sys.argv[1]), demo=False)
listener = take_port(int(sys.argv[2]))
running.hosts.add(f"127.0.0.1:{sys.argv[2]}")
uvicorn.Server(uvicorn.Config(running.app, log_level="error")).run(sockets=[listener])
"""


class Killed(unittest.TestCase):
    def test_a_server_killed_while_readings_stream_in_lost_nothing_it_acknowledged(self):
        from tests.services.shops import rig

        with tempfile.TemporaryDirectory() as folder:
            running = build(Path(folder), demo=False)
            rig_id = rig(running.context)
            made_ = tokens.make(running.context, kind="bridge", rig_id=rig_id, name="mast bridge")
            running.close()
            with socket.socket() as free:
                free.bind(("127.0.0.1", 0))
                port = free.getsockname()[1]
            acknowledged = 0
            start = int(time.time()) - 20_000
            address = f"http://127.0.0.1:{port}/api/rigs/{rig_id}/readings"
            for life in range(2):
                server = subprocess.Popen([sys.executable, "-c", SENDER, folder, str(port)])
                try:
                    with httpx2.Client(
                        headers={"authorization": f"Bearer {made_.secret}"}, timeout=20
                    ) as client:
                        began = time.monotonic()
                        while time.monotonic() - began < 60:
                            try:
                                answer = client.post(address, json=readings(5, start=start + acknowledged))
                            except httpx2.TransportError:
                                time.sleep(0.1)
                                continue
                            self.assertEqual(answer.status_code, 200)
                            acknowledged += 5
                            if acknowledged >= 150 * (life + 1):
                                break
                finally:
                    os.kill(server.pid, signal.SIGKILL)
                    server.wait()
            running = build(Path(folder), demo=False)
            try:
                ingest_pending(running.context, rig_id)
                now = watch_view(running.context, rig_id).now
                self.assertEqual((acknowledged, now.read_s), (300, start + 299))
                self.assertAlmostEqual(now.state.out_ah, 6 * 299 / 3600, places=6)  # by hand: 299 s of 6 A
            finally:
                running.close()


@unittest.skipUnless(BROKER, "Debian's mosquitto is not installed")
class OverMqtt(unittest.TestCase):
    def setUp(self):
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        settings = Path(folder.name) / "broker.conf"
        settings.write_text(f"listener {self.port} 127.0.0.1\nallow_anonymous true\n")
        self.broker = subprocess.Popen(
            [BROKER, "-c", settings], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        self.addCleanup(self.broker.wait)
        self.addCleanup(self.broker.terminate)

    def test_the_counted_state_is_told_over_a_broker_as_readings_come(self):
        with visitor(demo=True) as client:
            token, key = made(client, rig_id=1)
            running = client.running
            voice = MqttPublisher(self.at("state"))
            self.addCleanup(voice.close)
            man = Watchman(running.context, running.live, say=voice.say)
            self.addCleanup(man.close)
            heard = []
            page = mqtt.Client(CallbackAPIVersion.VERSION2)
            page.on_message = lambda _c, _d, message: heard.append(
                (message.topic, json.loads(message.payload))
            )
            for _ in range(100):
                try:
                    page.connect("127.0.0.1", self.port)
                    break
                except OSError:
                    time.sleep(0.05)
            page.subscribe("volnik/rigs/+/state")
            page.loop_start()
            self.addCleanup(page.loop_stop)
            client.post("/api/rigs/1/readings", json=readings(1, start=START + 20_000), headers=key)
            man._listen(1)
            for at in range(1, 60):
                client.post("/api/rigs/1/readings", json=readings(1, start=START + 20_000 + at), headers=key)
                if heard:
                    break
                time.sleep(0.2)
            topic, state = heard[0]
            self.assertEqual(topic, "volnik/rigs/1/state")
            self.assertEqual((state["amps"], state["bench"]), (-6.0, False))
            self.assertTrue(0.0 < state["soc_low"] <= state["soc"] <= state["soc_high"] < 1.0)
            voice._states = {1: (time.monotonic() - 600.0, state)}
            heard.clear()
            voice.age()  # nobody was heard for ten minutes
            for _ in range(100):
                if heard:
                    break
                time.sleep(0.05)
            self.assertEqual(heard[0][1]["fresh"], False)
            self.assertGreaterEqual(heard[0][1]["age_s"], 600.0)
            self.assertEqual(heard[0][1]["time_s"], state["time_s"])
            page.disconnect()

    def at(self, client_id, **more):
        return Broker("127.0.0.1", self.port, client_id=client_id, **more)

    def test_readings_come_over_a_broker_and_faults_are_answered_there(self):
        with visitor(demo=True) as client:
            token, _ = made(client)
            said, answers = notices(self), []
            ear = listen_mqtt(client.running, self.at("ear", plain_keys=("mast bridge",)))
            self.addCleanup(ear.close)
            bridge = mqtt.Client(CallbackAPIVersion.VERSION2)
            bridge.on_message = lambda _c, _d, message: answers.append(json.loads(message.payload))
            for _ in range(100):
                try:
                    bridge.connect("127.0.0.1", self.port)
                    break
                except OSError:
                    time.sleep(0.05)
            bridge.subscribe("volnik/rigs/+/answer", qos=1)
            bridge.loop_start()
            self.addCleanup(bridge.loop_stop)
            self.addCleanup(bridge.disconnect)
            for _ in range(400):
                if any(item.startswith("Listening") for item in said):
                    break
                time.sleep(0.05)
            bad = readings(2)
            bad[1]["amps"] = None
            for payload in (
                {"key": token.secret, "readings": readings(20)},
                {"key": token.secret, "readings": readings(20)},
                {"key": "guess", "readings": readings(20)},
                {"key": token.secret, "readings": bad},
                [1],
                {"key": "\ud800", "readings": readings(1)},
                {"key": token.secret, "readings": [{**readings(1)[0], "amps": int("9" * 400)}]},
            ):
                bridge.publish("volnik/rigs/3/readings", json.dumps(payload), qos=1).wait_for_publish(5)
            for _ in range(200):
                if len(answers) == 7:
                    break
                time.sleep(0.05)
            self.assertEqual(
                [answer.get("taken") for answer in answers], [20, 0, None, None, None, None, None]
            )
            self.assertIn("not known here", answers[5]["error"])
            self.assertIn("plain number", answers[6]["error"])
            self.assertEqual(answers[3]["index"], 1)
            self.assertIn("mac", answers[4]["error"])
            self.assertEqual(ear.refused, 5)
            ingest_pending(client.running.context, 3)
            self.assertEqual(watch_view(client.running.context, 3).now.values["amps"], -6.0)

    def test_signed_messages_are_taken_and_forged_or_caught_ones_are_not(self):
        with visitor(demo=True) as client:
            token, _ = made(client)
            other, _ = made(client, rig_id=4)
            ear = listen_mqtt(client.running, self.at("ear"))
            self.addCleanup(ear.close)
            topic, answers = "volnik/rigs/3/readings", []

            def message(secret=token.secret, counter=5000, to=topic, count=3):
                return json.loads(signed(secret, to, readings(count), at_s=START, counter=counter))

            bridge = self._bridge(lambda payload: answers.append(json.loads(payload)), "volnik/rigs/+/answer")
            self._until(lambda: ear.connected)
            for name, payload, taken in (
                ("sound", message(), 3),
                ("again by the broker", message(), 0),
                ("a later one", message(counter=5001, count=5), 2),
                ("an earlier one, late", message(counter=4999, count=6), 1),
                ("caught and sent far later", message(counter=20, count=9), None),
                ("of another rig's key", message(other.secret), None),
                ("for another topic", message(to="volnik/rigs/4/readings"), None),
                ("its body changed", {**message(), "body": "[]"}, None),
                ("its counter changed", {**message(), "counter": 5003}, None),
                ("no signature", {**message(), "mac": "\ud800"}, None),
                ("the key in clear", {"key": token.secret, "readings": readings(9)}, None),
            ):
                with self.subTest(name):
                    answers.clear()
                    bridge.publish(topic, json.dumps(payload), qos=1).wait_for_publish(5)
                    self._until(lambda: answers)
                    self.assertEqual(answers[0].get("taken"), taken, answers[0])
            self.assertNotIn(token.secret, json.dumps(message()))
            self.assertNotIn(kept_of(token.secret), json.dumps(message()))

    def test_its_status_is_told_and_a_kill_tells_it_too(self):
        with visitor() as client:
            heard = []
            self._bridge(lambda payload: heard.append(payload.decode()), "volnik/status/ear")
            ear = listen_mqtt(client.running, self.at("ear"))
            self.addCleanup(ear.close)
            self._until(lambda: heard == ["online"])
            ear._client.loop_stop()
            ear._client._sock_close()  # as a kill does: no word to the broker
            self._until(lambda: heard == ["online", "offline"])

    def test_two_volniks_of_one_broker_do_not_throw_each_other_out(self):
        with visitor() as one, visitor() as two:
            ears = [listen_mqtt(each.running, self.at(name)) for each, name in ((one, "a"), (two, "b"))]
            for ear in ears:
                self.addCleanup(ear.close)
            self._until(lambda: all(ear.connected for ear in ears))
            time.sleep(0.3)
            self.assertTrue(all(ear.connected for ear in ears))

    def _until(self, is_so):
        for _ in range(400):
            if is_so():
                return
            time.sleep(0.05)
        self.fail("it never came to that")

    def _bridge(self, hear, topic):
        """A client of the broker that hears a topic."""
        client = mqtt.Client(CallbackAPIVersion.VERSION2)
        client.on_message = lambda _c, _d, message: hear(message.payload)
        subscribed = []
        client.on_subscribe = lambda *_: subscribed.append(True)
        for _ in range(100):
            try:
                client.connect("127.0.0.1", self.port)
                break
            except OSError:
                time.sleep(0.05)
        client.subscribe(topic, qos=1)
        client.loop_start()
        self.addCleanup(client.loop_stop)
        self.addCleanup(client.disconnect)
        self._until(lambda: subscribed)
        return client


class BrokerSettings(unittest.TestCase):
    def test_a_broker_is_named_in_the_settings(self):
        with tempfile.NamedTemporaryFile() as ca:
            for given, expected in (
                ({"mqtt": "box"}, ("box", 1883, "", None, ())),
                ({"mqtt": "box:1900", "mqtt_user": "u"}, ("box", 1900, "u", None, ())),
                ({"mqtt": "box", "mqtt_ca": ca.name}, ("box", 8883, "", Path(ca.name), ())),
                (
                    {"mqtt": "box", "mqtt_plain_keys": "mast, deck "},
                    ("box", 1883, "", None, ("mast", "deck")),
                ),
            ):
                with self.subTest(given):
                    broker = Settings(**given).broker()
                    found = (broker.host, broker.port, broker.user, broker.ca, broker.plain_keys)
                    self.assertEqual(found, expected)
        self.assertIsNone(Settings().broker())
        for wrong in ({"mqtt": ":1"}, {"mqtt": "box:x"}, {"mqtt": "box", "mqtt_ca": "/nowhere"}):
            with self.subTest(wrong), self.assertRaises(ValueError):
                Settings(**wrong).broker()

    def test_a_state_that_ages(self):
        state = {"age_s": 1.0, "fresh": True, "fresh_s": 10.0, "soc": 0.5}
        for more_s, fresh in ((0.0, True), (9.0, True), (9.1, False), (540.0, False)):
            with self.subTest(more_s):
                found = aged(state, more_s)
                self.assertEqual((found["fresh"], found["age_s"]), (fresh, 1.0 + more_s))
