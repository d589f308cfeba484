"""What the code offers is documented: findings, settings, commands, make targets, and no stage twice."""

import re
import unittest
from pathlib import Path

from jinja2 import Environment, nodes

import volnik.cli
from volnik.core.limits import TABLE
from volnik.core.settings import LIMITS
from volnik.core.stages import STAGES
from volnik.settings import Settings

TOP = Path(__file__).parent.parent.parent
FAMILIES = "bank|numbers|count|path|alarms|prove|watch"


def text(*parts):
    """A file of the project."""
    return TOP.joinpath(*parts).read_text(encoding="utf-8")


class Documents(unittest.TestCase):
    def test_every_finding_is_documented_and_every_documented_one_exists(self):
        said = set()
        for path in (TOP / "volnik").rglob("*.py"):
            said |= set(re.findall(rf'"((?:{FAMILIES})\.[A-Z]\d\d)"', path.read_text(encoding="utf-8")))
        self.assertGreater(len(said), 20)
        self.assertEqual(said, set(re.findall(r"^\| (\w+\.[A-Z]\d\d) ", text("docs", "findings.md"), re.M)))

    def test_every_setting_command_and_target_is_documented(self):
        for name in Settings.model_fields:
            self.assertIn(f"VOLNIK_{name.upper()}", text("docs", "settings.md"))
        commands = text("docs", "commands.md")
        for command in volnik.cli.app.registered_commands:
            self.assertIn(f"volnik {command.name}", commands)
        for key in LIMITS:
            self.assertIn(key, commands)
        targets = re.findall(r"^([a-z-]+):", text("Makefile"), re.M)
        for target in targets:
            self.assertIn(f"`{target}`", text("CONTRIBUTING.md"))

    def test_every_limit_stands_on_its_page(self):
        page = text("docs", "limits.md")
        for limit in TABLE:
            self.assertIn(
                f"| {limit.of} | {limit.value:,.0f} {limit.unit}".rstrip() + f" | {limit.reason} |", page
            )

    def test_a_built_stage_has_its_word_in_every_folder(self):
        for stage in STAGES:
            places = [
                TOP / "volnik" / "services" / stage.word,
                TOP / "volnik" / "web" / "routes" / f"{stage.word}.py",
                TOP / "volnik" / "web" / "templates" / stage.word,
            ]
            self.assertEqual([place.exists() for place in places], [stage.built] * 3, stage.word)

    def test_pictures_named_in_the_readme_exist(self):
        for name in re.findall(r"docs/screenshots/[\w-]+\.png", text("README.md")):
            self.assertTrue((TOP / name).exists(), name)
        self.assertLess(len(list((TOP / "docs" / "screenshots").glob("*.png"))), 20)

    def test_pages_stay_short_and_without_inline_style_or_script(self):
        for path in (TOP / "volnik" / "web" / "templates").rglob("*.html"):
            page = path.read_text(encoding="utf-8")
            self.assertLess(page.count("\n"), 120, path.name)
            self.assertLess(max(map(len, page.splitlines())), 140, path.name)
            self.assertNotRegex(page, r'\sstyle="|<script>|\son\w+="', path.name)

    def test_styles_and_scripts_are_short_of_line_and_every_style_is_of_use(self):
        folder = TOP / "volnik" / "web" / "static"
        sheets, scripts = sorted((folder / "css").glob("*.css")), sorted((folder / "js").rglob("*.js"))
        for path in (*sheets, *scripts):
            longest = max(map(len, path.read_text(encoding="utf-8").splitlines()))
            self.assertLessEqual(longest, 120, path.name)
        pages = [*(TOP / "volnik").rglob("*.html"), *(TOP / "volnik").rglob("*.py"), *scripts]
        text = " ".join(path.read_text(encoding="utf-8") for path in pages)
        used = set(re.findall(r"[A-Za-z][\w-]*", text))
        made = set(re.findall(r"([a-z][\w-]*-)\$?\{", text))  # of a prefix and a word of its own
        for path in sheets:
            style = path.read_text(encoding="utf-8")
            rules = re.sub(r"/\*.*?\*/|\{[^{}]*\}|url\(.*?\)", " ", style, flags=re.S)
            named = set(re.findall(r"\.([a-z][\w-]*)", rules)) - used
            unused = {name for name in named if not any(name.startswith(prefix) for prefix in made)}
            self.assertEqual(unused, set(), f"{path.name} styles what no page holds")

    def test_pages_reckon_nothing_and_choose_no_sentence(self):
        sums = (nodes.Add, nodes.Sub, nodes.Mul, nodes.Div, nodes.FloorDiv, nodes.Mod, nodes.Pow)
        folder = TOP / "volnik" / "web" / "templates"
        for path in folder.rglob("*.html"):
            page = Environment().parse(path.read_text(encoding="utf-8"))
            with self.subTest(str(path.relative_to(folder))):
                self.assertEqual([sum_.lineno for sum_ in page.find_all(sums)], [], "a sum")
                choices = [choice for choice in page.find_all(nodes.CondExpr) if self._in_words(choice)]
                self.assertEqual([choice.lineno for choice in choices], [], "a choice of words")

    @staticmethod
    def _in_words(choice):
        """Whether one of the two is more than a single word, such as a class or a key."""
        either = [side for side in (choice.expr1, choice.expr2) if isinstance(side, nodes.Const)]
        return any(isinstance(side.value, str) and " " in side.value.strip() for side in either)
