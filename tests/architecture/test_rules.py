"""Rules of the house that a reader would miss: one way to keep a change, one way to what a page is given."""

import re
import unittest
from pathlib import Path

HOUSE = Path(__file__).parent.parent.parent / "volnik"


def naming(pattern):
    """The files of the house, below it, in which a pattern stands."""
    return {
        str(path.relative_to(HOUSE))
        for path in HOUSE.rglob("*.py")
        if re.search(pattern, path.read_text(encoding="utf-8"))
    }


class Rules(unittest.TestCase):
    def test_a_change_is_kept_through_the_unit_of_work_alone(self):
        self.assertEqual(naming(r"\.writing\(\)"), {"services/context.py"})

    def test_nobody_but_main_names_the_renewer(self):
        self.assertEqual(naming(r"summary import renew"), {"main.py"})

    def test_nobody_but_the_reference_takes_a_stud_apart(self):
        taken_apart = r"\.(a|b|id)\.(split|partition|rpartition|startswith|endswith)\("
        self.assertEqual(naming(taken_apart), set())

    def test_scripts_have_one_way_to_the_server_and_one_to_the_page(self):
        scripts = {
            path.name: path.read_text(encoding="utf-8") for path in (HOUSE / "web/static/js").glob("*.js")
        }
        asks = {name for name, script in scripts.items() if re.search(r"(?<!\.)\bfetch\(", script)}
        self.assertEqual(asks, {"exchange.js"})
        writes = {name for name, script in scripts.items() if re.search(r"\.innerHTML = |outerHTML", script)}
        self.assertEqual(writes, {"swap.js", "watch.js"})  # watch.js fills a template, to take it apart

    def test_what_a_page_is_given_is_typed(self):
        self.assertEqual(naming(r"app\.state\b"), {"web/app.py", "web/state.py"})


if __name__ == "__main__":
    unittest.main()
