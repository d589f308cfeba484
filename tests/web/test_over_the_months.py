"""Over the months, the monitor's own history, photos of what was read, and the lamps, as pages."""

import io
import re
import unittest

from PIL import Image

from tests.web.shops import visitor

BOOKBUS, VETVAN = 1, 3


class Pages(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        shop = visitor(demo=True)
        cls.client = shop.__enter__()
        cls.addClassCleanup(shop.__exit__, None, None, None)

    def test_both_banks_and_every_joint_are_told(self):
        page = self.client.get("/rigs/1/watch/trends").text
        for words in (
            "Resistance of the battery",
            "Batteries before",
            "The first battery",
            "B1 minus",
            "12.0 N·m",
        ):
            self.assertIn(words, page)
        self.assertIn("Capacity is told once", page)
        self.assertIn("Nothing that changes over months", self.client.get("/rigs/2/watch/trends").text)

    def test_a_loop_and_a_joint_measured_at_two_visits_become_trends(self):
        for mv in ("0.6", "2.4"):
            answer = self.client.change(
                "/rigs/3/prove/checks", {"check": "joint", "about": "A1 plus", "mv": mv, "amps": "20"}
            )
            self.assertEqual(answer.status_code, 303)
        page = self.client.get("/rigs/3/watch/trends").text
        self.assertIn("Joint A1 plus", page)
        self.assertIn("to 4.0 times that", page)  # by hand: 0.03 and 0.12 mΩ

    def test_the_monitors_own_history_is_typed_judged_and_withdrawn(self):
        base = "/rigs/1/watch/own-history"
        time = "2026-11-20T12:00"
        bad = self.client.change(base, {"time": time, "low_v": "-2"})
        self.assertEqual(bad.status_code, 422)
        self.assertIn("It lies between 0 and 200 V.", bad.text)
        self.assertEqual(self.client.change(base, {"time": time}).status_code, 422)
        kept = self.client.change(
            base, {"time": time, "deepest_ah": "400", "total_ah": "9000", "fulls": "60"}
        )
        self.assertEqual(kept.status_code, 303)
        page = self.client.get("/rigs/1/watch/sums").text
        self.assertIn("Deepest 400 Ah is more than the whole battery of 320 Ah", page)
        note = re.search(r"/watch/notes/(\d+)\" class=\"in-place\"", page).group(1)
        self.client.change(f"/rigs/1/watch/notes/{note}", {"here": "/rigs/1/watch/sums"})
        self.assertNotIn("Deepest 400 Ah", self.client.get("/rigs/1/watch/sums").text)

    def test_a_photo_is_put_to_an_entry_and_a_file_that_is_none_is_refused_there(self):
        page = self.client.get("/rigs/1/prove/record").text
        entry = re.search(r'id="entry-(\d+)"', page).group(1)
        address = f"/rigs/1/prove/record/{entry}/photos"
        wrong = self.client.change(address, files={"photo": ("x.jpg", b"not a photo", "image/jpeg")})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn(f'id="problem-photo-{entry}"', wrong.text)
        body = io.BytesIO()
        Image.new("RGB", (80, 60), "grey").save(body, "JPEG")
        kept = self.client.change(address, files={"photo": ("meter.jpg", body.getvalue(), "image/jpeg")})
        self.assertEqual(kept.status_code, 303)
        page = self.client.get("/rigs/1/prove/record").text
        photo = re.search(r'src="(/rigs/1/survey/photos/\d+\.jpg\?small=1)"', page).group(1)
        self.assertEqual(self.client.get(photo).status_code, 200)

    def test_the_lamps_stand_with_the_reading_shown(self):
        page = self.client.get("/rigs/1/watch").text
        self.assertIn("Towards the next full", page)
        self.assertRegex(page, r"wants 13\.9 V and more")

    def test_a_trial_begins_and_ends(self):
        base = "/rigs/3/prove/checks"
        self.assertNotIn("The trial ends", self.client.get("/rigs/3/prove").text)
        early = self.client.change(base, {"check": "trial_end", "ah": "40"})
        self.assertEqual(early.status_code, 422)
        self.client.change(base, {"check": "trial_begin", "ah": "12"})
        self.assertIn("The trial ends", self.client.get("/rigs/3/prove").text)
        self.client.change(base, {"check": "trial_end", "ah": "40"})
        self.assertIn("28.0 Ah taken out in 0 h", self.client.get("/rigs/3/prove").text)

    def test_after_a_loss_of_supply_the_page_says_what_to_set(self):
        with visitor(demo=True) as client:
            page = client.get("/rigs/1/watch").text
            before = re.search(r"<b>(\d+)</b> %", page).group(1)
            entry = {"kind": "supply_lost", "time": "2026-11-20T15:39", "power_up": "blank"}
            client.change("/rigs/1/watch/entries", entry)
            page = client.get("/rigs/1/watch").text
            self.assertIn(f"before that it stood at {before} %", page)

    def test_a_meter_that_finds_no_full_is_to_be_told_with_the_next_full_charge(self):
        with visitor(demo=True) as client:
            due = "/rigs/1/watch/alarms"
            self.assertNotIn("press full", client.get(due).text)
            client.change("/rigs/1/numbers/sheet", {"dialect": "simple"})
            self.assertIn("Then press full on the monitor.", client.get(due).text)
