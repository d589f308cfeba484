"""The demo yard: renewed when untouched, kept when touched; and work that can be stopped."""

import threading
import unittest
from contextlib import nullcontext
from unittest.mock import patch

from tests.services.shops import opened_context
from tests.web.shops import visitor
from volnik.core.watch.checkup.registry import checkup
from volnik.jobs.board import JobBoard
from volnik.services.yard.rigs import archive, yard
from volnik.store import rigs as store
from volnik.tasks import demo

# Those without a log, for what is made three times over.
QUICK = tuple(rig for rig in demo.RIGS if rig.key in ("curlew", "kettle", "lantern"))


class DemoYard(unittest.TestCase):
    @patch("volnik.tasks.demo.RIGS", QUICK)
    def test_an_older_demo_is_renewed_where_untouched_and_set_beside_where_touched(self):
        with opened_context() as shop:
            demo.fill_yard(shop)
            first = {strip.rig.name: strip.rig.id for strip in yard(shop)}
            self.assertEqual(set(first), {"Curlew", "Copper Kettle", "Lantern"})
            demo.fill_yard(shop)
            self.assertEqual({strip.rig.name: strip.rig.id for strip in yard(shop)}, first)
            archive(shop, first["Curlew"])
            archive(shop, first["Curlew"], back=True)
            with shop.db.writing() as session:
                for rig in store.all_rigs(session):
                    store.change_rig(session, rig.id, demo_version=0)
            demo.fill_yard(shop)
            now = {strip.rig.name: strip.rig.id for strip in yard(shop)}
            self.assertEqual(set(now), {*first, "Curlew (kept)"})
            self.assertEqual(now["Curlew (kept)"], first["Curlew"])
            self.assertNotEqual(now["Lantern"], first["Lantern"])

    def test_the_two_logs_tell_their_story(self):
        with visitor(demo=True) as client:
            shop = client.running.context
            rigs = {strip.rig.name: strip.rig.summary for strip in yard(shop)}
            names = "Bookbus", "Marigold", "Vet Van Two", "Curlew", "Copper Kettle", "Dome Truck", "Lantern"
            self.assertEqual(set(rigs), set(names))
            self.assertEqual(rigs["Bookbus"].attention, [])
            self.assertGreater(rigs["Bookbus"].resets, 15)
            self.assertIn("a charger bypasses the shunt", rigs["Dome Truck"].attention[0][1])
            self.assertEqual((rigs["Bookbus"].believed, rigs["Dome Truck"].believed), ("plain", "not"))

    def test_whatever_the_hour_it_is_opened_the_lorrys_bypass_is_named(self):
        lorry = next(rig for rig in demo.RIGS if rig.key == "dome")
        for hour in (0, 3, 15, 18):  # at three of these a part of the log alone looked like a load's bypass
            log = demo.dome_log(1_795_910_400.0 + 3600.0 * hour)
            found = checkup(log, numbers=demo.demo_numbers(lorry), gap_s=300.0)
            self.assertEqual(found.causes[0].cause, "charger_bypass", hour)


class Jobs(unittest.TestCase):
    def test_a_job_reports_is_stopped_and_never_shows_a_trace(self):
        board = JobBoard()
        self.addCleanup(board.close)
        reached, go_on = threading.Event(), threading.Event()

        def long(job):
            job.on_progress(0.4)
            reached.set()
            go_on.wait(5)
            job.on_progress(0.6)

        job = board.start("long", long)
        reached.wait(5)
        self.assertEqual((job.state, job.progress), ("running", 0.4))
        board.cancel(job)
        go_on.set()
        self.assertTrue(board.settle(job, 5))
        self.assertEqual((job.state, job.result), ("cancelled", None))
        for wrong, words in (
            (ValueError("said plainly"), "said plainly"),
            (KeyError("inside"), "Something went wrong"),
        ):

            def fail(job, wrong=wrong):
                raise wrong

            with self.assertLogs("volnik", "INFO") if words != "said plainly" else nullcontext():
                failed = board.start("fails", fail)
                board.settle(failed, 5)
            self.assertEqual(failed.state, "failed")
            self.assertIn(words, failed.error)
