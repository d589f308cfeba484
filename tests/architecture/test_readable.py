"""The house stays readable: no function is too much for one head, but for the compiled loops that say why."""

import ast
import builtins
import re
import unittest
from pathlib import Path

from radon.complexity import cc_visit

HOUSE = Path(__file__).parent.parent.parent / "volnik"
KERNELS = {"count_span", "run_bank", "charge_legs", "utc_column"}  # compiled: a call a sample costs
MOST, FEW, OF_1000 = 15, 10, 25
MOST_LINES = 60


def functions():
    """Every function and method of the house, inner ones too."""

    def inside(blocks):
        for block in blocks:
            yield block
            yield from inside(getattr(block, "closures", ()))

    for path in HOUSE.rglob("*.py"):
        if "migrations" not in path.parts:  # what is written once and never changed
            for block in inside(cc_visit(path.read_text(encoding="utf-8"))):
                if not hasattr(block, "methods"):
                    yield block


UNITS = {"_v": "V", "_a": "A", "_s": "s", "_ah": "Ah", "_h": "h", "_ohm": "Ω", "_m": "m", "_ka": "kA"}


def documented():
    """Public functions and methods of core, with their arguments and docstring."""
    for path in (HOUSE / "core").rglob("*.py"):
        tree = ast.parse(path.read_text(encoding="utf-8"))
        classes = [node for node in tree.body if isinstance(node, ast.ClassDef)]
        for node in [*tree.body, *(part for each in classes for part in each.body)]:
            if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                spec = node.args
                given = (*spec.posonlyargs, *spec.args, *spec.kwonlyargs)
                yield (
                    f"{path.stem}.{node.name}",
                    [arg for arg in given if arg.arg not in ("self", "cls")],
                    ast.get_docstring(node) or "",
                )


def entries(told, section, name):
    """The names a section of a docstring begins its lines with."""
    found = re.search(rf"^{section}:\n((?:    .*\n?)+)", told, re.M)
    lines = re.findall(rf"^    ({name}(?:, {name})*):", found[1], re.M) if found else []
    return [word for line in lines for word in line.split(", ")]


class Told(unittest.TestCase):
    def test_every_argument_of_core_is_told(self):
        found = {
            name: [arg.arg for arg in given if arg.arg not in told] for name, given, told in documented()
        }
        self.assertEqual({name: missing for name, missing in found.items() if missing}, {})

    def test_a_docstring_tells_no_argument_that_is_not_there(self):
        for name, given, told in documented():
            listed = set(entries(told, "Args", "[a-z_0-9]+"))
            self.assertLessEqual(listed, {arg.arg for arg in given} | {"changes"}, name)

    def test_what_is_raised_and_what_a_value_holds_is_told_by_its_name(self):
        trees = {path: ast.parse(path.read_text(encoding="utf-8")) for path in HOUSE.rglob("*.py")}
        nodes = [(path, node) for path, tree in trees.items() for node in ast.walk(tree)]
        known = {*dir(builtins), *(node.name for _, node in nodes if isinstance(node, ast.ClassDef))}
        for _, node in nodes:
            if isinstance(node, (ast.Import, ast.ImportFrom)):
                known |= {alias.asname or alias.name for alias in node.names}
        for path, node in nodes:
            if not isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)):
                continue
            told = ast.get_docstring(node) or ""
            for name in entries(told, "Raises", r"[A-Z]\w+"):
                self.assertIn(name, known, f"{path.name}: {node.name}")
            if isinstance(node, ast.ClassDef) and not node.bases:
                held = {part.attr for part in ast.walk(node) if isinstance(part, ast.Attribute)}
                held |= {part.id for part in ast.walk(node) if isinstance(part, ast.Name)}
                held |= {part.name for part in node.body if isinstance(part, ast.FunctionDef)}
                self.assertLessEqual(set(entries(told, "Attributes", "[a-z_0-9]+")), held, node.name)

    def test_a_number_is_told_with_its_unit(self):
        for name, given, told in documented():
            for arg in given:
                unit = next((UNITS[end] for end in UNITS if arg.arg.endswith(end)), None)
                if unit is not None and "float" in ast.unparse(arg.annotation).lower():
                    self.assertRegex(told, rf"\[[^\]]*{unit}\b", f"{name}: {arg.arg}")


class Readable(unittest.TestCase):
    def test_no_function_is_too_much_for_one_head(self):
        found = list(functions())
        self.assertEqual({block.name for block in found if block.complexity > MOST}, KERNELS)
        many = sum(block.complexity > FEW for block in found)
        self.assertLessEqual(1000 * many, OF_1000 * len(found))
        long = {block.name for block in found if block.endline - block.lineno >= MOST_LINES}
        self.assertEqual(long, {"count_span", "run_bank", "utc_column"})

    def test_a_compiled_loop_says_why_it_is_one(self):
        said = set()
        for path in HOUSE.rglob("*.py"):
            for line in path.read_text(encoding="utf-8").splitlines():
                if "noqa: C901 -- " in line:
                    said |= {name for name in KERNELS if f"def {name}(" in line}
        self.assertEqual(said, KERNELS)


if __name__ == "__main__":
    unittest.main()
