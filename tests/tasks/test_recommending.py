"""`volnik numbers` and `volnik resetmap`.

Settings that replay takes as they are, the same bytes for the same seed, clear refusals.
"""

import csv
import json
import tempfile
import unittest
from pathlib import Path

from typer.testing import CliRunner

from tests.core.path.rigs import bank, device, sound
from volnik.cli import app
from volnik.core.document import RigDocument, RigSection, WiringSection, written
from volnik.core.rig.use import Use
from volnik.core.settings import numbers_from_dict


class Settling(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def rig(self, *, name="rig.json", chargers=("solar", "mains"), **figures):
        """A small van's document on disk."""
        devices = [device("fridge", "fridge"), *(device(kind, kind, **figures) for kind in chargers)]
        drawing = sound(devices, bank("lfp", ah=200.0))
        document = RigDocument(
            rig=RigSection(name="Tern", latitude=45.0),
            bank=drawing.bank.as_dict(),
            devices=tuple(devices),
            wiring=WiringSection(planned=drawing.wiring),
            use=Use(shore_nights=3),
        )
        path = self.folder / name
        path.write_text(written(document))
        return path

    def run_cli(self, *words):
        """The command's result."""
        return CliRunner().invoke(app, [str(word) for word in words])

    def test_settings_are_taken_by_replay_as_they_are(self):
        message = self.run_cli("numbers", self.rig(), "--json")
        self.assertEqual(message.exit_code, 0, message.output)
        answer = json.loads(message.stdout)
        numbers_from_dict(answer["settings"])
        self.assertEqual(set(answer["why"]), {*answer["settings"], "power_up"})
        self.assertTrue(answer["works"])
        settings, log = self.folder / "settings.json", self.folder / "log.csv"
        settings.write_text(json.dumps(answer["settings"]))
        log.write_text("time,volts,amps\n" + "".join(f"{1.79e9 + 60 * at},14.1,0.5\n" for at in range(30)))
        counted = self.run_cli("replay", log, "--settings", settings, "--json")
        self.assertEqual(len(json.loads(counted.stdout)["resets"]), 1)

    def test_the_same_seed_gives_the_same_bytes_and_another_does_not(self):
        path = self.rig()
        texts = []
        for at, seed in enumerate((3, 3, 4)):
            out = self.folder / f"map{at}.csv"
            message = self.run_cli("resetmap", path, "--out", out, "--hold-s", 300, "--seed", seed)
            self.assertEqual(message.exit_code, 0, message.output)
            texts.append(out.read_bytes())
        self.assertEqual(texts[0], texts[1])
        self.assertNotEqual(texts[0], texts[2])
        rows = list(csv.DictReader(texts[0].decode().splitlines()))
        self.assertEqual(len(rows), 2500)
        self.assertEqual(
            list(rows[0]),
            ["charged_voltage_v", "tail_current_pct", "zone", "resets", "early_resets", "mean_error"],
        )
        self.assertLessEqual(
            {row["zone"] for row in rows}, {"rightly", "early_heals", "early_lasts", "rarely", "never"}
        )
        top = [row for row in rows if float(row["charged_voltage_v"]) > 14.6]
        self.assertEqual(
            {(row["zone"], row["resets"]) for row in top}, {("never", "0")}
        )  # no charger brings so much

    def test_without_sources_it_stops_and_still_gives_settings(self):
        message = self.run_cli("numbers", self.rig(chargers=()), "--json")
        self.assertEqual(message.exit_code, 1)
        answer = json.loads(message.stdout)
        self.assertFalse(answer["works"])
        self.assertIn("numbers.N14", [item["id"] for item in answer["findings"]])
        numbers_from_dict(answer["settings"])
        plain = self.run_cli("resetmap", self.rig(chargers=()), "--out", self.folder / "m.csv")
        self.assertIn("Nothing charges this battery", plain.output)

    def test_bad_documents_are_refused_by_name(self):
        for words, text in (
            ("bank: The section bank is missing", '{"volnik_rig": 1}'),
            ("This is not JSON", "{"),
            (
                "looks like another unit",
                '{"volnik_rig":1,"bank":{"chemistry":"lfp","block_cells":4,"series":1,"parallel":1,"label":{"kind":"nameplate","ah":0}}}',
            ),
        ):
            with self.subTest(words=words):
                path = self.folder / "bad.json"
                path.write_text(text)
                message = self.run_cli("numbers", path)
                self.assertEqual(message.exit_code, 2)
                self.assertIn(words, message.output)
        message = self.run_cli("numbers", self.rig(absorption_v=13.6, float_v=14.2))
        self.assertEqual(message.exit_code, 2)
        self.assertIn("devices.1.float_v: Solar: float 14.2 V lies above absorption 13.6 V", message.output)
        message = self.run_cli("resetmap", self.rig(), "--out", self.folder / "no" / "m.csv")
        self.assertEqual(message.exit_code, 2)
        self.assertIn("m.csv: No such file or directory", message.output)
