"""Hand over: the sheet issued and frozen, superseded, signed, mailed; refused where the count lies."""

import io
import json
import re
import unittest
from types import SimpleNamespace

from PIL import Image
from pypdf import PdfReader

from tests.web.shops import visitor
from volnik.services.handover.shop_facts import _joints_done
from volnik.web.routes.path import built_svg

LINE = json.dumps([[[0.1, 0.5], [0.4, 0.2], [0.9, 0.6]]])


class Handover(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        shop = visitor(demo=True)
        cls.client = shop.__enter__()
        cls.addClassCleanup(shop.__exit__, None, None, None)

    def issued(self, rig=2, size="a4"):
        answer = self.client.change(f"/rigs/{rig}/handover/issue", {"size": size})
        self.assertEqual(answer.status_code, 303, answer.text[:400])
        return int(re.search(r"issue-(\d+)", answer.headers["location"]).group(1))

    def test_the_sheet_is_one_tagged_page_in_both_sizes_with_what_the_page_says(self):
        for size, wide in (("a4", 595), ("us-letter", 612)):
            with self.subTest(size):
                body = self.client.get(f"/rigs/1/handover/issues/{self.issued(1, size)}.pdf").content
                pdf = PdfReader(io.BytesIO(body))
                self.assertEqual(len(pdf.pages), 1)
                self.assertEqual(round(float(pdf.pages[0].mediabox.width)), wide)
                text = " ".join(pdf.pages[0].extract_text().split())
                for words in (
                    "Bookbus: how full is the battery?",
                    "320 Ah",
                    "Nothing else on this post",
                    "Issue",
                ):
                    self.assertIn(words, text)
                root = pdf.trailer["/Root"]
                self.assertTrue(root["/MarkInfo"]["/Marked"])
                self.assertEqual(root["/Lang"], "en-GB")
                self.assertIn("/StructTreeRoot", root)
                self.assertEqual(pdf.metadata.title, "Bookbus: how full is the battery?")
                fonts = {
                    str(font.get_object()["/BaseFont"]).split("+")[-1]
                    for font in pdf.pages[0]["/Resources"]["/Font"].get_object().values()
                }
                self.assertTrue(all(name.startswith("AtkinsonHyperlegibleNext") for name in fonts), fonts)

    def test_an_issue_is_frozen_superseded_by_what_changes_and_says_what(self):
        number = self.issued()
        address = f"/rigs/2/handover/issues/{number}.pdf"
        before = self.client.get(address).content
        self.assertIn("says what holds today", self.client.get("/rigs/2/handover").text)
        self.client.change(
            "/rigs/2/name", {"name": "Marigold Anne", "silhouette": "narrowboat", "zone": "UTC"}
        )
        page = self.client.get("/rigs/2/handover").text
        self.assertIn("no longer holds", page)
        self.assertIn("<s>Marigold: Wie voll ist die Batterie?</s>", page)
        self.assertEqual(self.client.get(address).content, before)
        self.assertIn("changed since issue", self.client.get("/rigs/2/handover").text)

    def test_the_same_record_gives_the_same_words_and_strangers_in_names_are_no_markup(self):
        self.client.change(
            "/rigs/3/name",
            {"name": "#strong[Vet] <b> & $a$ רכב", "silhouette": "van", "zone": "UTC", "what": "x" * 60},
        )
        body = self.client.get(f"/rigs/3/handover/issues/{self.issued(3)}.pdf").content
        self.assertIn("#strong[Vet]", PdfReader(io.BytesIO(body)).pages[0].extract_text())
        self.assertEqual(len(PdfReader(io.BytesIO(body)).pages), 1)

    def test_letters_no_font_has_are_told_and_break_nothing(self):
        self.client.change(
            "/rigs/3/name", {"name": "Van 电池 🚐", "silhouette": "van", "zone": "UTC", "what": ""}
        )
        body = self.client.get(f"/rigs/3/handover/issues/{self.issued(3)}.pdf").content
        text = PdfReader(io.BytesIO(body)).pages[0].extract_text()
        self.assertIn("Van ?? ?: how full", text)
        self.assertIn("“?” stands for letters", text)

    def test_signatures_are_kept_drawn_or_on_paper_and_what_is_missing_is_named(self):
        number = self.issued(3)
        sign = f"/rigs/3/handover/issues/{number}/sign"
        for typed, words in (
            ({"owner": "Ann"}, "Say who signs."),
            ({"installer": "Tolly", "owner": "Ann"}, "Sign in the field"),
            ({"installer": "Tolly", "owner": "Ann", "strokes_installer": "[[[9, 9]]]"}, "Sign in the field"),
            ({"installer": "Tolly", "owner": "Ann", "strokes_installer": '{"a": 1}'}, "Sign in the field"),
        ):
            answer = self.client.change(sign, typed)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.text)
        drawn = {"installer": "Tolly", "owner": "Ann", "strokes_installer": LINE, "strokes_owner": LINE}
        self.assertEqual(self.client.change(sign, {**drawn, "place": "Saltreach"}).status_code, 303)
        page = self.client.get("/rigs/3/handover").text
        self.assertIn("Signed on the screen at Saltreach", page)
        self.assertIn('<polyline points="30.0,45.0 120.0,18.0 270.0,54.0"', page)  # 300 wide, 90 high
        paper = self.issued(3)
        sign = f"/rigs/3/handover/issues/{paper}/sign"
        self.client.change(sign, {"installer": "Tolly", "owner": "Ann", "on_paper": "1"})
        self.assertIn("Signed on paper", self.client.get("/rigs/3/handover").text)

    def test_a_count_that_lies_is_not_handed_over(self):
        page = self.client.get("/rigs/6/handover").text
        self.assertIn("It cannot be handed over: the percentage cannot be believed.", page)
        self.assertEqual(self.client.change("/rigs/6/handover/issue", {"size": "a4"}).status_code, 422)
        self.assertIn("Save its numbers first", self.client.get("/rigs/4/handover").text)
        self.assertEqual(self.client.change("/rigs/4/handover/issue", {"size": "a4"}).status_code, 422)
        self.assertEqual(self.client.change("/rigs/1/handover/issue", {"size": "a0"}).status_code, 422)

    def test_mail_wants_an_address_and_a_server(self):
        number = self.issued(3)
        mail = f"/rigs/3/handover/issues/{number}/mail"
        self.assertIn("Type one address", self.client.change(mail, {"to": "Ann"}).text)
        self.assertIn("No mail server is set", self.client.change(mail, {"to": "ann@example.org"}).text)
        self.assertEqual(self.client.get("/rigs/2/handover/issues/9999.pdf").status_code, 404)

    def test_bookbus_was_handed_over_a_year_ago_and_its_visit_superseded_that(self):
        page = self.client.get("/rigs/1/handover").text
        self.assertIn("Signed on paper at Saltreach", page)
        self.assertIn("Last seen by the shop:", page)

    def test_the_shops_file_holds_every_cable_joint_number_and_entry_and_the_drawing(self):
        answer = self.client.change("/rigs/1/handover/issue", {"size": "a4", "paper": "shop"})
        number = re.search(r"issue-(\d+)", answer.headers["location"]).group(1)
        pdf = PdfReader(io.BytesIO(self.client.get(f"/rigs/1/handover/issues/{number}.pdf").content))
        text = " ".join(" ".join(page.extract_text().split()) for page in pdf.pages)
        for words in (
            "Inverter\u2019s positive" if "\u2019s positive" in text else "Inverter's positive",
            "battery side of the shunt",
            "10 N·m",
            "13.9 V",
            "within the dead band",
            "A battery swapped",
            "Resistance of the battery",
        ):
            self.assertIn(words, text)
        page = self.client.get("/rigs/1/handover?paper=shop").text
        self.assertNotIn("Sign it", page[page.index(f'id="issue-{number}"') :].split("</article>")[0])
        # a rig whose count lies has its file all the same, and it says so first
        answer = self.client.change("/rigs/6/handover/issue", {"size": "a4", "paper": "shop"})
        self.assertEqual(answer.status_code, 303)
        self.assertIn("a charger bypasses the shunt", self.client.get("/rigs/6/handover?paper=shop").text)

    def test_what_was_turned_on_a_visit_stands_at_its_joint_the_latest_last(self):
        def visit(time_s, nm, mv):
            return SimpleNamespace(
                time_s=time_s, body={"acts": [{"joints": [{"where": "A1 Minus", "nm": nm, "mv": mv}]}]}
            )

        found = _joints_done([visit(0.0, 8.0, None), visit(86_400.0, 9.5, 12.0)], "UTC")
        self.assertEqual(found, {"a1 minus": "9.5 N·m, 12 mV, 2 Jan 1970"})

    def test_labels_name_main_and_monitors_fuse_and_no_link_between_batteries(self):
        page = self.client.get("/rigs/1/handover?paper=labels").text
        for words in ("Nothing more on this post", "cable from the plus post", "1 A in the thin lead"):
            self.assertIn(words, page)
        self.assertNotIn("link from A1", page)
        german = self.client.get("/rigs/2/handover?paper=labels").text
        self.assertEqual(german.count("Hauptsicherung"), 1)  # the greatest; a pump's own is none
        self.assertIn("7,5 A", german)
        picture = self.client.get("/rigs/1/handover/preview/1.png?paper=labels")
        self.assertEqual(picture.content[:4], b"\x89PNG")
        self.assertEqual(self.client.get("/rigs/1/handover/preview/2.png?paper=labels").status_code, 404)

    def test_the_owner_sends_readings_the_yard_tells_and_the_shop_answers(self):
        page = self.client.get("/rigs/1/owner").text
        self.assertIn("Nothing to do.", page)
        self.assertIn("If it goes on like this:", page)
        calls = "/rigs/1/owner/calls"
        bad = self.client.change(calls, {"percent": "170", "words": "heater on"})
        self.assertEqual(bad.status_code, 422)
        self.assertIn("It lies between 0 and 100.", bad.text)
        self.assertIn("heater on", bad.text)
        sent = {"volts": "12.0", "amps": "-0.2", "percent": "100", "words": "it is dead"}
        self.assertEqual(self.client.change(calls, sent).status_code, 303)
        self.assertIn("The owner sent readings", self.client.get("/").text)
        page = self.client.get("/rigs/1/owner").text
        self.assertIn("less is in it than it says", page)
        call = re.search(r'name="of" value="(\d+)"', page).group(1)
        self.client.change("/rigs/1/owner/answered", {"of": call})
        self.assertNotIn("The owner sent readings", self.client.get("/").text)
        self.assertIn("answered by the shop", self.client.get("/rigs/1/owner").text)
        self.assertIn("Do not go by the percentage", self.client.get("/rigs/6/owner").text)
        self.assertEqual(self.client.get("/rigs/4/owner").status_code, 200)

    def test_photos_stand_in_the_shops_file_with_their_captions(self):
        body = io.BytesIO()
        Image.new("RGB", (320, 240), "grey").save(body, "JPEG")
        for caption in ("the bay from above", "x" * 120):
            self.client.change(
                "/rigs/2/survey/photos",
                {"caption": caption},
                files={"photo": ("bay.jpg", body.getvalue(), "image/jpeg")},
            )
            body.seek(0)
            Image.new("RGB", (320, 240), "white").save(body, "JPEG")
        answer = self.client.change("/rigs/2/handover/issue", {"size": "a4", "paper": "shop"})
        number = re.search(r"issue-(\d+)", answer.headers["location"]).group(1)
        pdf = PdfReader(io.BytesIO(self.client.get(f"/rigs/2/handover/issues/{number}.pdf").content))
        self.assertIn("the bay from above", " ".join(page.extract_text() for page in pdf.pages))
        self.assertGreaterEqual(sum(len(page.images) for page in pdf.pages), 2)
        shown = self.client.get("/rigs/2/handover?paper=shop").text
        first = re.search(r'name="photo-(\d+)"', shown).group(0)[6:-1]
        self.client.change("/rigs/2/handover/photos", {first: "1"})
        shown = self.client.get("/rigs/2/handover?paper=shop").text
        self.assertIn("Photos in it: 1 of 2", shown)
        self.assertIn("no longer holds", shown)

    def test_the_owner_reads_their_language_and_the_shop_english(self):
        page = self.client.get("/rigs/2/owner").text
        self.assertIn("Bevor Sie anrufen: Was sagt die Anzeige?", page)
        bad = self.client.change("/rigs/2/owner/calls", {"percent": "170"})
        self.assertIn("Der Wert liegt zwischen 0 und 100.", bad.text)
        self.client.change("/rigs/2/owner/calls", {"volts": "20,8", "percent": "100"})
        page = self.client.get("/rigs/2/owner").text
        self.assertIn("20,8 V", page)
        self.assertIn("Leer: am Hauptschalter alles aus", page)
        self.assertIn('lang="en">Empty: all off', page)
        call = re.search(r'name="of" value="(\d+)"', page).group(1)
        self.client.change("/rigs/2/owner/answered", {"of": call})
        self.assertIn("Am Tag davor ganz volladen", self.client.get("/rigs/2/visit").text)

    def test_a_language_is_chosen_and_one_there_is_none_of_refused(self):
        self.assertEqual(self.client.change("/rigs/5/handover/language", {"language": "xx"}).status_code, 422)
        self.client.change("/rigs/3/handover/language", {"language": "fr"})
        body = self.client.get(f"/rigs/3/handover/issues/{self.issued(3)}.pdf").content
        pdf = PdfReader(io.BytesIO(body))
        self.assertEqual(pdf.trailer["/Root"]["/Lang"], "fr")
        self.assertIn("la batterie est-elle pleine", pdf.pages[0].extract_text())
        self.client.change("/rigs/3/handover/language", {"language": "en"})

    def test_the_file_to_take_along_needs_nothing_but_itself(self):
        answer = self.client.get("/rigs/1/handover/take-along.html")
        self.assertIn("attachment", answer.headers["content-disposition"])
        page = answer.text
        self.assertLess(len(answer.content), 5_000_000)
        self.assertNotRegex(page, r"<script|<link|src=.?/|href=.(?!mailto:)")
        # by hand: 320 Ah × (50 − 15) % × 12.8 V ÷ 600 W = 2.4 h
        self.assertRegex(page, r'<th scope="row">50 %</th>\s*<td>2 hours</td>')
        for words in ("Nothing else on this post", "How it is wired", "<svg", "Inverter, 600 W"):
            self.assertIn(words, page)
        self.assertEqual(self.client.get("/rigs/6/handover/take-along.html").status_code, 422)

    def test_what_stops_the_rig_is_open_here_and_the_drawing_is_of_what_stands(self):
        with visitor(demo=True) as client:
            self.assertIn(
                "Nothing to stop for</b>: The chassis is bonded", client.get("/rigs/5/handover").text
            )
            moved = json.dumps([{"op": "move_end", "cable": "fridge_minus", "end": "b", "to": "A1.minus"}])
            client.change("/rigs/1/path/change", {"drawing": "planned", "ops": moved})
            planned = client.get("/rigs/1/path/board.svg?drawing=planned").text
            self.assertIn("8 devices, 7 of them counted", planned)
            self.assertIn("8 devices, 8 of them counted", built_svg(client.running.context, 1))
