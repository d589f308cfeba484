"""Gather the phrases an owner reads from the code, and bring the catalogues up to them.

    python scripts/languages/gather.py

A phrase that is new stands in each catalogue without a translation until somebody writes it: the tests say
which.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract
from babel.messages.pofile import read_po, write_po

import volnik
from volnik.core.papers.known import known_words
from volnik.core.papers.tongue import FOLDER

ROOT = Path(volnik.__file__).parent
PLACES = (
    "core/papers/*.py",
    "services/handover/*.py",
    "web/views/owner.py",
    "web/routes/handover.py",
    "web/routes/owner.py",
    "web/routes/watch_event.py",
    "web/templates/handover/owner.html",
    "web/templates/handover/take_along.html",
)
KEYWORDS = {"say": None, "caution": None}
WIDTH = 110
HEADER = """# Phrases an owner reads. Brought up to the code by scripts/languages/gather.py.
msgid ""
msgstr ""
"Language: {language}\\n"
"Content-Type: text/plain; charset=utf-8\\n"
"Content-Transfer-Encoding: 8bit\\n"

"""


def phrases() -> Iterator[tuple[str, str]]:
    """Every phrase in English, with the file it stands in."""
    for path in sorted(path for place in PLACES for path in ROOT.glob(place)):
        method = "jinja2.ext:babel_extract" if path.suffix == ".html" else "python"
        with path.open("rb") as file:
            for _, message, _, _ in extract(method, file, KEYWORDS):
                yield str(message), path.relative_to(ROOT).as_posix()
    for words in known_words():
        yield words, "core/papers/known.py"


def main() -> None:
    """Bring every catalogue up to the phrases."""
    template = Catalog(charset="utf-8")
    for message, place in phrases():
        template.add(message, locations=[(place, 0)])
    for path in sorted(FOLDER.glob("*.po")):
        with path.open("rb") as file:
            catalogue = read_po(file, locale=path.stem)
        catalogue.update(template, no_fuzzy_matching=True)
        body = io.BytesIO()
        write_po(body, catalogue, width=WIDTH, omit_header=True, include_lineno=False, ignore_obsolete=True)
        path.write_bytes(HEADER.format(language=path.stem).encode() + body.getvalue())


if __name__ == "__main__":
    main()
