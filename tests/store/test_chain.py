"""The record chained by hash: what was changed afterwards shows, what is sound does not."""

import contextlib
import hashlib
import io
import json
import sqlite3
import tempfile
import unittest
from pathlib import Path

from tests.services.shops import opened_context
from tests.services.test_archive import changed, written
from tests.web.shops import opened
from tests.web.test_bay import ticks_of
from volnik.services.wireup.job import job_view, take_ticks
from volnik.services.yard import archive
from volnik.services.yard.rigs import new_rig
from volnik.store import chain, sheets
from volnik.store.archive.file import ArchiveRefused
from volnik.store.tables import RigRow
from volnik.tasks.doctor import examine

RIG = 2
EMPTY = "44136fa355b3678a1146ad16f7e8649e94fb4fc21fe77e8310c060f61caaff8a"  # of {}, by sha256sum


class Chained(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = cls.enterClassContext(tempfile.TemporaryDirectory())
        cls.running = cls.enterClassContext(contextlib.closing(opened(folder, demo=True)))
        cls.context, cls.path = cls.running.context, Path(folder) / "volnik.sqlite3"
        for tick in ticks_of(job_view(cls.context, RIG))[:6]:
            take_ticks(cls.context, RIG, [tick], who="Wren")

    def _faults(self):
        with self.context.db.reading() as session:
            return list(chain.faults(session))

    @contextlib.contextmanager
    def _changed(self, *statements):
        """The database changed by other means, and put back after."""
        with (
            contextlib.closing(sqlite3.connect(self.path)) as file,
            contextlib.closing(sqlite3.connect(":memory:")) as kept,
        ):
            file.backup(kept)
            with file:
                for statement in statements:
                    file.execute(statement)
            try:
                yield
            finally:
                kept.backup(file)

    def test_a_sound_record_has_no_fault_and_one_head(self):
        self.assertEqual(self._faults(), [])
        self.assertRegex(self.context.record_head(), "^[0-9a-f]{64}$")

    def test_the_head_moves_with_each_record(self):
        before = self.context.record_head()
        take_ticks(self.context, RIG, ticks_of(job_view(self.context, RIG))[:1], who="Lark")
        self.assertNotEqual(self.context.record_head(), before)
        self.assertEqual(self._faults(), [])

    def test_the_hash_of_a_link_by_hand(self):
        """SHA-256 of an empty line, 1, tick and the hash of {}: made with sha256sum."""
        body = hashlib.sha256(b"{}").hexdigest()
        self.assertEqual(body, EMPTY)
        expected = hashlib.sha256(b"\n1\ntick\n" + body.encode()).hexdigest()
        self.assertEqual(chain.hash_of("", 1, "tick", body), expected)

    def test_each_way_of_changing_it_afterwards_shows(self):
        for name, said, *statements in (
            ("a verdict", "not as it was written", "UPDATE proofs SET verdict = verdict || '!' WHERE id = 1"),
            ("who ticked", "not as it was written", "UPDATE ticks SET who = 'Mallory' WHERE id = 1"),
            ("a tick taken out", "is gone", "DELETE FROM ticks WHERE id = 1"),
            ("and a link", "are gone", "DELETE FROM ticks WHERE id = 1", "DELETE FROM links WHERE seq = 3"),
            ("a link's body", "was changed", "UPDATE links SET body = '{}' WHERE seq = 2"),
            ("a link's hash", "not its own", "UPDATE links SET hash = 'x' WHERE seq = 2"),
            (
                "a link made to fit",
                "not its own",
                f"UPDATE links SET body_hash = '{EMPTY}', body = '{{}}' WHERE seq = 2",
            ),
        ):
            with self.subTest(name), self._changed(*statements):
                found = self._faults()
                self.assertIn(said, " ".join(fault.what for fault in found))

    def test_doctor_says_so(self):
        with self._changed("UPDATE ticks SET who = 'Mallory' WHERE id = 1"):
            told = {one.about: one for one in examine(self.path.parent)}
        self.assertEqual(told["record"].level, "stop")
        told = {one.about: one for one in examine(self.path.parent)}
        self.assertEqual(told["record"].level, "well")

    def test_a_rig_elsewhere_brings_its_chain_and_no_other_rigs_records(self):
        body = written(self.context, RIG)
        with opened_context() as other:
            new_rig(other, name="Own", silhouette="van", what="", zone="UTC")
            taken = archive.take_in(other, io.BytesIO(body), {})
            with other.db.reading() as session:
                self.assertEqual(list(chain.faults(session)), [])
                links = chain.carried(session, "none of them")
            self.assertGreater(len(links), 6)
            self.assertTrue(all(link["body"] is None for link in links))
            with other.change(taken.id) as work:
                work.session.connection().exec_driver_sql("UPDATE ticks SET who = 'Mallory' WHERE id = 2")
            with other.db.reading() as session:
                self.assertEqual(len(list(chain.faults(session))), 1)
        text = json.dumps([link for link in self._carried(RIG) if link["body"] is None])
        self.assertNotIn("Mallory", text)

    def _carried(self, rig_id):
        with self.context.db.reading() as session:
            return chain.carried(session, session.get(RigRow, rig_id).uid)

    def test_a_chain_that_was_forged_on_the_way_is_refused(self):
        body = written(self.context, RIG)

        def forged(part):
            lines = part.splitlines()
            return b"\n".join([*lines[:2], *lines[3:]]) + b"\n"

        with opened_context() as other, self.assertRaisesRegex(ArchiveRefused, "does not follow"):
            archive.take_in(other, io.BytesIO(changed(body, "chain.jsonl", forged)), {})

    def test_two_sheets_given_out_in_one_instant_are_both_sound(self):
        with self.context.change(RIG) as work:
            for reserve in (15, 20):
                body = {"reserve_pct": reserve}
                sheets.add_sheet(work.session, RIG, made_s=5.0, version_id=None, dialect="plain", body=body)
        self.assertEqual(self._faults(), [])
        with self._changed("UPDATE sheets SET body = '{}' WHERE made_s = 5.0 AND body LIKE '%20%'"):
            self.assertEqual(len(self._faults()), 1)
