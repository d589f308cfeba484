"""A paper as plain words: parts in order, each a heading and lines, a table, a caution or blanks to fill."""

from __future__ import annotations

import difflib
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

PartKind = Literal["lines", "list", "table", "caution", "blanks", "drawing", "label", "code", "photos"]
Size = Literal["a4", "us-letter"]


@dataclass(frozen=True, slots=True)
class Part:
    """A part of a paper.

    Attributes:
        kind: how it is set: paragraphs, a list, a table, a caution in a frame, blanks to be filled, the
            drawing that comes with it, a label to cut out, a code to scan.
        title: its heading.
        lines: of all but a table.
        rows: of a table, each a tuple of cells.
        columns: how wide each column is beside the others.
        head: of the columns, () for none.
    """

    kind: PartKind
    title: str
    lines: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()
    columns: tuple[float, ...] = ()
    head: tuple[str, ...] = ()

    def said(self) -> Iterator[str]:
        """Its words, a line each."""
        yield self.title
        yield from self.lines
        yield from (": ".join(cell for cell in row if cell) for row in self.rows)


@dataclass(frozen=True, slots=True)
class PaperPhoto:
    """A photo of a paper: what it shows, and its JPEG bytes."""

    caption: str
    body: bytes


@dataclass(frozen=True, slots=True)
class Paper:
    """A paper.

    Attributes:
        key: names it.
        title, subtitle: at its head.
        lead: the one sentence that matters most, "" for none.
        parts: in order.
        left: how many of the parts stand in the left of two columns; 0 for one column.
        signatures: who signs, () for nobody.
        drawing: SVG of the part "drawing", "" for none.
        photos: of the part "photos".
        language: of its words, such as "en-GB".
    """

    key: str
    title: str
    subtitle: str
    lead: str
    parts: tuple[Part, ...]
    left: int = 0
    signatures: tuple[str, ...] = ()
    drawing: str = ""
    photos: tuple[PaperPhoto, ...] = ()
    language: str = "en-GB"

    def text(self) -> list[str]:
        """All it says, a line each."""
        said = [self.title, self.subtitle, *([self.lead] if self.lead else [])]
        return said + [line for part in self.parts for line in part.said()]

    def to_dict(self) -> dict[str, Any]:
        """As plain values, for whoever sets it in type."""
        return {
            "key": self.key,
            "title": self.title,
            "subtitle": self.subtitle,
            "lead": self.lead,
            "left": self.left,
            "signatures": list(self.signatures),
            "drawing": self.drawing,
            "photos": [photo.caption for photo in self.photos],
            "blocks": [
                {
                    "kind": part.kind,
                    "title": part.title,
                    "lines": list(part.lines),
                    "rows": [list(row) for row in part.rows],
                    "columns": list(part.columns),
                    "head": list(part.head),
                }
                for part in self.parts
            ],
        }


def changed(before: list[str], after: list[str]) -> list[tuple[str, str]]:
    """What a paper says no longer, and what it says instead: pairs of lines, "" for none.

    Args:
        before, after: the lines of both.
    """
    found: list[tuple[str, str]] = []
    for kind, first, last, begin, end in difflib.SequenceMatcher(
        a=before, b=after, autojunk=False
    ).get_opcodes():
        if kind == "equal":
            continue
        gone, come = before[first:last], after[begin:end]
        for at in range(max(len(gone), len(come))):
            found.append((gone[at] if at < len(gone) else "", come[at] if at < len(come) else ""))
    return found
