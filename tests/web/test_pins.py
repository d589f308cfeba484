"""Pins on a customer's photo: set, shown beside the step that needs them, taken out and brought back."""

import io
import re
import unittest

from PIL import Image

from tests.web.shops import visitor


def picture():
    """A small photo as a file."""
    made = io.BytesIO()
    Image.new("RGB", (300, 200), (120, 90, 60)).save(made, "JPEG")
    return {"photo": ("bay.jpg", made.getvalue(), "image/jpeg")}


class Pins(unittest.TestCase):
    def setUp(self):
        shop = visitor(demo=True)
        self.client = shop.__enter__()
        self.addCleanup(shop.__exit__, None, None, None)
        self.client.change("/rigs/5/survey/photos", {"caption": "the bay"}, files=picture())
        page = self.client.get("/rigs/5/survey/gauge").text
        self.photo = re.search(r"survey/photos/(\d+)/pins", page).group(1)
        self.page = f"/rigs/5/survey/photos/{self.photo}/pins"

    def pin(self, **more):
        return self.client.change(self.page, {"x": "50", "y": "25", "what": "shunt", "words": "", **more})

    def test_a_pin_is_shown_on_its_photo_and_beside_its_step(self):
        self.assertEqual(self.pin().status_code, 303)
        self.pin(what="nothing", x="10")
        page = self.client.get(self.page).text
        self.assertIn("shunt here", page)
        self.assertIn("translate(150.0 50.0)", page)
        cards = self.client.get("/rigs/5/wireup").text
        fit = re.search(r'data-step="fit:shunt".*?</li>', cards, re.DOTALL)[0]
        self.assertIn(f"photos/{self.photo}/pins", fit)
        count = re.search(r'data-step="one_conductor".*?</li>', cards, re.DOTALL)[0]
        self.assertIn("nothing else on this post", count)
        self.assertIn('class="pinned"', self.client.get("/rigs/5/card").text)

    def test_a_lugs_pin_stands_at_its_own_cable(self):
        devices = re.findall(r'value="lug:(\w+)"', self.client.get(self.page).text)
        self.assertIn("fan", devices)
        self.pin(what="lug:fan")
        cards = self.client.get("/rigs/5/wireup").text
        shown = re.findall(r'data-step="(lug:[\w:]+)"(?:(?!data-step).)*?class="pinned"', cards, re.DOTALL)
        self.assertTrue(all(key.startswith("lug:fan_") for key in shown))
        self.assertIn("this lug: ", self.client.get(self.page).text)

    def test_it_is_taken_out_and_brought_back(self):
        self.pin(what="words", words="ask the owner about this")
        page = self.client.get(self.page).text
        number = re.search(rf"{self.photo}/pins/(\d+)", page).group(1)
        answer = self.client.change(f"{self.page}/{number}", {"back": ""})
        self.assertIn(f"gone={number}", answer.headers["location"])
        self.assertNotIn("ask the owner", self.client.get(self.page).text)
        self.client.change(f"{self.page}/{number}", {"back": "1"})
        self.assertIn("ask the owner", self.client.get(self.page).text)

    def test_what_is_missing_is_said_beside_its_field(self):
        for more, said in (
            ({"x": ""}, "Press the photo"),
            ({"x": "140"}, "Press the photo"),
            ({"what": "lug:nobody"}, "Choose what the pin says"),
            ({"what": "words"}, "Type what the pin says"),
        ):
            with self.subTest(more):
                answer = self.pin(**more)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(said, answer.text)
        self.assertEqual(self.client.get("/rigs/5/survey/photos/99/pins").status_code, 404)
