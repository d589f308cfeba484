"""Readings that come in: kept once, settled into the log, the count carried on as if counted whole."""

import threading
import time
import unittest
from unittest import mock

import numpy as np
from sqlalchemy.exc import OperationalError

from tests.services.shops import NOW, opened_context, rig, steady, take
from volnik.core.count.entries import Entry
from volnik.core.readings import NotKept, ReadingsRefused
from volnik.services.live import tokens
from volnik.services.live.ingest import Ingest, KeyRefused
from volnik.services.live.now import Live
from volnik.services.live.pending import ingest_pending
from volnik.services.log import entries
from volnik.services.log import sources as log
from volnik.services.log.recount import recount
from volnik.services.watch.view import watch_view
from volnik.store import counts, logs

START = NOW - 40_000.0


def rows(amps, count, *, start_s=START, step_s=1.0, volts=13.0):
    return [
        (round((start_s + step_s * at) * 1000), volts, float(amps), None, None, None, None)
        for at in range(count)
    ]


class Shop:
    """A house with a rig, a bridge and the threads that take readings in."""

    def __init__(self, shop, *, kind="bridge", interval_s=1.0):
        self.shop, self.rig_id = shop, rig(shop)
        self.live = Live(shop)
        self.ingest = Ingest(shop, self.live)
        self.ingest.start()
        self.made = tokens.make(
            shop, kind=kind, rig_id=self.rig_id, name="mast bridge", interval_s=interval_s
        )

    def send(self, given, made=None):
        return self.ingest.take((made or self.made).token, given).result(60)

    def deficit(self):
        ingest_pending(self.shop, self.rig_id)
        return watch_view(self.shop, self.rig_id).now.state.deficit_ah


class LiveCase(unittest.TestCase):
    def open(self, **more):
        opening = opened_context()
        shop = Shop(opening.__enter__(), **more)
        self.addCleanup(opening.__exit__, None, None, None)
        self.addCleanup(shop.ingest.close)
        return shop


class Ended(LiveCase):
    def wait_for_end(self, thread):
        thread.join(10)
        self.assertFalse(thread.is_alive())

    def test_a_writer_that_ends_answers_whom_it_holds_and_the_next_post_begins_another(self):
        bench = self.open()
        self.assertEqual(bench.send(rows(-6, 10)).taken, 10)
        with (
            mock.patch.object(bench.shop.live, "keep", side_effect=SystemExit),
            mock.patch("threading.excepthook"),
        ):
            with self.assertRaises(NotKept):
                bench.send(rows(-6, 20))
            self.wait_for_end(bench.ingest._writer)
        self.assertFalse(bench.ingest.health().writing)
        self.assertEqual(bench.send(rows(-6, 20)).taken, 10)
        health = bench.ingest.health()
        self.assertEqual((health.writing, health.restarts, health.waiting), (True, 1, 0))
        self.assertLess(time.time() - health.kept_s, 60.0)

    def test_a_settler_that_ends_is_begun_anew_by_the_page_that_waits_for_it(self):
        bench = self.open()
        bench.send(rows(-6, 10))
        with (
            mock.patch.object(bench.ingest, "_settle_rig", side_effect=SystemExit),
            mock.patch("threading.excepthook"),
        ):
            bench.ingest.catch_up(bench.rig_id, 0.2)
            self.wait_for_end(bench.ingest._settler)
        self.assertFalse(bench.ingest.health().settling)
        bench.ingest.catch_up(bench.rig_id, 10.0)
        self.assertEqual((bench.ingest.health().settling, bench.ingest.health().restarts), (True, 1))
        self.assertFalse(bench.shop.live.waits(bench.rig_id))

    def test_after_its_end_nothing_is_begun_again(self):
        bench = self.open()
        bench.ingest.close()
        bench.ingest.start()
        self.assertEqual((bench.ingest.health().writing, bench.ingest.health().settling), (False, False))


