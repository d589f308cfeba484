"""Promises through the pages: from the Survey and from a log, and a broken one in the Yard."""

import unittest

from tests.web.shops import visitor
from volnik.services.watch import notes
from volnik.services.watch.promised import outcomes, promise_view
from volnik.services.yard.rigs import rig_head


class Promised(unittest.TestCase):
    def test_a_rig_without_a_log_promises_by_its_survey(self):
        with visitor() as client:
            form = {"chemistry": "lfp", "label": "100 Ah", "lines": "Fridge 45 W\nSolar 200 W", "zone": "UTC"}
            client.submit("/quick", form, page="/quick")
            page = client.get("/rigs/1/promise").text
            for wanted in ("simulated by the Survey", "starts from a full battery", "at 07:00", "Promise it"):
                self.assertIn(wanted, page.replace("At 07:00", "at 07:00"))
            client.submit("/rigs/1/promise", {}, page="/rigs/1/promise")
            self.assertIn("still open", client.get("/rigs/1/promise").text)
            self.assertIn("promise still open", client.get("/").text)

    def test_without_a_bank_it_says_what_comes_first(self):
        with visitor() as client:
            client.submit("/rigs", {"name": "Bare", "silhouette": "van", "zone": "UTC"}, page="/quick")
            self.assertIn("Nothing can be promised yet", client.get("/rigs/1/promise").text)

    def test_one_made_in_the_log_is_held_against_it_and_a_broken_one_stands_in_the_yard(self):
        with visitor(demo=True) as client:
            context = client.running.context
            self.assertIn("own days", client.get("/rigs/1/promise").text)
            offered = promise_view(context, 1).offered
            # as it would have been a week ago: everything in it lies in the log
            week_s = 7 * 86400.0
            made_s = offered.made_s - week_s
            body = {
                **offered.as_body(),
                "made_s": made_s,
                "morning_s": offered.morning_s - week_s,
                "full_low_s": made_s,
                "full_s": made_s,
                "full_high_s": offered.made_s,
                "low": 0.0,
                "high": 1.0,
            }
            notes.add(context, 1, "promise", time_s=made_s, who="Wren", body=body, now_s=made_s)
            with context.db.reading() as session:
                found = outcomes(session, context, 1)[0]
            self.assertEqual(found.morning, "kept")
            self.assertFalse(found.came != found.came)
            notes.add(
                context,
                1,
                "promise",
                time_s=made_s + 1,
                who="Wren",
                body={**body, "high": 0.001},
                now_s=made_s + 1,
            )
            self.assertIn("broken", client.get("/rigs/1/promise").text)
            attention = rig_head(context, 1).rig.summary.attention
            self.assertTrue(any("A promise was broken: 0 to 0 %" in message for _, message, _ in attention))
