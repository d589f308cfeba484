"""Every table, and what becomes of it when a rig travels: put in its archive, backed up only, or neither.

A record is known again by what it says (`identity`), never by its number here. What is set later on it, such
as a withdrawal, is in `settable`; what names the number of another record is in `refers`.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

How = Literal["archived", "backed up", "neither"]


@dataclass(frozen=True, slots=True)
class Kept:
    """What becomes of a table.

    Attributes:
        how: in the archive of its rig, in backups alone, or in neither.
        reason: why, where it is not archived.
        at: the column of the instant a record was kept: after a merge it alone tells their order.
        identity: columns by which a record is known again elsewhere.
        settable: columns set once, later than the rest; an earlier setting stands.
        refers: columns that hold the number of a record of another table.
        body_refers: keys of its body that hold numbers of such records, one or a list.
        packed: columns of packed JSON; `blobs`: columns that are files of their own.
    """

    how: How
    reason: str = ""
    at: str = ""
    identity: tuple[str, ...] = ()
    settable: tuple[str, ...] = ()
    refers: dict[str, str] = field(default_factory=dict)
    body_refers: dict[str, str] = field(default_factory=dict)
    packed: tuple[str, ...] = ()
    blobs: tuple[str, ...] = ()


def _records(at: str, *others: str, **more: object) -> Kept:
    """A table of records, known again by when they were kept and what else they say."""
    return Kept("archived", at=at, identity=(at, *others), **more)  # type: ignore[arg-type]


TABLES: dict[str, Kept] = {
    "rigs": Kept("archived", "as the rig itself, field by field"),
    "numbers": _records("saved_s", "body", "holds_from_s", "power_up"),
    "entries": _records("written_s", "time_s", "kind", "body", settable=("withdrawn_s",)),
    "sources": Kept("archived", identity=("digest",), settable=("withdrawn_s",)),
    "chunks": Kept("archived", "as Parquet, a file for each source"),
    "photos": _records("added_s", "digest", settable=("removed_s", "left_out_s"), blobs=("body", "small")),
    "drawings": Kept("archived", "as where each drawing stands"),
    "drawing_revisions": Kept("archived", identity=("drawing", "seq", "saved_s", "body"), packed=("body",)),
    "stood": _records("saved_s", "from_s", packed=("body",)),
    "sheets": _records("made_s", "dialect", "body", refers={"version_id": "numbers"}),
    "read_backs": _records("made_s", "body", refers={"sheet_id": "sheets"}),
    "ticks": Kept("archived", at="saved_s", identity=("mark",), body_refers={"photo": "photos"}),
    "proofs": Kept("archived", at="saved_s", identity=("mark",), refers={"corrects": "proofs"}),
    "alarms": _records("saved_s", "body"),
    "notes": _records(
        "saved_s",
        "kind",
        "time_s",
        "body",
        settable=("withdrawn_s",),
        body_refers={
            "photo": "photos",
            "proof": "proofs",
            "of": "notes",
            "notes": "notes",
            "entries": "entries",
        },
    ),
    "papers": _records("issued_s", "paper", "digest", settable=("signed",), blobs=("body",)),
    "incidents": _records(
        "start_s", "key", settable=("end_s", "worst", "spoke_s", "held", "acked_s", "acked_by", "told")
    ),
    "changes": _records("at_s", "subject", "who", "what", "fields"),
    "links": Kept("archived", "as chains, whole; of other rigs the hashes alone"),
    "overviews": Kept("backed up", "made anew from the readings"),
    "count_pieces": Kept("backed up", "counted anew from the readings"),
    "count_overviews": Kept("backed up", "counted anew from the readings"),
    "count_events": Kept("backed up", "counted anew from the readings"),
    "proving": Kept("backed up", "a test under way belongs to where it is done"),
    "alarm_states": Kept("backed up", "where the live alarms stand follows from live readings"),
    "tokens": Kept("backed up", "a key opens an address of this machine alone"),
    "paired": Kept("backed up", "who is let in here is let in nowhere else"),
    "shop": Kept("backed up", "the shop's, not a rig's"),
    "practised": Kept("backed up", "of people and simulated vans, of no rig"),
    "alembic_version": Kept("backed up", "says which version the file is of"),
    "tail": Kept("backed up", "settled into its source before a rig is archived"),
    "heard": Kept("backed up", "what a bridge said last, to know its age"),
}
"""By name of the table, those of the live file too."""

IN_ORDER = (
    "numbers",
    "entries",
    "photos",
    "stood",
    "sheets",
    "read_backs",
    "ticks",
    "proofs",
    "alarms",
    "notes",
    "papers",
    "incidents",
    "changes",
)
"""Tables of records in the order they are taken in, what is referred to first; drawings go their own way."""
