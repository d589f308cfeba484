"""What the Shelf says: each kind of part, its table and its slip, what is stored."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.shelf.conductors import read_size
from volnik.core.shelf.parts import KINDS
from volnik.core.values import Plain
from volnik.core.watch.formatting import span_words
from volnik.services.log.retention import StorageView
from volnik.web.forms.parts import COLUMNS, TITLES, WORDS, shown
from volnik.web.page import number, tidy_number
from volnik.web.plural import count_of

SCALED = ("cables", "lugs")
"""Kinds drawn to scale beside their rows."""

BARE = ("chemistry", "stud", "size", "hole", "role")
"""Columns whose unit goes without saying in a table."""

LONG, MIDDLING = ("reason", "against"), ("name", "words", "source", "key")
OLD_BACKUP_S = 2.0 * 86_400.0  # one is made a day while Volnik runs
STRAND_FILL = 1.4  # a round of copper drawn a little larger than its area, for the strands; source: estimate


@dataclass(frozen=True, slots=True)
class PartRow:
    """A part as a row; `radius` is that of its copper to scale, None where it has none."""

    key: str
    name: str
    cells: list[str]
    radius: float | None


@dataclass(frozen=True, slots=True)
class PartField:
    """A field of the slip."""

    name: str
    label: str
    hint: str
    value: str
    size: int


@dataclass(frozen=True, slots=True)
class PartsPage:
    """One kind of part.

    Attributes:
        title: of the kind, in lower case too.
        heading, fine: what stands there.
        columns: headings and units;
        scaled: whether rows are drawn to scale.
        rows, fields: the table and the slip.
        slip_title, keep: over the slip, and on its button;
        known: whether it changes a part.
    """

    title: str
    heading: str
    fine: str
    columns: list[tuple[str, str]]
    scaled: bool
    rows: list[PartRow]
    fields: list[PartField]
    slip_title: str
    keep: str
    known: bool


def parts_page(kind: str, here: list[Plain], part: Plain | None, typed: dict[str, str]) -> PartsPage:
    """The words of one kind of part.

    Args:
        part: the one that is open, None for a new one.
        typed: what was refused.
    """
    heading = f"{TITLES[kind].lower()} on the Shelf. All made up until the shop puts its own in."
    fine = (
        "A part is copied into a rig with its source; changing it here changes no rig. The maker's "
        "sheet comes "
        "before every figure."
    )
    if kind == "schools":
        heading = "ways practitioners choose when a battery is full. Each is a mark on every rig's reset map."
        fine = (
            "A school takes its volts from the rig's own chargers, or a cell; changed here it moves "
            "on every map "
            "at once. None is law."
        )
    names = sorted(KINDS[kind].model_fields, key=lambda name: (name not in ("key", "name"), name == "source"))
    return PartsPage(
        TITLES[kind],
        heading,
        fine,
        [(WORDS[name][0], "" if name in BARE else WORDS[name][1].split(";")[0]) for name in COLUMNS[kind]],
        kind in SCALED,
        [_row(item, kind) for item in here],
        [PartField(name, *WORDS[name], typed.get(name, shown(part, name)), _size(name)) for name in names],
        "Put one on the Shelf" if part is None else f"Change {shown(part, 'name')}",
        "Put it there" if part is None else "Keep",
        part is not None,
    )


def _row(part: Plain, kind: str) -> PartRow:
    first, *others = (shown(part, name) for name in COLUMNS[kind])
    radius = None
    if kind in SCALED:
        area_mm2 = (read_size(shown(part, "size")) or (1.0, ""))[0]
        radius = round(math.sqrt(area_mm2 / math.pi) * STRAND_FILL, 2)
    return PartRow(shown(part, "key"), first, [cell or "–" for cell in others], radius)


def _size(name: str) -> int:
    """How many letters wide a field is."""
    return 34 if name in LONG else 18 if name in MIDDLING else 9


def storage_rule(view: StorageView) -> str:
    """The shop's rule for old readings, in a sentence."""
    if view.rule.months is None:
        return (
            "Every reading is kept. Nothing is ever thinned unless the shop sets a rule here and presses the "
            "button beside a rig."
        )
    months, step = tidy_number(view.rule.months), tidy_number(view.rule.step_s)
    return (
        f"Readings older than {months} months may be averaged over {step} s; it is done when you press the "
        "button beside a rig, and put on its record."
    )


def size_words(size: float) -> str:
    """Bytes in the unit that fits them."""
    for least, unit in ((1e9, "GB"), (1e6, "MB")):
        if size >= least:
            return f"{number(size / least, 1)} {unit}"
    return f"{number(size / 1000, 0)} kB"


@dataclass(frozen=True, slots=True)
class BackupWords:
    """How the shop's backups stand: how many there are, whether the last is old, and a sentence."""

    count: int
    is_old: bool
    sentence: str


def backup_words(backups: list[tuple[float, int]], now_s: float) -> BackupWords:
    """The shop's backups as told on the Shelf.

    Args:
        backups: when each was made [s] and its size [bytes], oldest first.
    """
    if not backups:
        return BackupWords(0, True, "None yet. Volnik makes one a day while it runs, beside its data.")
    made_s, size = backups[-1]
    age = "just made" if now_s - made_s < 60.0 else f"{span_words((now_s - made_s) / 3600.0)} old"
    kept = f"{count_of(len(backups), 'backup')} beside the data"
    sentence = f"{kept}; the last is {age}, {size_words(size)}."
    return BackupWords(len(backups), now_s - made_s > OLD_BACKUP_S, sentence)