class Taking(LiveCase):
    def test_readings_are_counted_once_however_often_and_in_whatever_order_they_come(self):
        bench = self.open()
        hour = rows(-6, 3601)
        self.assertEqual(bench.send(hour[:1800]).taken, 1800)
        self.assertEqual((bench.send(hour[1000:1800]).repeated, bench.send(hour[1700:1800]).taken), (800, 0))
        self.assertAlmostEqual(bench.deficit(), 6 * 1799 / 3600, places=6)
        again = bench.send(hour[:2])  # settled already: met again, dropped
        self.assertEqual(again.late, 2)
        bench.send(hour[2400:])
        # by hand: 1799 s, a gap of 601 s that is not counted (limit 300 s), 1200 s at 6 A
        self.assertAlmostEqual(bench.deficit(), 6 * (1799 + 1200) / 3600, places=6)
        late = bench.send(hour[1800:2400])
        self.assertEqual((late.taken, late.late), (600, 600))
        self.assertAlmostEqual(bench.deficit(), 6.0, places=6)  # one hour of 6 A, whole
        with bench.shop.db.reading() as session:
            (source,) = logs.sources(session, bench.rig_id)
        self.assertEqual(
            (source.readings, source.segments),
            (3601, [(round(START * 1000), round(START * 1000) + 3_600_000)]),
        )

    def test_what_a_bridge_says_stands_before_a_file_of_the_same_hours(self):
        bench = self.open()
        take(bench.shop, bench.rig_id, steady(-5, 121, start_s=START))
        bench.send(rows(-8, 61, start_s=START + 3600, step_s=60.0))
        # by hand: 59 minutes of 5 A from the file, then 61 of 8 A: the bridge's first reading tells of the
        # minute before it
        self.assertAlmostEqual(bench.deficit(), (59 * 5 + 61 * 8) / 60)

    def test_a_second_bridge_is_set_aside_and_named(self):
        bench = self.open()
        other = tokens.make(bench.shop, kind="bridge", rig_id=bench.rig_id, name="spare bridge")
        bench.send(rows(-6, 601))
        bench.send(rows(-9, 601), other)
        now = bench.live.now(bench.rig_id)
        self.assertEqual(
            (now.bridge.name, now.others, now.values["amps"]), ("mast bridge", ("spare bridge",), -6.0)
        )
        self.assertAlmostEqual(bench.deficit(), 1.0)  # by hand: 6 A for 600 s, the earlier bridge speaks

    def test_a_longer_interval_begins_a_part_of_its_own_from_then_on(self):
        bench = self.open()
        bench.send(rows(-6, 601))
        bench.deficit()
        slow = tokens.set_interval(bench.shop, bench.made.token.id, 60.0)
        bench.ingest.take(slow, rows(-6, 2, start_s=START + 1000, step_s=500.0)).result(60)
        ingest_pending(bench.shop, bench.rig_id)
        with bench.shop.db.reading() as session:
            found = logs.sources(session, bench.rig_id)
        self.assertEqual([finding.gap_s for finding in found], [300.0, 600.0])
        # by hand: 600 s counted, 400 s to the new part are within its 600 s, then 500 s: 1500 s of 6 A
        self.assertAlmostEqual(watch_view(bench.shop, bench.rig_id).now.state.deficit_ah, 2.5)

    def test_a_clock_a_day_ahead_is_refused_but_a_bench_rig_keeps_its_own(self):
        bench = self.open()
        with self.assertRaises(ReadingsRefused) as caught:
            bench.ingest.take(bench.made.token, [*rows(-1, 1), *rows(-1, 1, start_s=NOW + 90_000)])
        self.assertEqual((caught.exception.index, caught.exception.field), (1, "time"))
        own = tokens.make(bench.shop, kind="bench", rig_id=bench.rig_id, name="bench rig")
        self.assertEqual(bench.ingest.take(own.token, rows(-1, 1, start_s=NOW + 90_000)).result(5).taken, 1)

    def test_a_key_opens_one_address_until_it_is_ended(self):
        bench = self.open()
        self.assertEqual(bench.ingest.key(bench.made.secret, bench.rig_id), bench.made.token)
        for secret, rig_id in (
            ("", bench.rig_id),
            ("guess", bench.rig_id),
            (bench.made.secret, bench.rig_id + 1),
        ):
            with self.subTest(secret), self.assertRaises(KeyRefused):
                bench.ingest.key(secret, rig_id)
        tokens.end(bench.shop, bench.made.token.id)
        bench.ingest.forget_keys()
        with self.assertRaisesRegex(KeyRefused, "ended"):
            bench.ingest.key(bench.made.secret, bench.rig_id)


