"""Languages: every phrase is in each, with its figures, and fits its place; cautions keep the English."""

import io
import re
import sys
import unittest
from dataclasses import replace
from pathlib import Path

from babel.messages.pofile import read_po
from PIL import ImageFont
from pypdf import PdfReader

from tests.core.papers.test_owner import FACTS
from volnik.core.papers.labels import LabelFacts, bay_labels
from volnik.core.papers.owner import LoadFact, owner_sheet
from volnik.core.papers.tongue import FOLDER, tongue
from volnik.outlets.papers.typeset import FONTS, typeset

sys.path.insert(0, str(Path(__file__).parents[3] / "scripts" / "languages"))
from gather import phrases  # noqa: E402

TRANSLATED = ("de", "fr", "es", "nl")
UNCHANGED = {"AGM", "LFP", "NMC", "gel", "Photos", "Volts", "volts"}
"""What may read as in English."""

FIELD = re.compile(r"{(\w+)}")
LABEL_MM, LABEL_PT, TALL_PT = 82.0, 15.0, 9.5  # inside of a label, and its two sizes of letters
MM_PT = 72.0 / 25.4
LABELS = LabelFacts("Bookbus", "5 A", ((300.0, "cable to the busbar"),), "28. 11. 2026", "", "")


def catalogue(language):
    with (FOLDER / f"{language}.po").open("rb") as file:
        return {message.id: message.string for message in read_po(file, locale=language) if message.id}


class Phrases(unittest.TestCase):
    def test_none_is_missing_left_in_english_or_without_its_figures(self):
        asked = dict.fromkeys(phrase for phrase, _ in phrases())
        self.assertGreater(len(asked), 150)
        for language in TRANSLATED:
            said = catalogue(language)
            for phrase in asked:
                with self.subTest(language, phrase=phrase):
                    self.assertTrue(said.get(phrase), "not translated")
                    self.assertEqual(set(FIELD.findall(phrase)), set(FIELD.findall(said[phrase])))
                    self.assertTrue(said[phrase] != phrase or phrase in UNCHANGED, "as in English")

    def test_no_phrase_hides_in_a_string_where_it_is_not_gathered(self):
        hidden = re.compile(r"""f"[^"]*\{say(?:\.caution)?\(""")
        for path in (FOLDER.parent).glob("*.py"):
            self.assertIsNone(hidden.search(path.read_text(encoding="utf-8")), path.name)

    def test_figures_and_days_by_hand(self):
        german, states = tongue("de"), tongue("en_US")
        self.assertEqual(german.figure(13.85), "13,85")
        self.assertEqual(german.number(1250.0), "1250")
        self.assertEqual(german.hours(5.2), "5 Stunden")
        self.assertEqual(german.day(1_795_867_200.0, "UTC", "long"), "28. November 2026")
        self.assertEqual(states.day(1_795_867_200.0, "UTC", "long"), "November 28, 2026")
        self.assertEqual((states.degrees(0.0), states.metres(10.0)), ("32 °F", "33 ft"))
        self.assertEqual(tongue("xx").figure(1.5), "1.5")


class Cautions(unittest.TestCase):
    def test_the_english_stands_beside_until_a_native_reader_has_confirmed(self):
        english = "A flat battery freezes: keep it full in winter."
        for language in TRANSLATED:
            say = tongue(language)
            self.assertTrue(say.caution(english).endswith(f"[{english}]"))
            self.assertNotIn("[", replace(say, confirmed=True).caution(english))
        self.assertEqual(tongue("en").caution(english), english)

    def test_words_in_english_alone_are_marked_as_such(self):
        self.assertEqual(tongue("de").quoted("No main fuse."), "„No main fuse.“ (auf Englisch)")
        self.assertEqual(tongue("nl").known("Joints torqued"), "Verbindingen aangehaald")
        self.assertEqual(tongue("de").known("Aft tank"), "„Aft tank“ (auf Englisch)")


class Fit(unittest.TestCase):
    def test_a_full_sheet_is_one_page_in_every_language_and_size(self):
        names = ("Inverter", "Compressor fridge", "Diesel heater", "Water pump", "Radio", "Lights")
        facts = replace(
            FACTS,
            chemistry="flooded",
            believed="doubt",
            reason="No full charge was witnessed since it was wired.",
            loads=tuple(LoadFact(name, 40.0 * at, at < 3) for at, name in enumerate(names, 1)),
            open_proofs=("Devices tested", "First full witnessed"),
        )
        for language in ("en", *TRANSLATED):
            for size in ("a4", "us-letter"):
                with self.subTest(language, size=size):
                    paper = owner_sheet(facts, tongue(language))
                    body = typeset(paper, size, "Issue 12.", 0.0, "Saltreach")
                    self.assertEqual(len(PdfReader(io.BytesIO(body)).pages), 1)

    def test_a_label_holds_its_words(self):
        font = next(FONTS.glob("*.ttf"), None)
        self.assertIsNotNone(font)
        for language in ("en", *TRANSLATED):
            for part in bay_labels(LABELS, tongue(language)).parts:
                with self.subTest(language, label=part.title):
                    title = ImageFont.truetype(font, 100).getlength(part.title) * LABEL_PT / 100.0
                    told = ImageFont.truetype(font, 100).getlength(" ".join(part.lines)) * TALL_PT / 100.0
                    self.assertLess(title, LABEL_MM * MM_PT)
                    self.assertLess(told, 3 * LABEL_MM * MM_PT)
