"""`volnik checkup` and `volnik band` as another program would call them."""

import csv
import json
import unittest
from pathlib import Path

from benchmarks.trials.rigs import trial
from tests.tasks import test_replay
from tests.tasks.commands import run_volnik

RIG = {
    "volnik_rig": 1,
    "rig": {"name": "Heron"},
    "bank": {
        "chemistry": "lfp",
        "block_cells": 4,
        "series": 1,
        "parallel": 1,
        "label": {"kind": "nameplate", "ah": 300.0},
    },
}


class Checking(unittest.TestCase):
    setUp, file = test_replay.Commands.setUp, test_replay.Commands.file

    @classmethod
    def setUpClass(cls):
        cls.one = trial("set", 0, "lfp", "charger_bypass", days=14)
        log = cls.one.readings
        rows = zip(log.time_s.tolist(), log.volts.tolist(), log.amps.tolist(), strict=True)
        cls.log = (
            "time,volts,amps\n"
            + "".join(f"{at:.0f},{volts:g},{amps:g}\n" for at, volts, amps in rows)
            + "x,1,1\n"
        )
        cls.settings = json.dumps(cls.one.numbers.as_dict())

    def rig(self, **more):
        loads = [
            {
                "id": load.name,
                "kind": "fridge" if load.way == "cycling" else "load",
                "name": load.name,
                "current_a": load.amps,
            }
            for load in self.one.loads
        ]
        return self.file("rig.json", json.dumps({**RIG, "devices": loads, **more}))

    def test_causes_come_most_likely_first_and_what_cannot_be_told_with_its_why(self):
        log, settings = self.file("log.csv", self.log), self.file("s.json", self.settings)
        code, out, err = run_volnik("checkup", log, "--settings", settings, "--rig", self.rig(), "--json")
        message = json.loads(out)
        self.assertEqual(code, 0)
        self.assertEqual(message["causes"][0]["cause"], "charger_bypass")
        self.assertEqual(
            set(message["causes"][0]),
            {"cause", "likelihood", "evidence", "next", "corrected", "since", "about", "consequences"},
        )
        self.assertTrue(0.5 < message["causes"][0]["likelihood"] <= 1.0)
        self.assertEqual({"cause", "why"}, set(message["cannot_tell"][0]))
        self.assertIn("Lines left out: 1", err)
        code, out, _ = run_volnik("checkup", log)
        self.assertEqual(code, 0)
        self.assertIn("A charger bypasses the shunt", out)
        self.assertIn("Without the rig's plan", out)

    def test_the_band_has_a_row_a_reading_and_settings_come_before_the_rigs_numbers(self):
        log, out = self.file("log.csv", self.log), self.folder / "band.csv"
        code, message, err = run_volnik(
            "band", log, "--settings", self.file("s.json", self.settings), "--out", str(out), "--json"
        )
        self.assertEqual(code, 0)
        self.assertIn("by its volts this is a battery of Lithium iron phosphate in 4 cells", err)
        with out.open() as rows:
            read = list(csv.DictReader(rows))
        self.assertEqual(
            (len(read), list(read[0])), (len(self.one.readings), ["time", "soc", "soc_low", "soc_high"])
        )
        self.assertEqual(
            (read[0]["soc"], read[0]["soc_low"], read[0]["soc_high"]), ("", "0.000000", "1.000000")
        )
        last = json.loads(message)
        self.assertTrue(last["soc_low"] <= last["soc"] <= last["soc_high"])
        self.assertAlmostEqual(last["soc"], float(read[-1]["soc"]), places=6)
        blind = self.rig(numbers={**self.one.numbers.as_dict(), "charged_voltage_v": 15.5})
        code, by_rig, _ = run_volnik("band", log, "--rig", blind, "--json")
        self.assertIsNone(json.loads(by_rig)["soc"])  # its own numbers never reset
        code, both, _ = run_volnik(
            "band", log, "--rig", blind, "--settings", self.file("s.json", self.settings), "--json"
        )
        self.assertEqual(json.loads(both)["soc"], last["soc"])

    def test_bad_use_is_a_sentence_and_exit_code_two(self):
        log = self.file("log.csv", self.log)
        for words, said in (
            (("band", log), "give --settings"),
            (("checkup", str(Path(log).with_name("none.csv"))), "none.csv"),
            (("checkup", log, "--rig", self.file("r.json", "{}")), "volnik_rig"),
            (("band", log, "--settings", self.file("b.json", "{")), "not valid JSON"),
            (("checkup", log, "--settings", self.file("c.json", '{"capacity_ah": -1}')), "capacity_ah"),
        ):
            with self.subTest(words=words[0]):
                code, out, err = run_volnik(*words)
                self.assertEqual((code, out), (2, ""))
                self.assertIn(said, err)
        code, out, _ = run_volnik(
            "checkup", self.file("one.csv", "time,volts,amps\n1700000000,13.2,-1\n"), "--json"
        )
        self.assertEqual((code, json.loads(out)["causes"], len(json.loads(out)["cannot_tell"])), (0, [], 13))
