"""The pages of faults: each cause of the check-up has one, and what is written in docs is what is shown."""

import unittest
from pathlib import Path

from volnik.core.practice.faults import KINDS, as_markdown, contents_as_markdown, faults, pages_of
from volnik.core.watch.checkup.registry import names

DOCS = Path(__file__).parents[3] / "docs" / "faults"


class Pages(unittest.TestCase):
    def test_each_cause_of_the_check_up_has_a_page_and_none_names_another(self):
        named = {cause for fault in faults().values() for cause in fault.checkup}
        self.assertEqual(named - names().keys(), set())
        self.assertEqual(names().keys() - named - {"changed_device"}, set())
        self.assertEqual(pages_of("load_bypass")[0], "load_bypass")
        self.assertEqual(pages_of("nonsense"), [])

    def test_pages_in_docs_are_those_of_the_table(self):
        written = {path.name: path.read_text(encoding="utf-8") for path in DOCS.glob("*.md")}
        wanted = {f"{key}.md": as_markdown(key) for key in faults()} | {"README.md": contents_as_markdown()}
        self.assertEqual(written, wanted, "run make fault-pages")

    def test_each_tells_how_it_parts_from_another_and_kinds_come_in_their_order(self):
        kinds = [fault.kind for fault in faults().values()]
        self.assertEqual(set(kinds), set(KINDS))
        for key, fault in faults().items():
            with self.subTest(key):
                self.assertNotIn(key, fault.confused)
                self.assertTrue(fault.confused)
