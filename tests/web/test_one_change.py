"""A change is kept whole or not at all, what the Yard shows follows it, and a page that is only
looked at keeps
nothing.
"""

import io
import threading
import unittest
from unittest import mock

from PIL import Image
from sqlalchemy import event

from tests.web.shops import routes_of, visitor
from tests.web.test_bay import ticks_of
from volnik.core.errors import InvalidInput
from volnik.core.rig.photo import ReadyPhoto
from volnik.services.context import AppContext
from volnik.services.log.counted_log import open_counted_log
from volnik.services.shelf import chemistries
from volnik.services.wireup.job import SentPhoto, close_job, job_view, keep_step_photo, take_ticks
from volnik.services.yard.rigs import rig_head
from volnik.services.yard.summary import renew
from volnik.store import drawings, rigs


def jpeg():
    """A small red photo."""
    out = io.BytesIO()
    Image.new("RGB", (64, 48), "red").save(out, "JPEG")
    return out.getvalue()


class OneChange(unittest.TestCase):
    def test_two_who_close_at_once_leave_one_as_built(self):
        with visitor(demo=True) as client:
            context = client.running.context
            while left := ticks_of(job_view(context, 2)):
                taken = take_ticks(context, 2, left, who="Wren")
                self.assertTrue(any(answer.kept for answer in taken), taken[0].why)
            before = self._stood(context)
            together = threading.Barrier(2)
            refused = []

            def close():
                together.wait(10)
                try:
                    close_job(context, 2, who="Wren")
                except InvalidInput as wrong:
                    refused.append(wrong.problems["close"])

            hands = [threading.Thread(target=close) for _ in range(2)]
            for hand in hands:
                hand.start()
            for hand in hands:
                hand.join(30)
            self.assertEqual(len(self._stood(context)), len(before) + 1)
            self.assertEqual(refused, ["There is nothing to close."])

    @staticmethod
    def _stood(context):
        with context.db.reading() as session:
            return drawings.as_built(session, 2)

    def test_a_photo_and_its_tick_are_kept_together_or_not_at_all(self):
        with visitor(demo=True) as client:
            context = client.running.context
            photo = ReadyPhoto((64, 48), "digest", jpeg(), jpeg())
            with self.assertRaisesRegex(InvalidInput, "no longer holds"):
                keep_step_photo(context, 2, SentPhoto("mark-of-it", "lug:nothing", photo), who="Wren")
            with context.db.reading() as session:
                self.assertEqual(drawings.photos(session, 2), [])
            step = job_view(context, 2).status.next.step.key
            number = keep_step_photo(context, 2, SentPhoto("mark-of-it", step, photo), who="Wren")
            again = keep_step_photo(context, 2, SentPhoto("mark-of-it", step, photo), who="Wren")
            shown = job_view(context, 2).status.step(step).photos
            self.assertEqual(([tick.body["photo"] for tick in shown], again), ([number], number))

    def test_a_change_that_fails_leaves_neither_its_rows_nor_its_count(self):
        with visitor(demo=True) as client:
            context = client.running.context
            before = rig_head(context, 1).rig
            with self.assertRaises(ZeroDivisionError), context.change(1) as work:
                rigs.change_rig(work.session, 1, name="Other")
                work.recounted()
                raise ZeroDivisionError
            self.assertEqual(rig_head(context, 1).rig, before)

    def test_a_change_whose_commit_fails_leaves_no_opened_count_behind(self):
        with visitor(demo=True) as client:
            context = client.running.context

            def disk_full(_session):
                raise OSError("disk full")

            with self.assertRaisesRegex(OSError, "disk full"), context.change(1) as work:
                work.recounted()
                opened = (1, rigs.rig(work.session, 1).count_revision)
                open_counted_log(work.session, context, 1)
                self.assertIn(opened, context.counted_logs)
                event.listen(work.session, "before_commit", disk_full)
            self.assertNotIn(opened, context.counted_logs)

    def test_what_the_yard_shows_is_what_would_be_reckoned_now(self):
        with visitor(demo=True) as client:
            context = client.running.context
            with context.db.reading() as session:
                before = {rig.id: rig.summary for rig in rigs.all_rigs(session)}
            low = {"absorption_low_v": 3.3, "absorption_high_v": 3.3, "harm_v": 3.35}
            chemistries.edit(context, "lfp", {"float_low_v": 3.2, "float_high_v": 3.25, **low})
            with context.db.reading() as session:
                kept = {rig.id: rig.summary for rig in rigs.all_rigs(session)}
            with context.db.writing() as session:
                for rig_id in kept:
                    renew(session, context, rig_id)
                anew = {rig.id: rig.summary for rig in rigs.all_rigs(session)}
            self.assertEqual(repr(kept), repr(anew))
            self.assertNotEqual(repr(kept), repr(before))


class LookedAt(unittest.TestCase):
    def test_no_page_that_is_only_looked_at_changes_anything(self):
        with visitor(demo=True) as client:
            paths = sorted(route.path for route in routes_of(client.running.app) if "GET" in route.methods)
            plain = [
                path for path in paths if path.count("{") == path.count("{rig_id}") and "live" not in path
            ]
            self.assertGreater(len(plain), 40)
            with mock.patch.object(AppContext, "change", side_effect=AssertionError("a page wrote")):
                # a rig with a log, one in work, one without a plan
                asked = {path.replace("{rig_id}", rig) for path in plain for rig in ("1", "2", "4")}
                for address in sorted(asked):
                    with self.subTest(address):
                        answer = client.get(address, follow_redirects=False)
                        self.assertLess(answer.status_code, 500, answer.text[:200])
