"""Real disks that are full or cannot be written: pages stay readable and say so, nothing is half kept."""

import contextlib
import os
import unittest
from pathlib import Path
from unittest import mock

from sqlalchemy import create_engine, event

from tests.siege.disks import read_only, small_disk
from tests.web.shops import Visitor, opened
from tests.web.test_live import made, readings
from volnik.services.yard.rigs import rig_head
from volnik.store.database import pragmas
from volnik.store.disk import disk_trouble, why_not_written

PAGES = (
    "/",
    "/shelf",
    "/shelf/storage",
    "/doors",
    *(
        f"/rigs/1/{part}"
        for part in ("survey", "survey/devices", "path", "numbers", "wireup", "prove", "watch")
    ),
    "/rigs/1/watch/checkup",
    "/rigs/1/watch/sums",
)
NAME = {"name": "Heron", "silhouette": "van", "what": "", "zone": "UTC"}


@contextlib.contextmanager
def visiting(folder):
    """A visitor of a Volnik in that folder."""
    with contextlib.closing(opened(folder, demo=True)) as running:
        running.hosts.add("testserver")
        with Visitor(running.app, raise_server_exceptions=False) as client:
            client.running = running
            yield client


def fill(folder):
    """Write a file until the disk is full."""
    with (folder / "filler").open("wb", buffering=0) as out:
        for size in (1 << 20, 1 << 12, 1):
            with contextlib.suppress(OSError):
                while True:
                    out.write(b"\0" * size)


class Disks(unittest.TestCase):
    def test_on_a_full_one_pages_stay_readable_changes_are_refused_and_later_taken(self):
        with small_disk(192 << 20) as disk, visiting(disk / "data") as client:
            key = made(client)[1]
            before = rig_head(client.running.context, 1).rig.name
            token = client.token()
            send = {"headers": {"x-form-token": token}, "follow_redirects": False}
            fill(disk)
            for address in PAGES:
                with self.subTest(address):
                    page = client.get(address)
                    self.assertEqual(page.status_code, 200)
                    self.assertIn("The disk is full", page.text)
            refused = client.post("/rigs/1/name", data=NAME, **send)
            self.assertEqual(refused.status_code, 507)
            self.assertIn("Nothing was changed. Make room", refused.json()["error"])
            self.assertEqual(
                client.post("/api/rigs/3/readings", json=readings(9), headers=key).status_code, 507
            )
            self.assertEqual(client.get("/api/health").json()["well"], False)
            (disk / "filler").unlink()
            self.assertEqual(rig_head(client.running.context, 1).rig.name, before)
            self.assertNotIn("The disk is full", client.get("/").text)
            self.assertEqual(client.post("/rigs/1/name", data=NAME, **send).status_code, 303)
            again = client.post("/api/rigs/3/readings", json=readings(9), headers=key)
            self.assertEqual((again.status_code, again.json()["taken"]), (200, 9))
            self.assertEqual(rig_head(client.running.context, 1).rig.name, "Heron")

    def test_an_upload_that_finds_no_room_leaves_nothing_behind(self):
        with small_disk(192 << 20) as disk, visiting(disk / "data") as client:
            fill(disk)
            log = b"time,volts,amps\n" + b"1767225600,13.2,-1\n" * 100_000
            sent = client.change("/rigs/1/watch/import", files={"file": ("log.csv", log, "text/csv")})
            self.assertIn(sent.status_code, (422, 507))
            self.assertIn("No space left", sent.text)
            self.assertEqual(list((disk / "data" / "incoming").iterdir()), [])

    def test_on_a_read_only_one_pages_stay_readable_and_say_that_nothing_is_kept(self):
        with small_disk(192 << 20) as disk, visiting(disk / "data") as client:
            before = rig_head(client.running.context, 1).rig.name
            token, context = client.token(), client.running.context
            folder = disk / "data"
            with read_only(folder) as seen:
                if os.access(seen, os.W_OK):
                    self.skipTest("a read-only disk can be written here")
                stores, engines = (context.db, context.live), (context.db.engine, context.live.engine)
                holding = [engine.connect() for engine in engines]  # as those a failing disk is met with
                context.db.engine = _on(seen / "volnik.sqlite3")
                context.live.engine = _on(seen / "live.sqlite3")
                context.db.folder = Path(seen)
                for address in PAGES:
                    with self.subTest(address):
                        page = client.get(address)
                        self.assertEqual(page.status_code, 200)
                        self.assertIn("cannot be written to", page.text)
                send = {"headers": {"x-form-token": token}, "follow_redirects": False}
                refused = client.post("/rigs/1/name", data=NAME, **send)
                self.assertEqual(refused.status_code, 507)
                self.assertIn("give the disk back for writing", refused.json()["error"])
                self.assertEqual(rig_head(context, 1).rig.name, before)
                context.close()
                for store, engine, held in zip(stores, engines, holding, strict=True):
                    store.engine = engine
                    held.close()


def _on(path):
    """An engine on a database of another path."""
    engine = create_engine(f"sqlite:///{path}")
    event.listen(engine, "connect", pragmas)
    return engine


class Told(unittest.TestCase):
    def test_how_full_it_is_is_told_as_it_is(self):
        for free, said in (
            (0, "is full"),
            (1 << 19, "is full"),
            (8 << 20, "nearly full, 8 MB"),
            (1 << 30, ""),
        ):
            usage = mock.Mock(free=free)
            with self.subTest(free), mock.patch("volnik.store.disk.shutil.disk_usage", return_value=usage):
                told = disk_trouble(Path("/tmp"))
                self.assertIn(said, told)
                self.assertEqual(bool(told), bool(said))

    def test_a_failure_that_is_not_the_disks_is_not_put_on_it(self):
        for wrong in (
            TimeoutError(),
            ConnectionResetError(104, "reset"),
            FileNotFoundError(2, "none"),
            ValueError(),
        ):
            with self.subTest(wrong):
                self.assertEqual(why_not_written(wrong, Path("/tmp")), "")
