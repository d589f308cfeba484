"""Each caution once, at the card docs/domain/wireup.md names; the short list is short."""

import re
import unittest
from pathlib import Path

from tests.core.path.rigs import bank, device
from tests.core.wireup.test_order import jobs
from tests.core.wireup.test_steps import MESSY, steps
from volnik.core.wireup import cautions
from volnik.core.wireup.cards import CARDS, cards_for
from volnik.core.wireup.plan import steps_for

TABLE = (Path(__file__).parents[3] / "docs/domain/wireup.md").read_text(encoding="utf-8")
NAMES = {text: name for name, text in vars(cautions).items() if name.isupper() and isinstance(text, str)}


def cards_of_the_table():
    """The cards a caution may first stand on, by its name."""
    rows = re.findall(r"^\| ([A-Z_0-9]+) \| [^|]+ \| ([^|]+) \|$", TABLE, re.MULTILINE)
    titles = [kind.title for kind in CARDS]
    return {name: {title for title in titles if title in cards} for name, cards in rows}


def all_jobs():
    """The steps of many jobs."""
    yield steps(bank("agm"), silhouette="sailboat")
    yield steps(bank("lfp", series=4))
    yield steps(bank("lfp"), [*MESSY, device("wind", "wind")])
    for stands, planned, school in jobs(120):
        yield steps_for(stands, planned, school=school)


class Cautions(unittest.TestCase):
    def test_each_first_stands_on_the_card_of_the_table(self):
        wanted, seen = cards_of_the_table(), {}
        self.assertEqual(set(wanted), set(NAMES.values()))
        for given in all_jobs():
            for card in cards_for(given):
                for text in card.cautions:
                    name = NAMES[text]
                    seen.setdefault(name, set()).add(card.title)
        self.assertEqual(set(seen), set(wanted))  # these jobs bring every one of them
        for name, cards in seen.items():
            self.assertLessEqual(cards, wanted[name], name)

    def test_a_later_card_names_where_its_cautions_were_said(self):
        for given in all_jobs():
            cards = cards_for(given)
            by_number = {card.number: card for card in cards}
            for card in cards:
                said = {text for number in card.again for text in by_number[number].cautions}
                own = {text for step in card.steps for text in step.cautions}
                self.assertEqual(own - set(card.cautions), own & said)
                self.assertTrue(all(number < card.number for number in card.again))

    def test_no_job_has_more_than_sixteen_cards(self):
        self.assertLessEqual(max(len(cards_for(given)) for given in all_jobs()), 16)
