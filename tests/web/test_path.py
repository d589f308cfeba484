"""Survey and Path over HTTP: lines, photos, changes, refusals, files given out and taken in."""

import io
import json
import re
import unittest
from xml.etree import ElementTree

from PIL import Image

from tests.web.shops import visitor

BANK = {
    "chemistry": "agm",
    "block_cells": "6",
    "series": "1",
    "parallel": "2",
    "kind": "nameplate",
    "ah": "110",
    "takeoff": "diagonal",
}
LINES = "Heater, 2 A, battery post, fuse 15 A, 6 mm², 1 m\nPump, 6 A, busbar, fuse 10 A, 6 mm², 1 m"


def new_rig(client, lines=LINES):
    """A rig with a bank and devices."""
    client.change("/rigs", {"name": "Knot", "silhouette": "van", "what": "", "zone": "UTC"})
    client.change("/rigs/1/survey", BANK)
    return client.change("/rigs/1/survey/devices/lines", {"lines": lines})


def photo(size=(2400, 1200), **more):
    """A JPEG with its location written into it."""
    out = io.BytesIO()
    image = Image.new("RGB", size, (200, 120, 40))
    exif = Image.Exif()
    exif[0x0112] = 6  # lying on its side
    exif.get_ifd(0x8825)[1] = "N"
    exif.get_ifd(0x8825)[2] = (52.0, 1.0, 2.0)
    image.save(out, "JPEG", exif=exif, **more)
    return out.getvalue()


class Surveys(unittest.TestCase):
    def test_lines_at_fault_stay_in_the_field_and_the_others_are_kept(self):
        with visitor() as client:
            answer = new_rig(client, LINES + "\nMast, 3 A, moon\nRadio, 25")
            self.assertEqual(answer.status_code, 422)
            self.assertIn("Mast, 3 A, moon\nRadio, 25</textarea>", answer.text)
            self.assertIn("Line 1: Nothing here is called “moon”", answer.text)
            self.assertIn("Line 2: “25” needs a unit", answer.text)
            page = client.get("/rigs/1/survey/devices").text
            self.assertIn("<b>2</b> devices", page)
            self.assertIn("minus post of B1", page)

    def test_a_device_is_corrected_and_taken_off(self):
        with visitor() as client:
            new_rig(client)
            good = {
                "name": "Cabin heater",
                "kind": "heater",
                "current_a": "2,5",
                "duty": "40",
                "hours": "6-9 17-23",
                "together": "0",
                "safety": "",
            }
            self.assertEqual(client.change("/rigs/1/survey/devices/heater", good).status_code, 303)
            page = client.get("/rigs/1/survey/devices?show=device:heater&pick=heater").text
            self.assertIn('value="2.5"', page)
            self.assertIn('value="6-9 17-23"', page)
            for wrong, message in (
                ({"current_a": "lots"}, "is not a number"),
                ({"duty": "140"}, "at most 1"),
                ({"power_w": "9"}, "same thing"),
                ({"hours": "noon"}, "cannot be read"),
            ):
                with self.subTest(wrong):
                    answer = client.change("/rigs/1/survey/devices/heater", {**good, **wrong})
                    self.assertEqual(answer.status_code, 422)
                    self.assertIn(message, answer.text)
                    self.assertIn("Cabin heater", answer.text)
            client.change("/rigs/1/survey/devices/heater", {**good, "what": "remove"})
            self.assertIn("<b>1</b> device", client.get("/rigs/1/survey/devices").text)

    def test_photos_are_made_small_and_lose_their_location(self):
        with visitor() as client:
            new_rig(client)
            client.change(
                "/rigs/1/survey/photos", {"caption": "the posts"}, files={"photo": ("a.jpg", photo())}
            )
            page = client.get("/rigs/1/survey/gauge").text
            self.assertIn("the posts", page)
            body = client.get("/rigs/1/survey/photos/1.jpg").content
            kept = Image.open(io.BytesIO(body))
            self.assertEqual(kept.size, (800, 1600))  # turned upright, then fitted into 1600
            self.assertEqual(dict(kept.getexif()), {})
            self.assertNotIn(b"GPS", body)
            self.assertLess(len(client.get("/rigs/1/survey/photos/1.jpg?small=1").content), 20_000)
            rows = [
                (b"hello", "no photo Volnik can read"),
                (photo()[:900], "damaged"),
                (b"", "no photo"),
                (b"<svg/>", "no photo"),
            ]
            for given, message in rows:
                with self.subTest(message):
                    answer = client.change(
                        "/rigs/1/survey/photos", {"caption": "kept words"}, files={"photo": ("b.jpg", given)}
                    )
                    self.assertEqual(answer.status_code, 422)
                    self.assertIn(message, answer.text)
                    self.assertIn("kept words", answer.text)
            large = client.change(
                "/rigs/1/survey/photos", files={"photo": ("c.jpg", b"\xff\xd8" + bytes(50 << 20))}
            )
            self.assertEqual(large.status_code, 413)
            self.assertIn("at most 42 MiB", large.text)
            client.change("/rigs/1/survey/photos/1")
            self.assertNotIn("the posts", client.get("/rigs/1/survey/gauge").text)
            client.change("/rigs/1/survey/photos/1", {"what": "back"})
            self.assertIn("the posts", client.get("/rigs/1/survey/gauge").text)
            self.assertEqual(client.get("/rigs/1/survey/photos/9.jpg").status_code, 404)

    def test_the_gauge_is_typed_and_a_bad_figure_told_beside_its_field(self):
        with visitor() as client:
            new_rig(client)
            self.assertIn("a common panel", client.get("/rigs/1/survey/gauge").text)
            client.change(
                "/rigs/1/survey/gauge",
                {
                    "lamp0": "11,9",
                    "lamp1": "12.4",
                    "shunt_a": "500",
                    "shunt_mv": "75",
                    "dialect": "plain words",
                },
            )
            self.assertIn("from 11.90 V", client.get("/rigs/1/survey/gauge").text)
            self.assertIn('"dialect": "plain words"', client.get("/rigs/1/document.json").text)
            for name, value, message in (
                ("lamp0", "dim", "is not a number"),
                ("shunt_a", "-5", "more than 0"),
            ):
                answer = client.change("/rigs/1/survey/gauge", {"lamp1": "12.4", name: value})
                self.assertEqual(answer.status_code, 422)
                self.assertRegex(answer.text, f'id="problem-{name}"[^\n]*{message}')


