"""Packing is exact, the database opens whole or says why not, migrations make what the tables say."""

import contextlib
import json
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from tests.siege import migration
from volnik.core.rig.use import Use
from volnik.core.stages import PlanFacts, stage_statuses
from volnik.store import rigs
from volnik.store.codec import open_overview, overview_of, pack_times, pack_values, unpack
from volnik.store.database import Database
from volnik.store.lock import FolderLock
from volnik.store.migrating import MIGRATIONS, StoreRefused, versions
from volnik.store.tables import Base


class Packing(unittest.TestCase):
    def test_stepped_columns_are_exact_and_small(self):
        rng = np.random.default_rng(2)
        volts = np.round(13.3 + rng.normal(0, 0.05, 65_536), 2)
        packed = pack_values(volts)
        np.testing.assert_array_equal(unpack(packed)[0], volts)
        self.assertLess(len(packed), 1.2 * len(volts))

    @settings(max_examples=200, deadline=None)
    @given(
        arrays(
            np.float64,
            st.integers(1, 70),
            elements=st.one_of(st.floats(), st.decimals(-99, 99, places=2).map(float)),
        )
    )
    def test_any_column_comes_back_bit_for_bit(self, values):
        back, end = unpack(pack_values(values))
        np.testing.assert_array_equal(
            back.view(np.int64)[~np.isnan(values)], values.view(np.int64)[~np.isnan(values)]
        )
        np.testing.assert_array_equal(np.isnan(back), np.isnan(values))

    @settings(max_examples=150, deadline=None)
    @given(st.integers(-(10**13), 10**13), st.lists(st.integers(1, 10**9), max_size=60))
    def test_any_rising_times_come_back(self, start, steps):
        time_ms = np.cumsum([start, *steps])
        np.testing.assert_array_equal(unpack(pack_times(time_ms))[0], time_ms.astype(float))

    def test_an_overview_keeps_each_least_and_greatest(self):
        values = np.arange(1000.0)
        values[300] = -50.0
        values[[5, 6]] = np.nan
        starts, lasts, ((low, high),) = open_overview(overview_of(np.arange(1000.0), [values]))
        # by hand: runs of 256: 0..255, 256..511, 512..767, 768..999
        self.assertEqual(list(starts), [0, 256, 512, 768])
        self.assertEqual(list(lasts), [255, 511, 767, 999])
        self.assertEqual(list(low), [0, -50, 512, 768])
        self.assertEqual(list(high), [255, 511, 767, 999])


