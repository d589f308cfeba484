"""The quick job through its pages: tried without being kept, kept whole or not at all, its card."""

import unittest

from tests.vans import VANS
from tests.web.shops import visitor
from volnik.services.path.read import read_path
from volnik.services.yard.rigs import rig_head


def typed(van="panel van", **more):
    """The form of a van."""
    chemistry, label, vehicle, lines = VANS[van]
    form = {"chemistry": chemistry, "label": label, "lines": "\n".join(lines), "silhouette": vehicle}
    return {**form, "zone": "UTC", **more}


class QuickJob(unittest.TestCase):
    def test_an_empty_shop_begins_with_it_and_a_full_one_offers_it(self):
        with visitor() as client:
            answer = client.get("/", follow_redirects=False)
            self.assertEqual((answer.status_code, answer.headers["location"]), (303, "/quick"))
            self.assertIn("The Yard is empty", client.get("/?search=").text)
        with visitor(demo=True) as client:
            self.assertIn('href="/quick"', client.get("/").text)

    def test_a_draft_is_shown_and_nothing_kept(self):
        with visitor() as client:
            answer = client.change("/quick/draft", typed(), page="/quick")
            self.assertEqual(answer.status_code, 200)
            self.assertIn("Every device is counted after 15 cards of work", answer.text)
            self.assertIn("Counted today: 0 of 8.", answer.text)
            self.assertEqual(client.get("/", follow_redirects=False).headers["location"], "/quick")

    def test_half_typed_is_no_fault_and_a_line_at_fault_is_told_beside_it(self):
        with visitor() as client:
            bare = client.change("/quick/draft", typed(label="", lines=""), page="/quick").text
            self.assertIn("Type the battery's label", bare.replace("&#39;", "'"))
            self.assertNotIn('role="alert"', bare)
            wrong = client.change("/quick/draft", typed(lines="Fridge\nLamp, 12"), page="/quick").text
            self.assertIn("Line 2: “12” needs a unit", wrong)

    def test_it_is_kept_as_an_ordinary_rig_with_plan_and_numbers(self):
        with visitor() as client:
            answer = client.submit("/quick", typed(name="Wren's van"), page="/quick")
            self.assertEqual((answer.status_code, answer.headers["location"]), (303, "/rigs/1/card"))
            context = client.running.context
            head = rig_head(context, 1)
            self.assertEqual((head.rig.name, head.planned), ("Wren's van", True))
            states = {status.stage.word: status.state for status in head.stages}
            self.assertEqual((states["survey"], states["path"], states["numbers"]), ("done", "done", "done"))
            with context.db.reading() as session:
                path = read_path(session, context, 1)
            self.assertTrue(path.begun)
            self.assertIsNone(path.found.shunt)
            self.assertIsNotNone(path.planned.shunt)
            card = client.get("/rigs/1/card").text
            for wanted in ("Job card: Wren", "Take along", "Set on the monitor", "Prove it dead", "13.9 V"):
                self.assertIn(wanted, card)
            for page in ("survey", "survey/devices", "path", "numbers", "wireup", "prove"):
                self.assertEqual(client.get(f"/rigs/1/{page}").status_code, 200)

    def test_what_cannot_be_kept_says_why_and_loses_nothing(self):
        with visitor() as client:
            answer = client.submit("/quick", typed(label="big one", lines="Fridge\nLamp, 12"), page="/quick")
            self.assertEqual(answer.status_code, 422)
            for wanted in ("big one", "Lamp, 12", "needs a unit", "cannot be read"):
                self.assertIn(wanted, answer.text)
            bare = client.submit("/quick", typed(lines=""), page="/quick")
            self.assertIn("Type at least one device", bare.text)
            self.assertEqual(client.get("/", follow_redirects=False).headers["location"], "/quick")

    def test_the_card_of_a_rig_that_is_not_described_says_what_comes_first(self):
        with visitor() as client:
            client.submit("/rigs", {"name": "Bare", "silhouette": "van", "zone": "UTC"}, page="/quick")
            self.assertIn("Describe the battery", client.get("/rigs/1/card").text)
