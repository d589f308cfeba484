"""A shop in one file and back: what is copied while it is written, damaged files, kills at every step."""

import sqlite3
import tempfile
import threading
import unittest
from contextlib import closing
from pathlib import Path
from unittest import mock

import zstandard

from volnik.store import backup
from volnik.store.backup import BackupRefused, read_backup, stage_restore, write_backup
from volnik.store.database import Database
from volnik.store.live import Batch, LiveStore
from volnik.store.migrating import versions
from volnik.store.staging import finish

ABOUT = {"made_s": 1.8e9, "program": "0.1.0"}


def rows(folder, name="volnik.sqlite3", table="shop"):
    """What a table of a folder's database holds."""
    with closing(sqlite3.connect(folder / name)) as opened:
        found = sorted(opened.execute(f"SELECT * FROM {table}").fetchall())
    return [row for row in found if row[0] != "origin"]  # by which this data is known elsewhere


def dying_after(count):
    """A renaming of files that is killed after so many."""
    real, left = Path.replace, [count]

    def replace(path, target):
        if not left[0]:
            raise KeyboardInterrupt
        left[0] -= 1
        return real(path, target)

    return replace


class Backups(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder, self.file = Path(held.name) / "shop", Path(held.name) / "shop.volnik"
        self.database = Database(self.folder)
        self.addCleanup(self.database.close)
        self.live = LiveStore(self.folder)
        self.addCleanup(self.live.close)
        (self.folder / "secret").write_text("the secret")
        self.say("first")
        self.live.keep(
            [Batch(1, 1, 0.0, [(1000 * at, 13.0, -1.0, None, None, None, None) for at in range(9)])]
        )

    def say(self, value):
        """Put something into the shop's table."""
        with self.database.writing() as session:
            session.connection().exec_driver_sql(
                "INSERT OR REPLACE INTO shop VALUES ('said', ?)", (f'"{value}"',)
            )

    def write(self):
        return write_backup(self.folder, self.file, **ABOUT)

    def test_a_round_trip_brings_both_databases_and_the_secret_back(self):
        manifest = self.write()
        self.assertEqual(set(manifest.files), {"volnik.sqlite3", "live.sqlite3", "secret"})
        self.assertEqual((manifest.readings, manifest.rigs, manifest.database), (9, 0, versions()[-1]))
        self.assertEqual(read_backup(self.file), manifest)
        other = self.folder.parent / "other"
        stage_restore(self.file, other, aside="before")
        finish(other)
        for name, table in (("volnik.sqlite3", "shop"), ("live.sqlite3", "tail"), ("live.sqlite3", "heard")):
            with self.subTest(table):
                self.assertEqual(rows(other, name, table), rows(self.folder, name, table))
        self.assertEqual((other / "secret").read_text(), "the secret")
        for path in (self.file, other / "secret", other / "volnik.sqlite3"):  # the secret lets phones in
            self.assertEqual(path.stat().st_mode & 0o077, 0, path.name)
        Database(other).close()

    def test_what_is_written_meanwhile_is_in_it_whole_or_not_at_all(self):
        stop = threading.Event()

        def write_on():
            number = 0
            while not stop.is_set():
                with self.database.writing() as session:
                    for key in ("one", "two"):
                        session.connection().exec_driver_sql(
                            "INSERT OR REPLACE INTO shop VALUES (?, ?)", (key, str(number))
                        )
                number += 1

        writer = threading.Thread(target=write_on)
        writer.start()
        try:
            for number in range(5):
                with self.subTest(number):
                    self.write()
                    into = self.folder.parent / f"read{number}"
                    into.mkdir()
                    read_backup(self.file, into)
                    found = dict(rows(into))
                    self.assertEqual(found.get("one"), found.get("two"))
        finally:
            stop.set()
            writer.join()

    def test_a_file_that_is_none_or_not_whole_is_refused(self):
        self.write()
        whole = self.file.read_bytes()
        middle = len(whole) // 2
        foreign = zstandard.compress(b"PK not a tar" * 100)
        for name, body, said in (
            ("empty", b"", "no Volnik backup"),
            ("another kind", b"PK\x03\x04" + bytes(600), "no Volnik backup"),
            ("packed, but no tar", foreign, "no Volnik backup"),
            ("cut short", whole[:-400], ""),
            ("a byte changed", whole[:middle] + bytes([whole[middle] ^ 1]) + whole[middle + 1 :], ""),
        ):
            with self.subTest(name):
                self.file.write_bytes(body)
                with self.assertRaises(BackupRefused) as refused:
                    read_backup(self.file)
                self.assertIn(said, refused.exception.problems["file"])

    def test_one_of_a_newer_version_is_refused_before_anything_changes(self):
        self.write()
        with (
            mock.patch.object(backup, "versions", return_value=["0001"]),
            self.assertRaisesRegex(BackupRefused, "newer Volnik"),
        ):
            stage_restore(self.file, self.folder, aside="before")
        self.assertIsNone(finish(self.folder))
        self.assertEqual(rows(self.folder), [("said", '"first"')])

    def test_a_full_disk_leaves_neither_half_a_file_nor_the_old_one_harmed(self):
        self.write()
        before = self.file.read_bytes()
        full = OSError(28, "No space left on device")
        with (
            mock.patch.object(backup.os, "fsync", side_effect=full),
            self.assertRaisesRegex(BackupRefused, "No space left"),
        ):
            self.write()
        self.assertEqual(self.file.read_bytes(), before)
        self.assertEqual({path.name for path in self.file.parent.iterdir()}, {"shop", "shop.volnik"})

    def test_killed_at_any_step_the_next_start_has_the_old_data_or_the_restored(self):
        self.write()
        self.say("second")
        self.database.close()
        self.live.close()
        for killed_at in range(100):
            with self.subTest(killed_at), mock.patch.object(Path, "replace", dying_after(killed_at)):
                try:
                    stage_restore(self.file, self.folder, aside=f"before{killed_at}")
                    finish(self.folder)
                    break  # every step was tried
                except KeyboardInterrupt:
                    pass
            with self.subTest(killed_at):
                finished = finish(self.folder)
                said = rows(self.folder)[0][1]
                self.assertEqual(said, '"second"' if finished is None else '"first"')
                if finished is not None:
                    self.assertEqual(rows(finished)[0][1], '"second"')
                self.assertFalse((self.folder / "staged.d").exists())
            with closing(sqlite3.connect(self.folder / "volnik.sqlite3")) as opened:
                opened.execute("UPDATE shop SET body = '\"second\"'")
                opened.commit()
        self.assertGreater(killed_at, 5)
