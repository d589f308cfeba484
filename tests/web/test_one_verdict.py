"""No two pages contradict each other: demo rigs and spoilt ones, page by page and over the feeds."""

import re
import unittest
from dataclasses import replace

from tests.web.shops import visitor
from volnik.core.count.entries import Entry
from volnik.core.prove.record import Occasion, SeenStep
from volnik.services.log import entries
from volnik.services.numbers import versions
from volnik.services.prove.record import keep_step, prove_view
from volnik.services.survey.devices import add_lines, change_device
from volnik.services.yard.feeds import figures
from volnik.services.yard.rigs import rig_head
from volnik.store import rigs as store

BOOKBUS = 1
PAGES = (
    "survey",
    "path",
    "numbers",
    "wireup?long=1",
    "prove",
    "watch",
    "watch/ahead",
    "watch/sums",
    "visit",
    "owner",
)


def numbers(**more):
    """A spoiling: other numbers from the last day on."""

    def spoil(client, context):
        with context.db.reading() as session:
            held = store.numbers_versions(session, BOOKBUS)[-1].numbers
        versions.save(
            context, BOOKBUS, replace(held, **more), holds_from_s=None, reason="spoilt", power_up="blank"
        )

    return spoil


def entry(kind, **more):
    """A spoiling: something dated at the end of the log."""

    def spoil(client, context):
        at_s = rig_head(context, BOOKBUS).rig.summary.at_s
        entries.enter(context, BOOKBUS, Entry(at_s, kind, **more), "")

    return spoil


def step(seen_share):
    """A spoiling: a device switched on and off of which the shunt saw a share."""

    def spoil(client, context):
        row = next(row for row in prove_view(context, BOOKBUS).rows if row.device.takes)
        at_s = context.now() + 1.0
        seen = SeenStep(seen_share * row.expected_a, 0.02)
        keep_step(context, BOOKBUS, row.device.id, seen, Occasion("typed", "Tolly", at_s, f"k{seen_share}"))

    return spoil


def visit(**typed):
    """A spoiling: something put on record of a visit."""

    def spoil(client, context):
        page = client.get("/rigs/1/visit").text
        now = re.search(r'name="time" value="([^"]+)"', page).group(1)
        answer = client.change("/rigs/1/visit", {"time": now, **typed})
        assert answer.status_code == 303, answer.text[:300]

    return spoil


def device(name, **more):
    """A spoiling: a device's figures at Survey."""

    def spoil(client, context):
        given = {"name": name, "kind": more.pop("kind"), **more}
        change_device(context, BOOKBUS, more.pop("id", given["kind"]), given)

    return spoil


def line(text):
    """A spoiling: a device entered at Survey."""
    return lambda client, context: add_lines(context, BOOKBUS, text)


SPOILT = {
    "capacity of a factory": (numbers(capacity_ah=200.0), "not"),
    "capacity added along a string": (numbers(capacity_ah=640.0), None),
    "charged voltage met long before full": (numbers(charged_voltage_v=13.2), "not"),
    "charged voltage nobody reaches": (numbers(charged_voltage_v=15.0), "unknown"),
    "capacity off": (numbers(capacity_ah=300.0), "doubt"),
    "tail far too wide": (numbers(tail_current_pct=12.0), None),
    "exponent of lead": (numbers(peukert_exponent=1.25), "doubt"),
    "lost and claimed full": (entry("supply_lost", power_up="full"), "doubt"),
    "lost and claimed half": (entry("supply_lost", power_up="half"), "doubt"),
    "lost and blank": (entry("supply_lost", power_up="blank"), "unknown"),
    "full said while discharging": (entry("full"), "doubt"),
    "set by hand": (entry("set", soc=0.5), None),
    "swapped": (entry("block_swapped"), "unknown"),
    "a device not seen": (step(0.0), "not"),
    "a device half seen": (step(0.5), None),
    "a device seen": (step(1.0), "plain"),
    "wiring touched": (visit(**{"wiring.what": "new lugs"}), "doubt"),
    "firmware": (visit(**{"firmware.what": "9"}), "plain"),
    "left for now": (visit(**{"temporary.what": "fan", "temporary.due": "2026-12-24"}), "plain"),
    "another monitor": (visit(**{"monitor.what": "other make"}), None),
    "a heater on the post": (line("Diesel heater, 2 A, battery post, fuse 10 A, 2.5 mm², 2 m"), None),
}


class OneVerdict(unittest.TestCase):
    def agree(self, client, context, rig_id, pages=PAGES):
        """Every page and feed of a rig says of its percentage what its verdict says."""
        head = rig_head(context, rig_id)
        summary = head.rig.summary
        told = {"not": "not to be believed", "doubt": "with doubt"}.get(summary.believed)
        yard = client.get("/").text
        strip = next(part for part in yard.split('<li class="strip">')[1:] if f'/rigs/{rig_id}"' in part)
        self.assertEqual("<s>" in strip, summary.believed == "not")
        for word in ("not to be believed", "with doubt"):
            self.assertEqual(word in strip.split('class="age"')[0].split('class="how"')[1], word == told)
        if summary.attention:
            level, sentence, _ = summary.attention[0]
            self.assertIn(f"level-{level}", strip)
        texts = {page: client.get(f"/rigs/{rig_id}/{page}").text for page in pages}
        for page, text in texts.items():
            if page == "watch" and summary.believed == "not":
                self.assertIn("The percentage cannot be believed.", text)
                self.assertNotRegex(text, r'class="give">±')
                continue
            shown = re.search(r'class="belief belief-(\w+)"', text)
            self.assertEqual(shown and shown.group(1), summary.believed if told else None, page)
        said = {number: values for number, _, values in figures(context)}.get(rig_id, {})
        if "believed" in said:
            self.assertEqual(said["believed"], float(summary.believed != "not"))
            self.assertEqual(said["soc"] != said["soc"], summary.believed in ("not", "unknown"))
        counted = re.search(r'class="one-number"><b>(\d+)</b> of (\d+)', texts["prove"])
        if counted and summary.prove.begun:
            self.assertEqual(int(counted.group(2)), summary.prove.devices)
        stages = {status.stage.word: status.state for status in head.stages}
        if summary.numbers_stops:
            self.assertEqual(stages["numbers"], "lacking")
        if summary.believed == "not":
            self.assertEqual(stages["watch"], "lacking")

    def test_every_demo_rig(self):
        with visitor(demo=True) as client:
            for rig_id in range(1, 7):
                with self.subTest(rig_id):
                    self.agree(client, client.running.context, rig_id)

    def test_every_spoilt_rig(self):
        for at, (name, (spoil, wanted)) in enumerate(SPOILT.items()):
            pages = {"prove", "watch", *PAGES[at % 3 :: 3]}  # each page of seven rigs spoilt in seven ways
            with self.subTest(name), visitor(demo=True) as client:
                context = client.running.context
                spoil(client, context)
                summary = rig_head(context, BOOKBUS).rig.summary
                if wanted:
                    self.assertEqual(summary.believed, wanted, summary.reason)
                self.agree(client, context, BOOKBUS, pages)
