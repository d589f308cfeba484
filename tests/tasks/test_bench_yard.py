"""The demo's bench rigs as programs of their own: started with a key, heard by Volnik, ended with the demo.

Bad starts told.
"""

import socket
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from tests.web.shops import notices
from tests.web.test_live import Served
from volnik.services.live import tokens
from volnik.services.live.pending import ingest_pending
from volnik.services.yard.rigs import yard
from volnik.store import logs
from volnik.tasks import bench_yard


class Programs(unittest.TestCase):
    def test_all_start_where_their_log_ends_report_and_end_with_the_demo(self):
        served = Served(self, demo=True)
        context = served.running.context
        rigs = {item.rig.name: item.rig.id for item in yard(context)}
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        message = notices(self)
        benches = bench_yard.BenchYard(context, Path(folder.name), f"http://127.0.0.1:{served.port}")
        benches.start()
        self.addCleanup(benches.close)
        live = served.running.live
        wanted = [rigs["Vet Van Two"], rigs["Bookbus"], rigs["Dome Truck"]]
        for _ in range(600):
            if all(live.now(rig_id) is not None for rig_id in wanted):
                break
            time.sleep(0.1)
        self.assertTrue(all(live.now(rig_id).fresh for rig_id in wanted), message)
        self.assertTrue(
            any("Bench rig of Vet Van Two: controls at http://127.0.0.1:" in line for line in message),
            message,
        )
        # the lorry's came as lines of text, through a bridge, with what its pack and chargers say
        lorry = live.now(rigs["Dome Truck"])
        self.assertTrue(
            {"percent_pack", "cell_volts_low", "charger_amps_solar_controller"} <= set(lorry.values)
        )
        self.assertIn("cells", " ".join(lorry.beside))
        benches.close()
        self.assertTrue(all(child.poll() is not None for child in benches.running))
        ingest_pending(context, rigs["Bookbus"])
        with context.db.reading() as session:
            *files, bridge = logs.sources(session, rigs["Bookbus"])
        self.assertLessEqual(
            bridge.start_ms - max(file.end_ms for file in files), 120_000
        )  # it goes on where the log ended
        self.assertEqual([item.kind for item in tokens.bridges_of(context, rigs["Bookbus"])], ["bench"])

    def test_controls_stand_behind_volniks_own_port_or_where_there_is_room(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            port = taken.getsockname()[1]
            self.assertNotIn(bench_yard.free_port(port - 21, 21), (0, port))
        self.assertEqual(bench_yard.free_port(port - 21, 21), port)

    def test_a_bad_start_says_what_is_wrong_and_exits_with_2(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "rig.json"
            path.write_text('{"volnik_rig": 1}', encoding="utf-8")
            for arguments, words in (
                (["nowhere.json", "--rig", "1", "--key", "k"], "No such file"),
                ([str(path), "--rig", "1"], "needs a key"),
                ([str(path), "--rig", "1", "--key", "k", "--fault", "blown"], "is no fault"),
                ([str(path), "--rig", "1", "--key", "k", "--wiring", "guessed"], "planned or found"),
                ([str(path), "--rig", "1", "--key", "k", "--to", "http://127.0.0.1:9"], "does not answer"),
            ):
                with self.subTest(words):
                    done = subprocess.run(
                        [sys.executable, "-m", "volnik.cli", "bench-rig", *arguments],
                        capture_output=True,
                        text=True,
                        timeout=60,
                    )
                    self.assertEqual(done.returncode, 2, done.stderr)
                    self.assertIn(words, done.stderr)
                    self.assertNotIn("Traceback", done.stderr)
