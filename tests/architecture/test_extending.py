"""What docs/extending.md promises: a row in a registry is enough for the rest of the house to know of it."""

import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from tests.web.shops import visitor
from tests.web.test_path import new_rig
from volnik.core import stages
from volnik.core.watch.checkup import registry
from volnik.core.watch.checkup.cause import Cause
from volnik.core.watch.checkup.registry import CAUSES, CauseSpec
from volnik.services.watch.checked import checked
from volnik.tasks import exporting

DOCS = Path(__file__).parent.parent.parent / "docs"
HOUSE = DOCS.parent / "volnik"


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

    def test_an_export_is_one_row(self):
        def nights(run):
            yield np.array([run.counted_log.end_s]), {"nights": np.array([7.0])}

        extra = {"nights": exporting.Export("nights by {by}", nights)}
        with visitor(demo=True) as client, mock.patch.dict(exporting.EXPORTS, extra):
            self.assertIn("nights by week", client.get("/rigs/1/watch/sums?by=week").text)
            given = {"what": "nights", "form": "csv", "by": "week"}
            answer = client.change("/rigs/1/watch/export", given)
            file = client.get(answer.headers["location"])
            self.assertIn("-nights-by-week.csv", file.headers["content-disposition"])
            self.assertRegex(file.text, r"^time,nights\n2026-11-20T[\d:]+Z,7.0\n$")
        commands = (DOCS / "commands.md").read_text(encoding="utf-8")
        for key in exporting.EXPORTS:
            self.assertIn(f"`{key}`", commands)

    def test_a_number_of_the_settings_is_five_files(self):
        """In a copy of the house: each place that docs/extending.md names is filled, then a shop is
        opened there.
        """
        with tempfile.TemporaryDirectory() as folder:
            top = Path(folder)
            shutil.copytree(HOUSE, top / "volnik", ignore=shutil.ignore_patterns("__pycache__"))
            for file, before, row in NUMBER:
                path = top / "volnik" / file
                source = path.read_text(encoding="utf-8")
                self.assertEqual(source.count(before), 1, f"{before} in {file}")
                path.write_text(source.replace(before, row + before), encoding="utf-8")
            done = subprocess.run(
                [sys.executable, "-c", SHOP_WITH_A_NUMBER, str(top / "shop")],
                cwd=top,
                env={
                    **os.environ,
                    "NUMBA_DISABLE_JIT": "1",
                    "PYTHONPATH": f"{top}{os.pathsep}{HOUSE.parent}",
                },
                capture_output=True,
                text=True,
                check=False,
            )
            self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        # the fifth file is docs/commands.md: `tests/architecture/test_docs.py` asks for every number there
        self.assertEqual(len({file for file, _, _ in NUMBER}), 4)


NUMBER = (
    (
        "core/settings.py",
        '    "runtime_window_s": Limit(',
        '    "leak_ma": Limit(0.0, 500.0, "mA", usual=0.0),\n',
    ),
    (
        "core/settings.py",
        "\n    def __post_init__(self) -> None:\n        problems",
        "    leak_ma: float = 0.0\n",
    ),
    (
        "core/numbers/meanings.py",
        '    "runtime_window_s": Meaning(',
        '    "leak_ma": Meaning("Leak", "mA", "What leaks.", "Less.", "More.", "slips", lambda b, c: 7.0, '
        "lambda b, c: Span(0.0, 50.0)),\n",
    ),
    (
        "core/shelf/dialects.py",
        '    "runtime_window_s": Parameter(',
        '    "leak_ma": Parameter(("mA",), 0),\n',
    ),
    (
        "core/numbers/reasons.py",
        "        _reserve(vehicle, start),\n",
        '        Reason("leak_ma", 7.0, "It leaks.", "estimate", "7 mA", "Nothing."),\n',
    ),
)
"""File, the text a row goes before, and the row."""

SHOP_WITH_A_NUMBER = f"""
import re, sys
from pathlib import Path
import volnik.web
assert not Path(volnik.web.__file__).is_relative_to({str(HOUSE)!r}), volnik.web.__file__
from tests.web.shops import Visitor
from tests.web.test_path import new_rig
from volnik.core.numbers.schema import settings_schema
from volnik.main import build

running = build(Path(sys.argv[1]), demo=False, now="2026-11-20T15:40:00Z")
running.hosts.add("testserver")
with Visitor(running.app) as client:
    client.running = running
    new_rig(client, "Pump, 6 A, battery post")
    page = client.get("/rigs/1/numbers").text
    for said in ("What leaks.", 'name="leak_ma"', 'data-open="leak_ma"', "Leak 7 mA", "It leaks."):
        assert said in page, said
    from volnik.core.settings import LIMITS
    fields = {{key: "1" for key in LIMITS}}
    fields |= {{"capacity_ah": "110", "charged_voltage_v": "14.2", "hold_s": "3", "rated_hours": "20"}}
    fields |= {{"coulombic_efficiency": "95", "reserve_pct": "50", "tail_current_pct": "2"}}
    fields |= {{"tail_floor_pct": "0", "power_up": "blank", "what": "save"}}
    fields |= {{"initial_soc": "", "dead_band_a": "0.1"}}
    fields |= {{"reason": "tried", "leak_ma": "12", "peukert_exponent": "1.1", "runtime_window_s": "3"}}
    answer = client.change("/rigs/1/numbers", fields)
    assert answer.status_code == 303, re.findall('id="problem-.*?</p>', answer.text)
    assert '"leak_ma": 12' in client.get("/rigs/1/document.json").text
    assert "leak_ma-label" in client.get("/shelf/dialects?key=new").text
assert settings_schema()["properties"]["leak_ma"]["maximum"] == 500.0
running.close()
"""


if __name__ == "__main__":
    unittest.main()