class Surviving(LiveCase):
    def test_a_full_disk_is_told_to_the_sender_and_nothing_is_acknowledged(self):
        bench = self.open()
        full = OperationalError("insert", {}, Exception("database or disk is full"))
        with (
            mock.patch.object(type(bench.shop.live), "keep", side_effect=full),
            self.assertRaisesRegex(NotKept, "disk is full"),
        ):
            bench.send(rows(-6, 10))
        self.assertEqual(bench.send(rows(-6, 10)).taken, 10)  # room again: the same readings, sent again

    def test_a_post_that_names_one_instant_twice_ends_nothing_while_a_page_listens(self):
        bench = self.open()
        heard = []
        self.addCleanup(bench.live.listen(bench.rig_id, heard.append))
        bench.send(rows(-6, 2))
        at = rows(-6, 3)[2]
        bench.send([at, (*at[:3], 20.0, None, None, None)])
        self.assertEqual(bench.send(rows(-6, 5)).taken, 2)  # by hand: instants 0, 1, 2 are there already
        self.assertEqual(heard[-1].time_s, START + 4)

    def test_a_listener_that_fails_keeps_nobody_from_an_answer(self):
        bench = self.open()
        broken = mock.Mock(side_effect=TypeError("a page that broke"))
        self.addCleanup(bench.live.listen(bench.rig_id, broken))
        with self.assertLogs("volnik.services.live.ingest", "ERROR"):
            self.assertEqual(bench.send(rows(-6, 1)).taken, 1)
        with (
            mock.patch.object(type(bench.shop.live), "keep", side_effect=ValueError("odd")),
            self.assertLogs("volnik.services.live.ingest", "ERROR"),
            self.assertRaisesRegex(NotKept, "odd"),
        ):
            bench.send(rows(-6, 3))
        broken.side_effect = None
        self.assertEqual(bench.send(rows(-6, 3)).taken, 2)

    def test_what_was_acknowledged_outlives_a_process_that_dies_before_or_amid_settling(self):
        bench = self.open()
        bench.send(rows(-6, 601))
        self.assertAlmostEqual(Shop.deficit(bench), 1.0)
        bench.send(rows(-6, 600, start_s=START + 601))
        with (
            mock.patch.object(type(bench.shop.live), "forget", side_effect=KeyboardInterrupt),
            self.assertRaises(KeyboardInterrupt),
        ):
            ingest_pending(bench.shop, bench.rig_id)  # settled, but not yet forgotten
        after = Live(bench.shop)  # a new process
        self.assertEqual(after.now(bench.rig_id).values["amps"], -6.0)
        self.assertEqual(ingest_pending(bench.shop, bench.rig_id), 600)  # met again
        self.assertAlmostEqual(watch_view(bench.shop, bench.rig_id).now.state.deficit_ah, 2.0)

    def test_many_senders_at_once_lose_nothing(self):
        bench = self.open()
        hour = rows(-6, 2400)

        def send(part):
            for row in hour[part::8]:
                bench.send([row])

        senders = [threading.Thread(target=send, args=(part,)) for part in range(8)]
        for sender in senders:
            sender.start()
        for sender in senders:
            sender.join()
        self.assertAlmostEqual(bench.deficit(), 6 * 2399 / 3600, places=6)

    def test_a_stale_reading_is_not_called_live_nor_after_the_wall_clock_went_back(self):
        bench = self.open()
        ticking = [0.0]
        live = Live(bench.shop, clock=lambda: ticking[0])
        bench.ingest.live = live
        bench.send(rows(-6, 3))
        self.assertTrue(live.now(bench.rig_id).fresh)
        ticking[0] = 11.0  # three intervals of 1 s, at least 10 s
        self.assertEqual((live.now(bench.rig_id).fresh, live.now(bench.rig_id).age_s), (False, 11.0))
        with mock.patch("time.time", return_value=time.time() - 86_400):
            self.assertFalse(Live(bench.shop).now(bench.rig_id).fresh)


