"""A log file on its way in, as plain values: what it looks like, how it is to be read."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from volnik.core.errors import InvalidInput


class LogFileRefused(InvalidInput):
    """A file or mapping that cannot be used. `problems` maps a field to a sentence.

    "file" is the file itself.
    """


@dataclass(frozen=True, slots=True)
class FileLook:
    """What the head of a file shows.

    Attributes:
        token: its name while it waits.
        name, size: as uploaded [bytes].
        kind: "csv", "jsonlines" or "parquet".
        headings, rows: the first lines as text.
        choice: how Volnik would read it.
        doubts: what the installer should look at.
        remembered: whether the choice is the shop's own, from an earlier file of the same headings.
    """

    token: str
    name: str
    size: int
    kind: str
    headings: list[str]
    rows: list[list[str]]
    choice: dict[str, Any]
    doubts: list[str] = field(default_factory=list)
    remembered: bool = False


@dataclass(frozen=True, slots=True)
class FilePreview:
    """The first lines as they would be read.

    (instant [s since 1970], values by column), and what is wrong with some.
    """

    rows: list[tuple[float, dict[str, float]]]
    problems: list[tuple[int, str]]