class Opening(unittest.TestCase):
    def setUp(self):
        self.held = tempfile.TemporaryDirectory()
        self.folder = Path(self.held.name)
        self.addCleanup(self.held.cleanup)

    def test_the_migrations_make_what_the_tables_say(self):
        database = Database(self.folder)
        with database.engine.connect() as connection:
            self.assertEqual(compare_metadata(MigrationContext.configure(connection), Base.metadata), [])
        database.close()

    def test_versions_are_told_by_the_names_of_their_files(self):
        script = ScriptDirectory(str(MIGRATIONS))
        in_order = [revision.revision for revision in script.walk_revisions()][::-1]
        self.assertEqual(versions(), in_order)
        self.assertEqual(versions()[-1], script.get_current_head())

    def test_a_second_opening_changes_nothing_and_puts_no_copy_aside(self):
        Database(self.folder).close()
        Database(self.folder).close()
        self.assertEqual(list(self.folder.glob("of-version-*")), [])

    def _later(self, body):
        """Migrations with one more after the real ones."""
        later = self.folder / "migrations"
        shutil.copytree(MIGRATIONS, later, ignore=shutil.ignore_patterns("__pycache__"))
        head = max(path.stem[:4] for path in (later / "versions").glob("*.py"))
        script = (
            f'from alembic import op\nrevision = "9000"\ndown_revision = "{head}"\ndef upgrade():\n    '
            f'op.execute("CREATE TABLE later (a)")\n    {body}\n'
        )
        (later / "versions" / "9000_later.py").write_text(script)
        return mock.patch("volnik.store.migrating.MIGRATIONS", later)

    def _tables(self, aside=""):
        with contextlib.closing(sqlite3.connect(self.folder / aside / "volnik.sqlite3")) as connection:
            return {row[0] for row in connection.execute("SELECT name FROM sqlite_master")}

    def test_what_stood_is_put_aside_whole_and_never_written_over(self):
        for _ in range(2):
            self._stamp(versions()[-1])
            with self._later("pass"):
                Database(self.folder).close()
            self.assertIn("later", self._tables())
            shutil.rmtree(self.folder / "migrations")
            (self.folder / "volnik.sqlite3").unlink()
        asides = sorted(path.name for path in self.folder.glob("of-version-*"))
        self.assertEqual(asides, [f"of-version-{versions()[-1]}", f"of-version-{versions()[-1]}-2"])
        for aside in asides:
            self.assertNotIn("later", self._tables(aside))
            self.assertIn("rigs", self._tables(aside))

    def test_a_database_of_the_first_version_keeps_its_rigs_and_their_record(self):
        first = self.folder / "first"
        shutil.copytree(
            MIGRATIONS, first, ignore=shutil.ignore_patterns("__pycache__", "000[2-9]*", "00[1-9]*")
        )
        with mock.patch("volnik.store.migrating.MIGRATIONS", first):
            Database(self.folder).close()
        with contextlib.closing(sqlite3.connect(self.folder / "volnik.sqlite3")) as old, old:
            old.execute(
                "INSERT INTO rigs (id, name, silhouette, what, zone, created_s, touched, "
                "count_revision) VALUES (7, 'Old', 'van', '', 'UTC', 1, 0, 0)"
            )
            old.execute(
                "INSERT INTO entries (rig_id, time_s, written_s, kind, body, note) VALUES (7, 1, 1, "
                "'full', '{}', 'kept')"
            )
        database = Database(self.folder)
        with database.reading() as session:
            self.assertEqual((rigs.rig(session, 7).name, rigs.rig(session, 7).latitude), ("Old", None))
            self.assertEqual(rigs.rig(session, 7).use, Use())
            self.assertEqual([note for _, _, note in rigs.entries(session, 7)], ["kept"])
        database.close()

    def test_where_a_stage_stood_in_a_sentence_is_carried_over_as_fields(self):
        fifth = self.folder / "fifth"
        shutil.copytree(
            MIGRATIONS, fifth, ignore=shutil.ignore_patterns("__pycache__", "000[6-9]*", "00[1-9]*")
        )
        with mock.patch("volnik.store.migrating.MIGRATIONS", fifth):
            Database(self.folder).close()
        told = {
            "at_s": 12.0,
            "path_lacks": "2 things to stop for, so the count would lie",
            "wireup_lacks": "3 of 40 steps",
            "prove_lacks": "open: numbers read back",
        }
        with contextlib.closing(sqlite3.connect(self.folder / "volnik.sqlite3")) as old, old:
            old.execute(
                "INSERT INTO rigs (id, name, silhouette, what, zone, created_s, touched, count_revision, "
                "standing, climate, use) VALUES (7, 'Old', 'van', '', 'UTC', 1, 0, 0, ?, '', '{}')",
                [json.dumps(told)],
            )
        database = Database(self.folder)
        with database.reading() as session:
            summary = rigs.rig(session, 7).summary
        database.close()
        self.assertEqual((summary.at_s, summary.plan), (12.0, PlanFacts(True, 2)))
        self.assertEqual((summary.wireup.settled, summary.wireup.steps), (3, 40))
        said = {
            status.stage.word: status.missing_reason
            for status in stage_statuses(summary.facts(has_bank=True, has_numbers=True))
        }
        self.assertEqual(
            [said[word] for word in ("path", "wireup", "prove")],
            [told["path_lacks"], told["wireup_lacks"], told["prove_lacks"]],
        )

    def test_a_migration_that_fails_leaves_the_database_as_it_was(self):
        Database(self.folder).close()
        before = self._tables()
        with (
            self._later('op.execute("SELECT a FROM nowhere")'),
            self.assertRaisesRegex(StoreRefused, "is as it was.*nowhere"),
        ):
            Database(self.folder)
        self.assertEqual(self._tables(), before)
        Database(self.folder).close()

    def test_killed_at_steps_from_every_version_the_next_start_opens_with_every_row(self):
        for version in migration.OLDER:
            with self.subTest(version):
                outcome = migration.kills(version, range(5, 100, 30))
                self.assertEqual((outcome.stuck, outcome.lost), (0, 0))
                self.assertGreater(outcome.hit, 0)

    def test_on_a_disk_too_small_the_data_stands_and_opens_once_there_is_room(self):
        for version in migration.OLDER[1::2]:
            with self.subTest(version):
                outcome = migration.full_disks(version, [0.1, 0.8])
                self.assertEqual((outcome.stuck, outcome.lost), (0, 0))
                self.assertGreater(outcome.hit, 0)

    def test_a_first_start_cut_short_is_begun_anew_and_a_foreign_database_is_left_alone(self):
        path = self.folder / "volnik.sqlite3"
        with (
            contextlib.closing(sqlite3.connect(path)) as half,
            half,
        ):  # as an early Volnik left it when killed
            half.execute("CREATE TABLE alembic_version (version_num)")
            half.execute("CREATE TABLE rigs (id)")
        Database(self.folder).close()
        self.assertIn("entries", self._tables())
        path.unlink()
        with contextlib.closing(sqlite3.connect(path)) as foreign, foreign:
            foreign.execute("CREATE TABLE songs (id)")
        with self.assertRaisesRegex(StoreRefused, "not a Volnik database"):
            Database(self.folder)
        self.assertEqual(self._tables(), {"songs"})

    def test_a_half_migrated_database_is_opened_from_the_copy_that_stands_beside_it(self):
        self._stamp(versions()[-1])
        path, copy = self.folder / "volnik.sqlite3", self.folder / "volnik-before-9000.sqlite3"
        shutil.copyfile(path, copy)
        good = copy.read_bytes()
        with contextlib.closing(sqlite3.connect(path)) as half, half:
            half.execute("CREATE TABLE later (a)")  # as an earlier version left it when killed
        with self._later("pass"):
            Database(self.folder).close()
        self.assertEqual(copy.read_bytes(), good)
        with contextlib.closing(sqlite3.connect(path)) as opened:
            self.assertEqual(opened.execute("SELECT version_num FROM alembic_version").fetchone(), ("9000",))

    def test_data_is_never_taken_back_to_an_older_copy_because_a_migration_fails(self):
        """A copy of an earlier migration may lie there; what was kept since is not in it."""
        self._stamp(versions()[-1])
        shutil.copyfile(self.folder / "volnik.sqlite3", self.folder / "volnik-before-9000.sqlite3")
        with contextlib.closing(sqlite3.connect(self.folder / "volnik.sqlite3")) as opened, opened:
            opened.execute("INSERT INTO shop VALUES ('said', '1')")
        body = "assert not op.get_bind().exec_driver_sql(\"SELECT * FROM shop WHERE name = 'said'\").all()"
        with self._later(body), self.assertRaises(StoreRefused):
            Database(self.folder)
        with contextlib.closing(sqlite3.connect(self.folder / "volnik.sqlite3")) as opened:
            self.assertEqual(
                opened.execute("SELECT * FROM shop WHERE name = 'said'").fetchall(), [("said", 1)]
            )

    def _stamp(self, revision):
        Database(self.folder).close()
        with sqlite3.connect(self.folder / "volnik.sqlite3") as connection:
            connection.execute("UPDATE alembic_version SET version_num = ?", (revision,))
        connection.close()

    def test_a_database_of_a_newer_version_is_refused_and_left_alone(self):
        self._stamp("9999")
        with self.assertRaisesRegex(StoreRefused, "newer Volnik"):
            Database(self.folder)

    def test_no_database_and_no_writable_folder_are_refused_with_a_sentence(self):
        (self.folder / "volnik.sqlite3").write_bytes(b"not a database at all, but a text" * 40)
        with self.assertRaisesRegex(StoreRefused, "not a Volnik database"):
            Database(self.folder)
        blocked = self.folder / "file"
        blocked.touch()
        with self.assertRaisesRegex(StoreRefused, "cannot be written"):
            Database(blocked / "below")


