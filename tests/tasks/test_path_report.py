"""`volnik path` and `volnik schema rig` from the command line."""

import json
import tempfile
import unittest
from pathlib import Path

from typer.testing import CliRunner

from tests.core.path.rigs import changed, device, sound
from volnik.cli import app
from volnik.core.document import RigDocument, RigSection, WiringSection, written


class Judging(unittest.TestCase):
    def run_on(self, text, *more, command="path"):
        """Exit code and output of a command on a document."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "rig.json"
            path.write_text(text, encoding="utf-8")
            answer = CliRunner().invoke(app, [command, str(path), *more])
        return answer.exit_code, answer.output

    def document(self, item, **given):
        """A document of a drawing."""
        return RigDocument(
            rig=RigSection(name="Tern"),
            bank=item.bank.as_dict(),
            devices=item.devices,
            **{"wiring": WiringSection(planned=item.wiring), **given},
        )

    def test_a_sound_plan_exits_0_and_one_with_a_stop_1(self):
        item = sound([device("fridge", current_a=5.0)])
        code, message = self.run_on(written(self.document(item)))
        self.assertEqual(code, 0, message)
        self.assertRegex(message, r"Fridge +100\.0 %")
        self.assertIn("0 findings", message)
        wrong = changed(item, {"op": "move_end", "cable": "fridge_minus", "end": "b", "to": "A1.minus"})
        code, message = self.run_on(written(self.document(wrong)), "--json")
        self.assertEqual(code, 1)
        answer = json.loads(message)
        self.assertEqual((answer["shares"][0]["share"], answer["shares"][0]["word"]), (0.0, "uncounted"))
        self.assertIn("path.P01", [finding["id"] for finding in answer["findings"]])
        row = next(row for row in answer["conductors"] if row["cable"] == "fridge_minus")
        self.assertEqual((abs(row["together"]["amps"]), row["carries_a"]), (5.0, 130.0))

    def test_wire_up_from_found_to_planned(self):
        item = sound([device("fridge", current_a=5.0)])
        on_post = changed(item, {"op": "move_end", "cable": "fridge_minus", "end": "b", "to": "A1.minus"})

        def both(found, planned):
            return written(self.document(item, wiring=WiringSection(found=found, planned=planned)))

        code, message = self.run_on(both(on_post.wiring, item.wiring), "--json", command="wireup")
        self.assertEqual(code, 0, message)
        steps = {step["id"]: step for step in json.loads(message)["steps"]}
        self.assertEqual(steps["main_off"]["where"]["fuses"], ["main"])
        self.assertEqual(steps["fuse_in:main"]["where"]["fuses"], ["main"])
        self.assertEqual(steps["lug:fridge_minus"]["where"]["studs"], ["fridge.minus", "nb"])
        self.assertIn("A rig-side lug is lifted only", steps["lug:fridge_minus"]["cautions"][0])
        code, message = self.run_on(both(item.wiring, on_post.wiring), command="wireup")
        self.assertEqual(code, 1)
        self.assertRegex(message, r"stop  path.P01  Fridge: 0 % of its 5 A is counted")
        code, message = self.run_on(both(item.wiring, item.wiring), command="wireup")
        self.assertEqual(
            (code, message.strip()), (0, "Nothing is left to wire: what was found is as planned.")
        )
        for more, words in (((), "plan is missing"), (("--school", "mine"), "no order of the last joints")):
            text = written(self.document(item, wiring=WiringSection(found=item.wiring)))
            text = both(item.wiring, item.wiring) if more else text
            code, message = self.run_on(text, *more, command="wireup")
            self.assertEqual(code, 2)
            self.assertIn(words, message)

    def test_defaults_taken_are_named_and_what_is_needed_is_exit_2(self):
        item = sound([device("fridge", current_a=5.0)])
        code, message = self.run_on(written(self.document(item, wiring=WiringSection(found=item.wiring))))
        self.assertEqual(code, 0)
        self.assertIn("wiring.planned is missing: judged as found.", message)
        self.assertIn("monitor is missing", message)
        bare = json.loads(written(self.document(item)))
        for cut, words in (("bank", "bank is missing"), ("wiring", "needed")):
            body = {key: value for key, value in bare.items() if key != cut}
            code, message = self.run_on(json.dumps(body))
            self.assertEqual((code, words in message), (2, True), message)
        for text, words in (
            ("{", "not JSON"),
            (json.dumps({**bare, "volnik_rig": 9}), "newer Volnik"),
            (json.dumps({**bare, "devices": [{"id": "x y"}]}), "devices.0.id"),
        ):
            code, message = self.run_on(text)
            self.assertEqual((code, words in message), (2, True), message)
        answer = CliRunner().invoke(app, ["path", "/nowhere/rig.json"])
        self.assertEqual(answer.exit_code, 2)
        self.assertIn("No such file", answer.output)

    def test_the_schema_is_printed(self):
        answer = CliRunner().invoke(app, ["schema", "rig"])
        self.assertEqual(json.loads(answer.output)["title"], "Volnik rig document")