class CarriedOn(LiveCase):
    def test_a_count_carried_on_equals_one_counted_whole(self):
        rng = np.random.default_rng(5)
        for seed in range(6):
            with self.subTest(seed):
                bench = self.open()
                shop, rig_id = bench.shop, bench.rig_id
                take(shop, rig_id, steady(-3, 50, start_s=START - 6000))
                entries.enter(shop, rig_id, Entry(START + 700.0, "set", soc=0.5), "by hand")
                instants = np.unique(
                    np.round(START + np.cumsum(rng.choice([1.0, 2.0, 400.0], 1500, p=[0.7, 0.28, 0.02])), 0)
                )
                volts = np.where(rng.random(len(instants)) < 0.999, 14.3, 13.0)
                amps = rng.choice([-20.0, 1.0, 2.0, 3.0], len(instants), p=[0.002, 0.4, 0.4, 0.198])
                whole = [
                    (round(a * 1000), float(b), float(c), None, None, None, None)
                    for a, b, c in zip(instants, volts, amps, strict=True)
                ]
                order = np.argsort(np.arange(len(whole)) + rng.integers(0, 300, len(whole)), kind="stable")
                with mock.patch("volnik.store.logs.CHUNK_READINGS", 512):
                    for part in np.array_split(order, 7):
                        bench.send([whole[at] for at in part])
                        ingest_pending(shop, rig_id)
                    carried, seen = self.describe(shop, rig_id)
                    with shop.db.writing() as session:
                        recount(session, shop, rig_id)
                    self.assertEqual((carried, seen), self.describe(shop, rig_id))
                self.assertGreater(len(seen), 3)

    def describe(self, shop, rig_id):
        with shop.db.reading() as session:
            events = [
                (event.kind, event.time_s, repr(event.before.deficit_ah))
                for event in counts.events(session, rig_id)
            ]
            segments = [
                (segment.start_s, segment.last - segment.first, segment.state.deficit_ah)
                for segment in counts.segments(session, rig_id)
            ]
            return [*segments, counts.overview(session, rig_id)], events

    def test_a_listener_hears_the_count_carried_on_to_each_reading(self):
        bench = self.open()
        bench.send(rows(-6, 601))
        heard = []
        entries.enter(bench.shop, bench.rig_id, Entry(START - 1, "full"), "")
        end = bench.live.listen(bench.rig_id, heard.append)
        bench.send(rows(-6, 600, start_s=START + 601))
        # by hand: full, then 1200 s at 6 A are 2 Ah of 100
        self.assertAlmostEqual(heard[-1].deficit_ah, 2.0)
        self.assertAlmostEqual(heard[-1].soc, 0.98)
        # the record is counted anew with an entry: the live count follows it
        entries.enter(bench.shop, bench.rig_id, Entry(START + 1300, "set", soc=0.5), "")
        bench.live.refresh(bench.rig_id)
        bench.send(rows(-6, 1, start_s=START + 1400))
        self.assertAlmostEqual(heard[-1].soc, 0.5, delta=0.005)
        heard.clear()
        heard.append(None)
        end()
        bench.send(rows(-6, 1, start_s=START + 2000))
        self.assertEqual(len(heard), 1)

    def test_withdrawn_live_readings_stay_on_record_and_later_ones_begin_anew(self):
        bench = self.open()
        bench.send(rows(-6, 601))
        bench.deficit()
        with bench.shop.db.reading() as session:
            (source,) = logs.sources(session, bench.rig_id)
        log.withdraw(bench.shop, bench.rig_id, source.id)
        bench.send(rows(-12, 601, start_s=START + 700))
        self.assertAlmostEqual(bench.deficit(), 2.0)  # by hand: 12 A for 600 s
        with bench.shop.db.reading() as session:
            self.assertEqual([source.readings for source in logs.sources(session, bench.rig_id)], [601, 601])


class Columns(LiveCase):
    def test_a_quantity_that_begins_later_is_kept_too(self):
        bench = self.open()
        bench.send(rows(-6, 10))
        bench.deficit()
        bench.send([(round((START + 20) * 1000), 13.0, -6.0, 21.5, None, None, None)])
        ingest_pending(bench.shop, bench.rig_id)
        now = watch_view(bench.shop, bench.rig_id).now
        self.assertEqual(now.values["celsius"], 21.5)


if __name__ == "__main__":
    unittest.main()