class OneServer(unittest.TestCase):
    def test_a_second_server_on_a_folder_is_told_who_has_it_and_since_when(self):
        with tempfile.TemporaryDirectory() as folder:
            held = FolderLock(Path(folder))
            with self.assertRaisesRegex(
                StoreRefused, r"in use: another Volnik works on it \(process \d+\), since"
            ):
                FolderLock(Path(folder))
            held.say("http://127.0.0.1:8370/")
            with self.assertRaisesRegex(StoreRefused, "answers at http://127.0.0.1:8370/, since .* --data"):
                FolderLock(Path(folder))
            held.release()
            FolderLock(Path(folder)).release()

    def test_a_process_that_was_killed_holds_nothing(self):
        with tempfile.TemporaryDirectory() as folder:
            holds = (
                "import sys, time; from pathlib import Path; from volnik.store.lock import FolderLock; "
                "held = FolderLock(Path(sys.argv[1])); print('held', flush=True); time.sleep(60)"
            )
            with subprocess.Popen([sys.executable, "-c", holds, folder], stdout=subprocess.PIPE) as other:
                other.stdout.readline()
                with self.assertRaises(StoreRefused):
                    FolderLock(Path(folder))
                other.kill()
                other.wait(10)
            FolderLock(Path(folder)).release()

    def test_a_folder_that_cannot_be_written_is_told(self):
        with tempfile.NamedTemporaryFile() as file, self.assertRaisesRegex(StoreRefused, "cannot be written"):
            FolderLock(Path(file.name))


class OneReading(unittest.TestCase):
    def test_all_that_a_page_reads_is_of_one_instant(self):
        with tempfile.TemporaryDirectory() as folder:
            database = Database(Path(folder))
            self.addCleanup(database.close)

            def keep(names):
                with database.writing() as session:
                    rigs.set_shop(session, "names", {"names": names})

            def read():
                with database.reading() as session:
                    return rigs.shop(session, "names").get("names", [])

            def elsewhere(names):
                """Another thread knows nothing of this one's reading."""
                hand = threading.Thread(target=keep, args=(names,))
                hand.start()
                hand.join(30)

            keep(["Wren"])
            with database.one_reading():
                self.assertEqual(read(), ["Wren"])
                elsewhere(["Wren", "Lark"])
                self.assertEqual(read(), ["Wren"], "changed under the page")
                database.read_anew()
                self.assertEqual(read(), ["Wren", "Lark"])
                keep(["Finch"])
                self.assertEqual(read(), ["Finch"], "its own change is not seen")
                elsewhere(["Rook"])
                self.assertEqual(read(), ["Finch"])
            self.assertEqual(read(), ["Rook"])
