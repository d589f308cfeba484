"""The trade's words on every page: none that docs/words.md rules out, and sentences short enough."""

import html
import re
import statistics
import unittest
from pathlib import Path

import textstat

from tests.web.shops import visitor

PARTS = (
    "survey",
    "survey/devices",
    "survey/gauge",
    "path",
    "path/parts",
    "numbers",
    "numbers/ladder",
    "numbers/alarms",
    "numbers/sheet",
    "numbers/versions",
    "wireup",
    "wireup/list",
    "wireup/list?long=1",
    "prove",
    "prove/record",
    "watch",
    "watch/checkup",
    "watch/ahead",
    "watch/loads",
    "watch/opinions",
    "watch/devices",
    "watch/helm/layout",
    "watch/alarms",
    "watch/sums",
    "watch/ask",
    "promise",
    "card",
)
PAGES = ("/", "/quick", "/shelf", "/doors", *(f"/rigs/{rig}/{part}" for rig in range(1, 7) for part in PARTS))
TABLE = (Path(__file__).parents[2] / "docs/words.md").read_text(encoding="utf-8")
NOT_SAID = (
    r"speaks?",
    r"stands?",
    r"told",
    r"mend(?:s|ed|ing)?",
    r"bank",
    r"banks",
    r"(?<!fuse )(?<!Fuse )blocks?",
    r"landings?",
    r"take-off",
    r"spare input",
    r"side by side",
    r"runtime",
    r"time left",
    r"(?:un)?proven",
)
MOST_MEDIAN, MOST_NINTH, LEAST_WORDS = 7.0, 10.0, 5


def text_of(page):
    """What a page's main part says, a part a sentence."""
    main = re.search(r"<main.*?</main>", page, re.DOTALL)[0]
    main = re.sub(r"<(script|style|select|datalist|textarea|code)\b.*?</\1>", " . ", main, flags=re.DOTALL)
    main = re.sub(r"</(p|li|h\d|small|td|th|div|label|summary|legend|dt|dd|text|title)>|<br>", ". ", main)
    text = re.sub(r"\s+", " ", html.unescape(re.sub(r"<[^>]+>", " ", main)))
    return re.sub(r"“[A-Z]+”", "", text)  # what is printed on a part is not ours to say


def sentences_of(page):
    """The sentences of five words and more, drawings, tables and buttons left out."""
    page = re.sub(r"<(svg|table|button|template)\b.*?</\1>", " . ", page, flags=re.DOTALL)
    parts = (re.sub(r"[^A-Za-z '’-]", " ", part) for part in re.split(r"(?<=[.!?:;]) ", text_of(page)))
    return [" ".join(part.split()) + "." for part in parts if len(part.split()) >= LEAST_WORDS]


class Words(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        with visitor(demo=True) as client:
            answers = {address: client.get(address) for address in PAGES}
        cls.pages = {address: answer.text for address, answer in answers.items() if answer.status_code == 200}

    def test_no_page_says_what_the_table_rules_out(self):
        self.assertGreater(len(self.pages), 100)
        pattern = re.compile(rf"\b(?:{'|'.join(NOT_SAID)})\b", re.I)
        for address, page in self.pages.items():
            text = text_of(page)
            found = {text[max(0, hit.start() - 40) : hit.end() + 30] for hit in pattern.finditer(text)}
            with self.subTest(address):
                self.assertEqual(found, set())

    def test_every_word_ruled_out_is_in_the_table(self):
        rows = re.findall(r"^\| ([^|]+) \| ([^|]+) \| ([^|]+) \|$", TABLE, re.MULTILINE)
        ruled_out = " ".join(row[1] for row in rows)
        for word in ("bank", "block", "landing", "take-off", "stands", "told", "mend", "speaks", "runtime"):
            self.assertIn(word, ruled_out)

    def test_sentences_are_short_and_plain(self):
        grades = sorted(
            textstat.coleman_liau_index(" ".join(sentences))
            for sentences in map(sentences_of, self.pages.values())
            if sentences
        )
        self.assertLessEqual(statistics.median(grades), MOST_MEDIAN)
        self.assertLessEqual(grades[int(0.9 * len(grades))], MOST_NINTH)
