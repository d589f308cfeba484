"""No pattern takes more than its share of a long text: twice as long a text costs twice as much."""

import ast
import importlib
import re
import time
import unittest
from collections import defaultdict
from pathlib import Path

import volnik

TOP = Path(volnik.__file__).parent
LENGTH = 16_000  # of its half, what is quadratic takes some hundred times LEAST_S
WORST = (
    "a",
    "9",
    " ",
    "-",
    ",",
    "9-",
    "a,",
    "9.9 ",
    '"',
    "<",
    "é",
    "x 9 ",
    "\t \n",
    "9,9-9,9 ",
    "a.b-",
    "= ",
)
LEAST_S = 0.004  # what is done sooner is not measured, and harms nobody
ENOUGH_S = 0.1
MOST_RATIO = 3.0  # 2 where it is linear, 4 where it is quadratic


def _written_where_used(tree):
    """Patterns written where they are used, such as re.sub("…", …), with how: (pattern, method)."""
    for call in ast.walk(tree):
        if isinstance(call, ast.Call) and isinstance(call.func, ast.Attribute) and call.args:
            owner, first = call.func.value, call.args[0]
            named = isinstance(owner, ast.Name) and owner.id == "re" and call.func.attr != "compile"
            if named and isinstance(first, ast.Constant):
                yield first.value, call.func.attr


def every_pattern():
    """Every pattern of the program with each way it is used: (module, pattern, method)."""
    sources = {path: path.read_text(encoding="utf-8") for path in TOP.rglob("*.py")}
    used = defaultdict(set)
    for source in sources.values():
        for variable, method in re.findall(r"\b([A-Z_]+)\.(\w+)\(", source):
            used[variable].add(method)
    for path, source in sources.items():
        if "migrations" in path.parts:
            continue
        name = ".".join(path.relative_to(TOP.parent).with_suffix("").parts).removesuffix(".__init__")
        for pattern, method in _written_where_used(ast.parse(source)):
            yield name, re.compile(pattern), method
        if "re.compile" in source:
            for variable, value in vars(importlib.import_module(name)).items():
                if isinstance(value, re.Pattern):
                    for method in sorted(used[variable]):
                        yield name, value, method


def _took_s(pattern, method, text):
    best = float("inf")
    use = getattr(pattern, method)
    for _ in range(2):
        began = time.thread_time()  # of the processor: others at work on this machine do not count
        use("", text) if method in ("sub", "subn") else use(text)
        best = min(best, time.thread_time() - began)
    return best


def _ratio(pattern, method, piece):
    """How much longer a text takes than its half, at LENGTH, or sooner where it is slow enough to tell."""
    length, before_s, ratio = 2000, 0.0, 0.0
    while length <= LENGTH and before_s < ENOUGH_S:
        text = (piece * (length // len(piece) + 1))[:length] + "!"
        took_s = _took_s(pattern, method, text.encode() if isinstance(pattern.pattern, bytes) else text)
        if before_s > LEAST_S:
            ratio = took_s / before_s
        length, before_s = length * 2, took_s
    return ratio


def quadratic_for(pattern, method):
    """The piece of text for which a pattern is not linear in any of some tries, or ""."""
    for piece in WORST:  # these machines are noisy: what is linear shows it once
        if all(_ratio(pattern, method, piece) > MOST_RATIO for _ in range(4)):
            return piece
    return ""


class Patterns(unittest.TestCase):
    def test_each_is_linear(self):
        patterns = {(pattern, method): module for module, pattern, method in every_pattern()}
        self.assertGreater(len(patterns), 15)
        for (pattern, method), module in patterns.items():
            with self.subTest(module, pattern=pattern.pattern, method=method):
                self.assertEqual(quadratic_for(pattern, method), "")

    def test_one_that_is_not_is_found(self):
        found = (quadratic_for(re.compile(r"x? *\Z"), "search") for _ in range(5))
        self.assertIn(" ", found)  # on a machine that is busy one try may miss it
