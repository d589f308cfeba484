"""The command line, as another program would call it."""

import csv
import gzip
import json
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from tests.tasks.commands import run_volnik

SETTINGS = {
    "capacity_ah": 100,
    "rated_hours": 20,
    "peukert_exponent": 1.25,
    "coulombic_efficiency": 0.9,
    "charged_voltage_v": 14.2,
    "tail_current_pct": 4,
    "hold_seconds": 180,
    "dead_band_a": 0.1,
    "reserve_pct": 50,
    "initial_soc": 1.0,
    "runtime_window_s": 180,
}
LOG = "time,volts,amps\n" + "".join(f"2026-01-01T00:{at:02}:00Z,13,-5\n" for at in range(31)) + "x,1,1\n"


class Commands(unittest.TestCase):
    def setUp(self):
        self.held = tempfile.TemporaryDirectory()
        self.folder = Path(self.held.name)
        self.addCleanup(self.held.cleanup)

    def file(self, name, text):
        path = self.folder / name
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return str(path)

    def replay(self, log=LOG, settings=None, *more):
        given = SETTINGS if settings is None else settings
        return run_volnik(
            "replay", self.file("log.csv", log), "--settings", self.file("s.json", json.dumps(given)), *more
        )

    def test_the_summary_holds_the_sums_done_by_hand(self):
        code, out, _ = self.replay(LOG, None, "--json")
        message = json.loads(out)
        self.assertEqual(code, 0)
        # by hand: 30 min of 5 A at C/H: 2.5 Ah, 32.5 Wh, 47.5 Ah to the reserve at 5 A
        for key, value in {
            "deficit_ah": 2.5,
            "soc": 0.975,
            "ah_out": 2.5,
            "ah_in": 0,
            "wh_out": 32.5,
            "wh_in": 0,
            "runtime_h": 9.5,
        }.items():
            self.assertAlmostEqual(message[key], value, places=9, msg=key)
        self.assertEqual(
            (message["readings"], message["start"], message["end"]),
            (31, "2026-01-01T00:00:00Z", "2026-01-01T00:30:00Z"),
        )
        self.assertEqual((message["resets"], message["gaps"]), ([], []))
        self.assertEqual([error["line"] for error in message["errors"]], [33])

    def test_the_counted_file_has_a_row_a_reading_at_full_precision_and_empty_while_unknown(self):
        out_path = self.folder / "out.csv"
        log = "time,volts,amps\n" + "".join(
            f"{1000 + 60 * at},14.3,{1 if at < 5 else -3.1}\n" for at in range(8)
        )
        code, _, _ = self.replay(
            gzip.compress(log.encode()), SETTINGS | {"initial_soc": None}, "--out", str(out_path)
        )
        self.assertEqual(code, 0)
        with out_path.open(newline="") as held:
            rows = list(csv.DictReader(held))
        self.assertEqual([row["soc"] for row in rows[:3]], ["", "", ""])
        self.assertEqual((rows[3]["soc"], rows[3]["deficit_ah"]), ("1.0", "0.0"))
        self.assertAlmostEqual(float(rows[-1]["deficit_ah"]), 3 * 3.1 / 60, places=15)

    def test_a_reset_is_listed_and_runtime_is_null_while_charging(self):
        log = "time,volts,amps\n" + "".join(f"{60 * at},14.3,2\n" for at in range(5)) + "5000,14.3,2\n"
        message = json.loads(self.replay(log, None, "--json")[1])
        self.assertEqual(message["resets"], [{"time": "1970-01-01T00:03:00Z"}])
        self.assertEqual(message["gaps"], [{"start": "1970-01-01T00:04:00Z", "end": "1970-01-01T01:23:20Z"}])
        self.assertIsNone(message["runtime_h"])

    def test_bad_input_is_a_sentence_and_exit_code_two(self):
        cases = [
            (self.replay(LOG, SETTINGS | {"colour": 1}), "colour"),
            (self.replay(LOG, {"capacity_ah": 100}), "charged_voltage_v is missing"),
            (self.replay("x,y\n1,2\n"), "missing: time, volts, amps"),
            (self.replay("time,volts,amps\nx,y,z\n"), "not one line"),
            (self.replay(""), "empty"),
            (
                run_volnik(
                    "replay",
                    str(self.folder / "none.csv"),
                    "--settings",
                    self.file("s.json", json.dumps(SETTINGS)),
                ),
                "No such file",
            ),
            (
                run_volnik("replay", self.file("l.csv", LOG), "--settings", self.file("bad.json", "{")),
                "not valid JSON",
            ),
            (self.replay(LOG, None, "--out", str(self.folder / "no" / "out.csv")), "No such file"),
            (run_volnik("replay"), "Missing argument"),
            (run_volnik("serve", "--data", self.file("taken", "x")), "cannot be written"),
            (
                run_volnik("serve", "--data", str(self.folder / "d"), "--port", "0", "--now", "yesterday"),
                "ISO 8601",
            ),
        ]
        for at, ((code, out, err), words) in enumerate(cases):
            with self.subTest(at):
                self.assertEqual(code, 2)
                self.assertIn(words, err)
                self.assertNotIn("Traceback", out + err)

    def test_a_port_in_use_is_a_sentence(self):
        import socket

        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            code, _, err = run_volnik(
                "serve", "--data", str(self.folder / "d"), "--port", str(taken.getsockname()[1])
            )
        self.assertEqual(code, 2)
        self.assertIn("Choose another with --port", err)

    def test_a_fault_inside_is_a_sentence_and_no_trace(self):
        with mock.patch("volnik.tasks.replay.replay", side_effect=RuntimeError("unforeseen")):
            code, out, err = self.replay()
        self.assertEqual((code, out), (1, ""))
        self.assertRegex(err, r"^Something went wrong inside Volnik \(RuntimeError: unforeseen\)")

    def test_version_and_schema(self):
        self.assertRegex(run_volnik("--version")[1], r"^volnik \d")
        self.assertIn("capacity_ah", json.loads(run_volnik("schema", "settings")[1])["properties"])
