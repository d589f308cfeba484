"""What a rig is and where, said and said anew."""

import unittest

from tests.web.shops import visitor
from volnik.services.yard.rigs import rig_head

TERN = {
    "name": "Tern",
    "silhouette": "van",
    "what": "",
    "zone": "UTC",
    "latitude": "52,5",
    "climate": "mild coast",
}


class Naming(unittest.TestCase):
    def test_a_rig_is_renamed_and_a_bad_latitude_told_beside_its_field(self):
        with visitor() as client:
            client.change("/rigs", TERN)
            page = client.get("/?edit=1").text
            self.assertIn('value="52.5"', page)
            for wrong, message in (("120", "from -90 to 90 degrees, got 120"), ("north", "is not a number")):
                answer = client.change("/rigs/1/name", {**TERN, "name": "Sandwich Tern", "latitude": wrong})
                self.assertEqual(answer.status_code, 422)
                self.assertRegex(answer.text, f'id="problem-latitude"[^\n]*{message}')
                self.assertIn('value="Sandwich Tern"', answer.text)
            self.assertEqual(
                client.change("/rigs/1/name", {**TERN, "name": "Sandwich Tern"}).status_code, 303
            )
            self.assertIn("Sandwich Tern", client.get("/").text)
            self.assertEqual(client.get("/?edit=9").status_code, 404)


class ArchivePages(unittest.TestCase):
    def test_a_rig_goes_out_and_comes_into_another_yard(self):
        with visitor(demo=True) as shop, visitor() as laptop:
            went = shop.change("/rigs/1/archive/file", page="/rigs/1/survey")
            body = shop.get(went.headers["location"]).content
            self.assertEqual(shop.get(went.headers["location"]).status_code, 404)  # given out once
            sent = laptop.change("/rigs/archive", files={"archive": ("rig.zip", body, "application/zip")})
            self.assertEqual(sent.status_code, 303)
            page = laptop.get(sent.headers["location"])
            self.assertIn("is not in the Yard yet", page.text)
            self.assertIn("proofs", page.text)
            taken = laptop.change(sent.headers["location"])
            self.assertEqual(taken.headers["location"], "/rigs/1")
            name = rig_head(shop.running.context, 1).rig.name
            self.assertIn(name, laptop.get("/").text)
            for part in ("survey", "path", "numbers", "wireup", "prove", "watch"):
                self.assertEqual(laptop.get(f"/rigs/1/{part}").status_code, 200)

    def test_where_both_were_changed_the_page_asks(self):
        with visitor(demo=True) as shop:
            body = shop.get(shop.change("/rigs/1/archive/file").headers["location"]).content
            before = rig_head(shop.running.context, 1).rig.name
            named = {"name": "Heron", "silhouette": "van", "what": "", "zone": "UTC"}
            shop.change("/rigs/1/name", named)
            sent = shop.change("/rigs/archive", files={"archive": ("rig.zip", body, "application/zip")})
            page = shop.get(sent.headers["location"]).text
            self.assertIn("is in the Yard already", page)
            self.assertIn("Heron", page)
            shop.change(sent.headers["location"], {"keep-name": "theirs"})
            self.assertEqual(rig_head(shop.running.context, 1).rig.name, before)

    def test_what_is_none_is_told_beside_the_field(self):
        with visitor() as client:
            for name, body in (("nothing", b""), ("a picture", b"\x89PNG" * 40)):
                with self.subTest(name):
                    told = client.change(
                        "/rigs/archive", files={"archive": ("a.zip", body, "application/zip")}
                    )
                    self.assertEqual(told.status_code, 422)
                    self.assertIn('id="problem-archive"', told.text)
            self.assertEqual(client.get("/rigs/archive/nothing-here").status_code, 422)
