"""Backups by themselves, the doctor on sound and on broken folders, what the server says of itself."""

import json
import os
import shutil
import sqlite3
import tempfile
import unittest
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path
from unittest import mock

from tests.tasks.commands import run_volnik
from tests.web.shops import notices, opened
from volnik.store.backup import read_backup
from volnik.store.database import Database
from volnik.store.live import LiveStore
from volnik.tasks.backups import DAY_S, ENDING, STAMP, BackupKeeper, superfluous
from volnik.tasks.doctor import examine

NOON = datetime(2026, 11, 20, 12, tzinfo=UTC).timestamp()


def shop_in(folder):
    """A data folder with nothing in it yet."""
    Database(folder).close()
    LiveStore(folder).close()
    (folder / "secret").write_text("s" * 43)
    (folder / "secret").chmod(0o600)


class Kept(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        shop_in(self.folder)
        self.now_s = NOON
        self.keeper = BackupKeeper(self.folder, lambda: self.now_s)
        self.told = notices(self)

    def test_one_is_made_when_the_last_is_older_than_a_day(self):
        for after_h, count in ((0, 1), (1, 1), (23, 1), (24, 2), (30, 2), (72, 3)):
            with self.subTest(after_h):
                self.now_s = NOON + after_h * 3600.0
                self.keeper.make_due()
                self.assertEqual(len(self.keeper.kept()), count)
        self.assertEqual(read_backup(self.keeper.kept()[-1].path).made_s, self.now_s)

    def test_the_last_of_seven_days_and_of_five_weeks_stay(self):
        backups = self.folder / "backups"
        backups.mkdir()
        for hours in range(0, 60 * 24, 12):  # two a day for sixty days
            made = datetime.fromtimestamp(NOON - hours * 3600.0, UTC)
            (backups / f"{made.strftime(STAMP)}{ENDING}").touch()
        (backups / "a note of mine.txt").touch()
        (backups / f"mine{ENDING}").touch()
        kept = self.keeper.kept()
        gone = superfluous(kept)
        days = [datetime.fromtimestamp(backup.made_s, UTC) for backup in kept if backup not in gone]
        # by hand: Fri 20 back to Sat 14, and of the weeks before it the Sundays 8 and 1 November, 25 October
        wanted = [(11, day) for day in range(14, 21)] + [(11, 8), (11, 1), (10, 25)]
        self.assertEqual(sorted((day.month, day.day) for day in days), sorted(wanted))
        self.assertTrue(all(backup.path.name != f"mine{ENDING}" for backup in kept))

    def test_what_cannot_be_made_is_told_and_tried_again(self):
        with mock.patch("volnik.store.backup.os.fsync", side_effect=OSError(28, "No space left on device")):
            self.keeper.make_due()
        self.assertIn("No space left", self.keeper.trouble)
        self.assertIn("No backup could be made", " ".join(self.told))
        self.keeper.make_due()
        self.assertEqual((self.keeper.trouble, len(self.keeper.kept())), ("", 1))


class Doctor(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        shop_in(self.folder)

    def look(self, **given):
        return {diagnosis.about: diagnosis for diagnosis in examine(self.folder, **given)}

    def test_a_sound_folder_is_well_but_for_what_it_lacks(self):
        found = self.look()
        self.assertEqual(
            {about for about, diagnosis in found.items() if diagnosis.level != "well"}, {"backup", "server"}
        )
        BackupKeeper(self.folder).make()
        self.assertEqual(self.look()["backup"].level, "well")

    def test_each_fault_is_found_and_told_what_to_do(self):
        def damaged(folder):
            size = (folder / "volnik.sqlite3").stat().st_size
            with (folder / "volnik.sqlite3").open("r+b") as file:
                file.seek(4096)
                file.write(os.urandom(size - 4096))

        def of_version(folder, number):
            with closing(sqlite3.connect(folder / "volnik.sqlite3")) as opened_file:
                opened_file.execute("UPDATE alembic_version SET version_num = ?", (number,))
                opened_file.commit()

        for name, harm, about, level in (
            ("no folder", shutil.rmtree, "data folder", "stop"),
            ("nothing live yet", lambda folder: (folder / "live.sqlite3").unlink(), "disk", "well"),
            ("damaged", damaged, "volnik.sqlite3", "stop"),
            ("no database", lambda folder: (folder / "volnik.sqlite3").unlink(), "volnik.sqlite3", "stop"),
            ("newer", lambda folder: of_version(folder, "9000"), "version", "stop"),
            ("older", lambda folder: of_version(folder, "0003"), "version", "look"),
            ("empty secret", lambda folder: (folder / "secret").write_text(""), "secret", "stop"),
            ("no secret", lambda folder: (folder / "secret").unlink(), "secret", "stop"),
            ("read by anyone", lambda folder: (folder / "secret").chmod(0o644), "secret", "look"),
            ("written by anyone", lambda folder: folder.chmod(0o777), "data folder", "look"),
        ):
            with self.subTest(name), tempfile.TemporaryDirectory() as fresh:
                self.folder = Path(fresh) / "shop"
                shop_in(self.folder)
                harm(self.folder)
                found = self.look()[about]
                self.assertEqual(found.level, level)
                self.assertEqual(bool(found.remedy), level != "well")

    def test_a_clock_before_what_was_written_is_told(self):
        for now_s, level in ((None, "well"), (NOON - 400 * DAY_S, "stop"), (0.0, "stop")):
            with self.subTest(now_s):
                self.assertEqual(self.look(now_s=now_s)["clock"].level, level)

    def test_the_commands_do_it_from_end_to_end(self):
        file = self.folder / "elsewhere" / "shop.volnik"
        code, out, _ = run_volnik("backup", str(file), "--data", str(self.folder))
        self.assertEqual((code, "verified" in out), (0, True))
        other = self.folder / "other"
        code, out, _ = run_volnik("restore", str(file), "--data", str(other), "--yes")
        self.assertEqual((code, "Brought back" in out), (0, True))
        code, out, _ = run_volnik("doctor", "--data", str(other), "--json")
        self.assertEqual((code, {row["level"] for row in json.loads(out)}), (0, {"well", "look"}))
        code, _, wrong = run_volnik("restore", str(self.folder / "secret"), "--data", str(other), "--yes")
        self.assertEqual((code, "no Volnik backup" in wrong), (2, True))
        (other / "secret").unlink()
        self.assertEqual(run_volnik("doctor", "--data", str(other))[0], 1)


class Secrets(unittest.TestCase):
    def test_an_empty_secret_is_replaced_and_a_good_one_kept(self):
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "secret").touch()
            opened(folder).close()
            made = (Path(folder) / "secret").read_text()
            self.assertGreater(len(made), 40)
            self.assertEqual((Path(folder) / "secret").stat().st_mode & 0o077, 0)
            opened(folder).close()
            self.assertEqual((Path(folder) / "secret").read_text(), made)
