"""The bench rig as the devices a bridge listens to: by each way the same figures come."""

import socket
import subprocess
import time
import unittest
from pathlib import Path

from tests.benchrig.test_bench import vehicle
from tests.bridge.test_can import SIGNALS
from tests.bridge.test_parts import ear_of, file_of
from tests.web.test_live import BROKER
from volnik.benchrig.figures import figures, line_of
from volnik.benchrig.ways import way_of, words_of
from volnik.bridge.plan import plan_of
from volnik.bridge.sources.text import figures_in
from volnik.core.columns import column, own_values
from volnik.core.errors import InvalidInput

SAID = {"volts": 13.3, "amps": -45.6, "celsius": 17.0, "percent_pack": 81.0}


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


class Spoken(unittest.TestCase):
    def hears(self, spec, source):
        """What a bridge hears of a way, by column."""
        way = way_of(spec)
        self.addCleanup(way.close)
        ear = ear_of(self, source)
        for _ in range(200):
            way.say(1e9, SAID)
            row = ear.gathered.reading(ear.clock.now())
            if row is not None and row[3] is not None and row[-1]:
                return row
            waiting = ear.box.first(ear.rig_id, 1)
            if waiting:
                return waiting[0][1]
            time.sleep(0.05)
        return self.fail(ear.trouble or "nothing was heard")

    def same(self, row):
        self.assertEqual((round(row[1], 2), round(row[2], 2), row[3]), (13.3, -45.6, 17.0))
        self.assertEqual(own_values(row), {"percent_pack": 81.0})

    def test_lines_of_text(self):
        port = free_port()
        self.same(self.hears(f"text={port}", {"kind": "text", "listen": f"tcp://127.0.0.1:{port}"}))

    def test_modbus(self):
        port = free_port()
        registers = [
            {"address": 10, "column": "volts", "scale": 0.01},
            {"address": 20, "column": "amps", "type": "f32"},
            {"address": 30, "column": "celsius", "type": "i16", "scale": 0.1},
            {"address": 40, "column": "percent_pack", "scale": 0.01},
        ]
        source = {
            "kind": "modbus",
            "listen": f"tcp://127.0.0.1:{port}",
            "every_s": 0.1,
            "registers": registers,
        }
        self.same(self.hears(f"modbus={port}", source))
        self.assertEqual(words_of("celsius", -3.2), [0xFFE0])  # -32 in 16 bits

    def test_a_can_bus(self):
        state = {
            "signal": "DC_SOURCE_STATUS_2.State_Of_Charge",
            "column": "percent_pack",
            "where": {"Instance": 1},
        }
        bus = {"kind": "can", "interface": "virtual", "channel": "bench", "map": "rvc"}
        self.same(self.hears("can=virtual:bench", bus | {"signals": [*SIGNALS[:3], state]}))

    @unittest.skipUnless(BROKER, "no broker here")
    def test_topics_of_a_broker(self):
        port = free_port()
        broker = subprocess.Popen(
            [BROKER, "-p", str(port)], stderr=subprocess.DEVNULL, stdout=subprocess.DEVNULL
        )
        self.addCleanup(broker.wait)
        self.addCleanup(broker.terminate)
        topics = [{"topic": f"van/{name}", "column": name} for name in SAID]
        source = {"kind": "mqtt", "host": "127.0.0.1", "port": port, "topics": topics}
        self.same(self.hears(f"topics=127.0.0.1:{port}/van", source))

    def test_a_way_that_is_none_is_refused_with_what_there_is(self):
        for spec in ("", "text=x", "smoke=1", "text"):
            with self.assertRaises(InvalidInput) as refused:
                way_of(spec)
            self.assertIn("text=4001", str(refused.exception))


class Figures(unittest.TestCase):
    def test_other_devices_say_what_flows_each_a_column_that_is_kept(self):
        item = vehicle()
        item.set(devices={"lamp": "on"}, shore="on")
        item.run(item.time_s + 120)
        found = figures(item)
        self.assertTrue(all(column(name) is not None for name in found))
        self.assertEqual((found["switch_lamp"], found["switch_pump"]), (1.0, 0.0))
        amps = found["charger_amps_mains"]
        self.assertGreater(amps, 1.0)
        source = next(each for each in item.wired.vehicle.sources if each.drawn.id == "mains")
        self.assertAlmostEqual(
            found["charger_volts_mains"] - item.shown.volts, amps * source.ohm + 0.012, places=2
        )
        self.assertNotIn("percent_pack", found)  # of lead no pack speaks

    def test_pairs_of_a_line_by_their_names(self):
        plain = plan_of(file_of({"kind": "text", "listen": "udp://:4000"}), Path()).rig[0].source[0]
        self.assertEqual(figures_in(line_of(5.0, SAID), plain), SAID | {"time": 5.0})
        self.assertEqual(figures_in("V=13.2 song=4 volts=oops", plain), {})
        fields = {"V": "volts", "SOC": "percent_pack", "t": "time"}
        named = {"kind": "text", "listen": "udp://:4000", "fields": fields, "scale": {"volts": 0.001}}
        source = plan_of(file_of(named), Path()).rig[0].source[0]
        found = figures_in("t: 7 V: 13200, SOC=81", source)
        self.assertAlmostEqual(found.pop("volts"), 13.2)
        self.assertEqual(found, {"time": 7.0, "percent_pack": 81.0})
        with self.assertRaises(InvalidInput):
            plan_of(file_of({"kind": "text", "listen": "udp://:4000", "fields": {"V": "song"}}), Path())