class Paths(unittest.TestCase):
    def change(self, client, ops, **more):
        """Post changes of the plan."""
        return client.change("/rigs/1/path/change", {"drawing": "planned", "ops": json.dumps(ops), **more})

    def test_a_change_answers_with_the_board_solved_anew(self):
        with visitor() as client:
            new_rig(client)
            self.assertIn("0</b> of 2", client.get("/rigs/1/path").text)
            client.change("/rigs/1/path/mend", {"finding": "all"})
            self.assertIn("2</b> of 2", client.get("/rigs/1/path").text)
            answer = self.change(
                client,
                [{"op": "move_end", "cable": "heater_minus", "end": "b", "to": "A1.minus"}],
                show="cable:heater_minus",
            )
            self.assertEqual(answer.status_code, 200)
            self.assertIn("1</b> of 2", answer.text)
            self.assertIn("0 % counted", answer.text)
            self.assertRegex(answer.text, r"wire minus uncounted")
            undone = client.change("/rigs/1/path/step", {"drawing": "planned", "way": "undo"})
            self.assertIn("2</b> of 2", undone.text)
            self.assertIn("As found at Survey", client.get("/rigs/1/path?drawing=found").text)
            for show in (
                "cable:shunt_link",
                "stud:shunt.rig",
                "stud:minus_busbar",
                "device:heater",
                "block:A1",
                "add",
                "mount",
                "monitor",
                "cable:gone",
                "x",
            ):
                with self.subTest(show):
                    self.assertEqual(
                        client.get(
                            f"/rigs/1/path/board?show={show}&pick=heater&case=one&positives=0"
                        ).status_code,
                        200,
                    )

    def test_what_cannot_be_meant_is_told_beside_its_field(self):
        with visitor() as client:
            new_rig(client)
            client.change("/rigs/1/path/mend", {"finding": "all"})
            rows = [
                (
                    [{"op": "set_cable", "cable": "heater_minus", "length_m": -3}],
                    "length_m",
                    "more than 0, got -3",
                ),
                ([{"op": "set_cable", "cable": "heater_minus", "size": "0 mm²"}], "size", "0.05 to 500"),
                (
                    [{"op": "move_end", "cable": "heater_minus", "end": "b", "to": "Z.minus"}],
                    "to",
                    "There is no stud",
                ),
            ]
            for ops, at, message in rows:
                answer = self.change(client, ops)
                self.assertEqual(answer.status_code, 422)
                self.assertTrue(
                    any(
                        key.endswith(at) and message in text
                        for key, text in answer.json()["problems"].items()
                    ),
                    answer.text,
                )
            for given in ("{", "[1]", '"x"', "null"):
                self.assertEqual(client.change("/rigs/1/path/change", {"ops": given}).status_code, 422)
            self.assertEqual(client.change("/rigs/1/path/use", {"what": "moon"}).status_code, 422)
            self.assertEqual(
                client.change("/rigs/1/path/mend", {"finding": "path.P01", "at": "x"}).status_code, 422
            )
            self.assertIn("2</b> of 2", client.get("/rigs/1/path").text)

    def test_a_proposal_is_put_in_or_overruled_with_a_reason_that_stays(self):
        with visitor() as client:
            new_rig(client, LINES + "\nInverter, 2500 W, battery post, fuse 300 A, 70 mm², 1 m")
            client.change("/rigs/1/path/mend", {"finding": "all"})
            self.change(client, [{"op": "set_shunt", "shunt": {"product": "Old one", "amps": 150, "mv": 50}}])
            self.assertRegex(
                client.get("/rigs/1/path").text,
                "The worst discharge is \\d+ A; the shunt carries 100 A \\(two thirds of its name",
            )
            op = {
                "op": "overrule",
                "what": "shunt",
                "chosen": "Old one",
                "reason": "the inverter never runs above 800 W",
            }
            self.assertIn("Overruled: the inverter never runs above 800 W", self.change(client, [op]).text)
            self.assertIn("Overruled:", client.get("/rigs/1/path").text)
            self.assertNotIn("Overruled:", self.change(client, [{"op": "overrule", "what": "shunt"}]).text)
            used = client.change("/rigs/1/path/use", {"what": "shunt"})
            self.assertIn("Causeway 500", used.text)
            self.assertNotIn("path.P15", client.change("/rigs/1/path/use", {"what": "link"}).text)

    def test_a_rig_without_a_shunt_that_lands_on_the_hull_is_drawn_and_judged(self):
        with visitor() as client:
            new_rig(client, "Lights, 3 A, busbar\nHeater, 2 A, hull\nHull bond, battery post, 16 mm2")
            self.assertEqual(client.get("/rigs/1/survey/devices").status_code, 200)
            self.assertEqual(client.get("/rigs/1/path").status_code, 200)

    def test_a_starter_batterys_landing_moves_its_own_cable_alone(self):
        with visitor() as client:
            new_rig(client, "Starter battery, ?\nHorn, 8 A, starter")
            page = client.get("/rigs/1/survey/devices").text
            row = re.search(r'<select aria-label="Starter battery: its negative lands on"[^>]*>', page).group(
                0
            )
            self.assertIn('data-bare="starter_battery"', row)
            self.assertNotIn("horn", row)

    def test_files_given_out(self):
        with visitor() as client:
            new_rig(client)
            client.change("/rigs/1/path/mend", {"finding": "all"})
            odd = "Tom & Ann's </title><script>alert(1)</script>"
            named = client.change("/rigs/1/name", {"name": odd, "silhouette": "van", "zone": "UTC"})
            self.assertEqual(named.status_code, 303)
            drawing = ElementTree.fromstring(client.get("/rigs/1/path/board.svg?drawing=planned").content)
            self.assertEqual([part for part in drawing.iter() if part.tag.endswith("script")], [])
            self.assertIn(odd, next(part.text for part in drawing.iter() if part.tag.endswith("title")))
            svg = client.get("/rigs/1/path/board.svg?drawing=planned")
            self.assertIn("attachment", svg.headers["content-disposition"])
            self.assertRegex(svg.text, r"^\s*<svg[^>]+xmlns=")
            self.assertNotIn("data-show=", svg.text)
            rows = client.get("/rigs/1/path/parts.csv").text.split("\r\n")
            self.assertEqual(rows[0], "kind,what,amount,unit,for")
            self.assertTrue(any(row.startswith("part,Shunt Causeway 150") for row in rows))
            self.assertIn(
                "Heater&#39;s negative: from the minus post of B1", client.get("/rigs/1/path/parts").text
            )

    def test_a_rig_goes_out_and_comes_in(self):
        with visitor() as client:
            new_rig(client)
            text = client.get("/rigs/1/document.json").text
            taken = client.change("/rigs/document", files={"document": ("rig.json", text)})
            self.assertEqual(taken.headers["location"], "/rigs/2/survey")
            self.assertEqual(client.get("/rigs/2/document.json").text, text)
            for given, message in (
                (b"nonsense", "not JSON"),
                (b'{"volnik_rig": 7}', "newer Volnik"),
                (text.replace('"6 mm²"', '"6 miles"').encode(), "wiring.found.cables"),
            ):
                answer = client.change("/rigs/document", files={"document": ("rig.json", given)})
                self.assertEqual(answer.status_code, 422)
                self.assertIn(message, answer.text)
            self.assertEqual(client.get("/rigs/3/survey").status_code, 404)

    def test_the_shelf_is_changed_over_its_pages(self):
        with visitor() as client:
            for kind in ("blocks", "shunts", "cables", "lugs", "presets"):
                self.assertEqual(client.get(f"/shelf/parts/{kind}").status_code, 200, kind)
            self.assertEqual(client.get("/shelf/parts/moons").status_code, 404)
            good = {"key": "own", "name": "Own", "amps": "120", "mv": "60", "stud": "5/16 in"}
            self.assertEqual(client.change("/shelf/parts/shunts", good).status_code, 303)
            self.assertIn("Own", client.get("/shelf/parts/shunts?key=own").text)
            wrong = client.change("/shelf/parts/shunts", {**good, "amps": "-3", "name": ""})
            self.assertEqual(wrong.status_code, 422)
            self.assertRegex(wrong.text, r'id="problem-amps"[^\n]*more than 0')
            self.assertIn("problem-name", wrong.text)
            self.assertIn('value="5/16 in"', wrong.text)
            sized = client.change("/shelf/parts/cables", {"key": "c", "name": "C", "size": "thick"})
            self.assertIn("35 mm² or 2/0 AWG", sized.text)
            kept = client.get("/shelf/parts.json").content
            self.assertIn(b"Own", kept)
            client.change("/shelf/parts/shunts", {"key": "own", "what": "remove"})
            self.assertEqual(client.change("/shelf/parts", files={"file": ("s.json", kept)}).status_code, 303)
            self.assertIn("Own", client.get("/shelf/parts/shunts").text)
            self.assertEqual(
                client.change("/shelf/parts", files={"file": ("s.json", b"{}")}).status_code, 422
            )
            picked = client.change("/rigs", {"name": "Knot", "silhouette": "van", "what": "", "zone": "UTC"})
            self.assertEqual(picked.status_code, 303)
            typed = {**BANK, "product": "Lowtide 200", "product_was": "", "chemistry_was": "agm"}
            drafted = client.change("/rigs/1/survey/draft", typed).text
            self.assertTrue(re.search(r'id="ah" name="ah" value="200"', drafted))
