"""What docs/extending.md promises: a row in a registry is enough for the rest of the house to know of it."""

import unittest
from pathlib import Path
from unittest import mock

from tests.web.shops import visitor
from tests.web.test_path import new_rig
from volnik.core import stages
from volnik.core.watch.checkup import registry
from volnik.core.watch.checkup.cause import Cause
from volnik.core.watch.checkup.registry import CAUSES, CauseSpec
from volnik.services.watch.checked import checked

DOCS = Path(__file__).parent.parent.parent / "docs"


def always(_facts):
    """A cause that any log shows."""
    return Cause("throw_away", 0.97, "It is thrown away.", "Look for it in vain.")


class Registered(unittest.TestCase):
    def test_every_cause_is_explained(self):
        told = (DOCS / "domain" / "checkup.md").read_text(encoding="utf-8")
        for spec in CAUSES:
            self.assertIn(spec.key, told)

    def test_a_cause_is_one_row_and_its_file(self):
        spec = CauseSpec("throw_away", "Thrown away", "beside", always, spoils_count=True)
        with visitor(demo=True) as client, mock.patch.object(registry, "CAUSES", (*CAUSES, spec)):
            page = client.get("/rigs/1/watch/checkup").text
            self.assertIn("Thrown away", page)
            self.assertIn("Look for it in vain.", page)
            found = checked(client.running.context, 1)
            self.assertEqual(found.parts[-1].found.to_dict()["causes"][0]["cause"], "throw_away")

    def test_a_stage_is_one_row(self):
        lacking = stages.StageVerdict("lacking", "not thrown away yet")
        extra = stages.Stage("thrown", "Throw away", lambda facts: lacking)
        with visitor(demo=True) as client, mock.patch.object(stages, "STAGES", (*stages.STAGES, extra)):
            page = client.get("/rigs/1/watch").text
            self.assertIn("Throw away", page)
            self.assertIn("not thrown away yet", page)

    def test_a_kind_of_device_is_one_row_of_the_shelf(self):
        with visitor() as client:
            given = {"key": "loom", "name": "Loom", "words": "weaving loom", "role": "load", "power_w": "90"}
            self.assertEqual(client.change("/shelf/parts/presets", given).status_code, 303)
            new_rig(client, "Weaving loom, battery post")
            page = client.get("/rigs/1/survey/devices?show=device:weaving_loom").text
            self.assertIn("<p>Loom", page)


if __name__ == "__main__":
    unittest.main()
