"""A rig that travels: the same on both sides, merged by its records, conflicts told, rubbish refused."""

import contextlib
import hashlib
import io
import json
import re
import tempfile
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path

import jsonschema
import numpy as np

from tests.services.shops import NOW, opened_context, rig, steady, take
from tests.web.shops import opened
from tests.web.test_bay import ticks_of
from volnik.core.changes import NOBODY
from volnik.core.prove.record import Occasion
from volnik.core.rig.photo import ReadyPhoto
from volnik.core.wireup.steps import Tick
from volnik.services.acting import Acting, acting_as
from volnik.services.log.sources import source_views, withdraw
from volnik.services.path import drawings
from volnik.services.survey.devices import add_lines
from volnik.services.survey.gauge import keep_photo
from volnik.services.wireup.job import job_view, take_ticks
from volnik.services.yard import archive
from volnik.services.yard.rigs import archive as put_aside
from volnik.services.yard.rigs import rename, rig_head, yard
from volnik.store import live, logs, records, registry, rigs
from volnik.store.archive.file import ArchiveRefused, home_digest, rows_of
from volnik.store.archive.schema import archive_schema
from volnik.store.tables import Base

RIG = 2  # of the demo: a plan that is being wired


def written(context, rig_id=1):
    """The archive of a rig as bytes."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "rig.zip"
        archive.give_out(context, rig_id, path, program="0.1.0")
        return path.read_bytes()


def parts(body):
    """The parts of an archive, without its manifest."""
    with zipfile.ZipFile(io.BytesIO(body)) as opened_:
        return {name: opened_.read(name) for name in opened_.namelist() if name != "manifest.json"}


def changed(body, name, make):
    """An archive with one part changed, its manifest right again."""
    found = parts(body)
    found[name] = make(found[name])
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for part, content in found.items():
            made.writestr(part, content)
        digests = {part: hashlib.sha256(content).hexdigest() for part, content in found.items()}
        manifest = {"format": "volnik rig archive", "format_version": 1, "files": digests}
        made.writestr("manifest.json", json.dumps(manifest))
    return out.getvalue()


class Registered(unittest.TestCase):
    def test_every_table_is_archived_backed_up_or_neither_with_its_reason(self):
        tables = {**Base.metadata.tables, **live._META.tables, "alembic_version": None}
        self.assertEqual(set(registry.TABLES), set(tables))
        for name, kept in registry.TABLES.items():
            with self.subTest(name):
                self.assertTrue(kept.identity or kept.reason)
                columns = {column.name for column in tables[name].c} if tables[name] is not None else set()
                named = {*kept.identity, *kept.settable, *kept.refers, *kept.packed, *kept.blobs}
                self.assertLessEqual(named, columns)
                if kept.how == "archived" and "rig_id" in columns and kept.identity and name != "sources":
                    self.assertIn(name, (*registry.IN_ORDER, "drawing_revisions"))


class Travelling(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = cls.enterClassContext(tempfile.TemporaryDirectory())
        running = cls.enterClassContext(contextlib.closing(opened(folder, demo=True)))
        cls.context = running.context
        for tick in ticks_of(job_view(cls.context, RIG))[:9]:
            take_ticks(cls.context, RIG, [tick], who="Wren")
        photo = ReadyPhoto((64, 48), "d" * 64, b"\xff\xd8large", b"\xff\xd8small")
        keep_photo(cls.context, RIG, photo, caption="the bay")
        with acting_as(Acting("Wren")):
            add_lines(cls.context, RIG, "Extra pump, 4 A")
        cls.body = written(cls.context, RIG)

    def _elsewhere(self):
        return self.enterContext(opened_context())

    def test_out_and_in_it_is_the_same_byte_for_byte_and_in_every_page(self):
        for rig_id in (1, RIG):  # one with logs and proofs, one amid its wiring
            body, other = written(self.context, rig_id), self._elsewhere()
            taken = archive.take_in(other, io.BytesIO(body), {})
            again = parts(written(other, taken.id))
            for name, content in parts(body).items():
                with self.subTest(name, rig=rig_id):
                    if name == "records/changes.jsonl":  # one more, where someone is at work: that it came in
                        self.assertTrue(again[name].startswith(content))
                    else:
                        self.assertEqual(again[name], content)
            here, there = rig_head(self.context, rig_id), rig_head(other, taken.id)
            seen_here, seen_there = (
                replace(head.rig.summary, known_since={}, checkup={}) for head in (here, there)
            )  # since when a shop knows of a finding does not travel
            self.assertEqual(repr(seen_there), repr(seen_here))
            self.assertEqual([stage.state for stage in there.stages], [stage.state for stage in here.stages])

    def test_there_is_something_of_each_kind_to_carry(self):
        every = {**parts(written(self.context, 1)), **{k: v for k, v in parts(self.body).items() if v}}
        for name in ("numbers", "sources", "photos", "ticks", "proofs", "drawing_revisions", "stood"):
            self.assertTrue(every[f"records/{name}.jsonl"], name)

    def test_taken_in_twice_nothing_is_new(self):
        other = self._elsewhere()
        archive.take_in(other, io.BytesIO(self.body), {})
        found = archive.compared(other, io.BytesIO(self.body))
        self.assertEqual((sum(found.new.values()), found.readings, found.conflicts), (0, 0, []))
        archive.take_in(other, io.BytesIO(self.body), {})
        self.assertEqual(len(yard(other)), 1)
        self.assertEqual(
            parts(written(other))["records/ticks.jsonl"], parts(self.body)["records/ticks.jsonl"]
        )

    def test_its_parts_are_as_the_schema_says(self):
        schema, found = archive_schema(), parts(self.body)
        jsonschema.validate(json.loads(found["rig.json"]), schema["rig"])
        lines = 0
        for name, told in schema["records"].items():
            for line in found[f"records/{name}.jsonl"].splitlines():
                with self.subTest(name):
                    jsonschema.validate(json.loads(line), told)
                    lines += 1
        self.assertGreater(lines, 30)

    def test_what_is_no_sound_archive_is_refused_and_nothing_kept(self):
        middle = len(self.body) // 2
        chemistry, mud = b'"chemistry": "[a-z]+"', b'"chemistry": "mud"'
        bad_bank = changed(self.body, "rig.json", lambda part: re.sub(chemistry, mud, part))
        bad_numbers = changed(
            self.body, "records/numbers.jsonl", lambda part: part.replace(b"peukert", b"pukert")
        )
        no_mark = changed(self.body, "records/ticks.jsonl", lambda part: part.replace(b'"mark"', b'"mork"'))
        for name, body in (
            ("empty", b""),
            ("no ZIP", b"PK\x03\x04" * 90),
            ("cut short", self.body[:-900]),
            ("a byte changed", self.body[:middle] + bytes([self.body[middle] ^ 1]) + self.body[middle + 1 :]),
            ("a battery of mud", bad_bank),
            ("numbers without a name", bad_numbers),
            ("a tick without its mark", no_mark),
        ):
            other = self._elsewhere()
            with self.subTest(name):
                with self.assertRaises(ArchiveRefused):
                    archive.take_in(other, io.BytesIO(body), {})
                self.assertEqual(yard(other), [])

    def test_a_newer_or_foreign_one_is_told_so(self):
        out = io.BytesIO()
        for manifest, said in (
            ({"format": "x"}, "no archive of a rig"),
            ({"format_version": 9}, "newer Volnik"),
        ):
            with self.subTest(said):
                with zipfile.ZipFile(out := io.BytesIO(), "w") as made:
                    made.writestr("manifest.json", json.dumps({"format": "volnik rig archive", **manifest}))
                with self.assertRaisesRegex(ArchiveRefused, said):
                    archive.compared(self._elsewhere(), out)


def rows_of_(context, rig_id, name):
    """Records of a rig."""
    with context.db.reading() as session:
        return rows_of(session, rig_id, name)


class Merging(unittest.TestCase):
    def setUp(self):
        self.shop, self.laptop = self.enterContext(opened_context()), self.enterContext(opened_context())
        self.rig = rig(self.shop)
        add_lines(self.shop, self.rig, "Pump, 4 A")
        take(self.shop, self.rig, steady(-5.0, 60))
        archive.take_in(self.laptop, io.BytesIO(written(self.shop, self.rig)), {})

    def _back(self, **choices):
        body = io.BytesIO(written(self.laptop))
        found = archive.compared(self.shop, body)
        archive.take_in(self.shop, body, choices)
        return found

    def test_what_was_done_on_both_sides_stands_on_both(self):
        take(self.laptop, 1, steady(-2.0, 30, start_s=NOW - 3600), name="van.csv")
        take(self.shop, self.rig, steady(-3.0, 30, start_s=NOW - 9000), name="shop.csv")
        keep_photo(self.laptop, 1, ReadyPhoto((6, 4), "e" * 64, b"\xff\xd8a", b"\xff\xd8b"), caption="post")
        found = self._back()
        self.assertEqual((found.rig_id, found.readings, found.conflicts), (self.rig, 30, []))
        names = {view.source.name for view in source_views(self.shop, self.rig)}
        self.assertEqual(names, {"log.csv", "van.csv", "shop.csv"})
        archive.take_in(self.laptop, io.BytesIO(written(self.shop, self.rig)), {})
        for name, content in parts(written(self.shop, self.rig)).items():
            if name.startswith("records/") and "sources" not in name and "changes" not in name:
                self.assertEqual(
                    len(content.splitlines()), len(parts(written(self.laptop))[name].splitlines()), name
                )

    def test_a_name_changed_on_both_sides_is_chosen(self):
        named = {"silhouette": "van", "what": "test van", "zone": "UTC"}
        rename(self.shop, self.rig, name="Heron", **named)
        rename(self.laptop, 1, name="Rook", **named)
        found = self._back()
        self.assertEqual([(c.key, c.here, c.there) for c in found.conflicts], [("name", "Heron", "Rook")])
        self.assertEqual(rig_head(self.shop, self.rig).rig.name, "Heron")
        self._back(name="theirs")
        self.assertEqual(rig_head(self.shop, self.rig).rig.name, "Rook")

    def test_put_aside_there_is_asked_in_words(self):
        put_aside(self.laptop, 1)
        asked = [(c.key, c.here, c.there) for c in self._back(archived_s="theirs").conflicts]
        self.assertEqual(asked, [("archived_s", "in care", "put aside")])
        self.assertEqual(yard(self.shop), [])

    def test_a_drawing_that_went_on_there_goes_on_here(self):
        add_lines(self.laptop, 1, "Fan, 2 A")
        self.assertEqual(self._back().conflicts, [])
        devices = drawings.rig_path(self.shop, self.rig).devices
        self.assertEqual([device.name for device in devices], ["Pump", "Fan"])

    def test_a_drawing_changed_on_both_sides_is_chosen_and_can_be_undone(self):
        add_lines(self.laptop, 1, "Fan, 2 A")
        add_lines(self.shop, self.rig, "Heater, 9 A")
        self.assertEqual([conflict.key for conflict in self._back().conflicts], ["found"])
        self.assertEqual(self._names(), ["Pump", "Heater"])
        self._back(found="theirs")
        self.assertEqual(self._names(), ["Pump", "Fan"])
        drawings.step(self.shop, self.rig, "found", -1)
        self.assertEqual(self._names(), ["Pump", "Heater"])

    def _names(self):
        return [device.name for device in drawings.rig_path(self.shop, self.rig).devices]

    def test_a_live_source_that_grew_there_grows_here_and_comes_home(self):
        with self.shop.change(self.rig) as work:
            logs.add_source(
                work.session,
                self.rig,
                steady(-1.0, 20, start_s=NOW - 2000),
                kind="bridge",
                name="mast",
                digest="bridge:3:0",
                arrived_s=NOW,
                gap_s=300.0,
                report={"bridge": 3},
            )
            home = rigs.origin(work.session)
        archive.take_in(self.laptop, io.BytesIO(written(self.shop, self.rig)), {})
        with self.laptop.change(1) as work:
            there = logs.source_by_digest(work.session, 1, f"from:{home}:bridge:3:0")
            self.assertNotIn("bridge", there.report)  # no bridge of the laptop's own goes on with it
            logs.append(work.session, there, steady(-1.0, 5, start_s=NOW - 700))
        self._back()
        with self.shop.db.reading() as session:
            back = logs.source_by_digest(session, self.rig, "bridge:3:0")
        self.assertEqual((back.readings, back.report["bridge"]), (25, 3))
        self.assertEqual(home_digest(f"from:{home}:bridge:3:0", "other"), f"from:{home}:bridge:3:0")

    def test_a_withdrawal_there_holds_here(self):
        withdraw(self.laptop, 1, 1)
        self._back()
        self.assertIsNotNone(source_views(self.shop, self.rig)[0].source.withdrawn_s)
        self.assertTrue(np.isnan(rig_head(self.shop, self.rig).rig.summary.at_s))

    def test_that_it_was_taken_in_is_on_record(self):
        with acting_as(Acting(NOBODY)):
            self._back()
        last = rows_of_(self.shop, self.rig, "changes")[-1][1]
        self.assertIn("archive taken in", last["what"])

    def test_of_alarms_and_ticks_those_kept_last_hold_whoever_kept_them(self):
        """An older list that comes in later gets a later number; it must not take the newer one's place."""
        for context, saved_s, reason in ((self.laptop, NOW + 10, "older"), (self.shop, NOW + 20, "newer")):
            with context.change(1) as work:
                records.add_alarms(work.session, 1, [], saved_s=saved_s, reason=reason)
                tick = Tick("mount", "note", saved_s, "Wren", {"text": reason})
                key = f"{reason}-mark"
                records.add_tick(work.session, 1, 1, tick, idempotency_key=key, saved_s=saved_s)
        self._back()
        with self.shop.db.reading() as session:
            self.assertEqual([one.reason for one in records.alarm_lists(session, 1)], ["older", "newer"])
            self.assertEqual([one.body["text"] for one in records.ticks(session, 1)], ["older", "newer"])

    def test_a_correction_still_names_what_it_corrects(self):
        occasion = Occasion("typed", "Wren", NOW, "first-mark")
        with self.laptop.change(1) as work:
            keep = {"check": "volts", "about": "", "verdict": "counted", "body": {}}
            first = records.add_proof(work.session, 1, occasion, **keep, saved_s=NOW)
            second = replace(occasion, idempotency_key="second-mark", corrects=first)
            records.add_proof(work.session, 1, second, **keep, saved_s=NOW + 1)
        self._back()
        with self.shop.db.reading() as session:
            kept = records.proofs(session, 1)
        self.assertEqual([proof.corrects for proof in kept], [None, kept[0].id])
