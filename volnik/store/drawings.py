"""Drawings of a rig as revisions, what stands, and photos: rows in, plain values out."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

import zstandard
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from volnik.core.rig.photo import ReadyPhoto
from volnik.core.rig.rig import NotFound
from volnik.store.tables import DrawingRow, PhotoRow, RevisionRow, StoodRow

MOST_REVISIONS = 200


@dataclass(frozen=True, slots=True)
class Steps:
    """Where a drawing stands among its revisions.

    Its number, and what undo and redo would take back or bring back ("" for nothing).
    """

    seq: int = 0
    undo: str = ""
    redo: str = ""


@dataclass(frozen=True, slots=True)
class AsBuilt:
    """Wiring as it stands from a date on.

    Plain devices and wiring, why, and the studs touched since the one before.
    """

    id: int
    from_s: float
    saved_s: float
    reason: str
    body: dict[str, Any]
    touched: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Photo:
    """A photo without its pixels."""

    id: int
    added_s: float
    caption: str
    width: int
    height: int
    left_out_s: float | None = None

    @property
    def on_papers(self) -> bool:
        """Whether it stands on papers."""
        return self.left_out_s is None


def _pack(body: dict[str, Any]) -> bytes:
    return zstandard.ZstdCompressor(level=3).compress(json.dumps(body, separators=(",", ":")).encode())


def _unpack(body: bytes) -> dict[str, Any]:
    opened: dict[str, Any] = json.loads(zstandard.ZstdDecompressor().decompress(body))
    return opened


def _what(session: Session, rig_id: int, drawing: str, seq: int) -> str:
    row = session.get(RevisionRow, (rig_id, drawing, seq))
    return "" if row is None else row.what


def opened(body: bytes | None) -> dict[str, Any] | None:
    """A kept revision as plain values."""
    return None if body is None else _unpack(body)


def head(session: Session, rig_id: int, drawing: str) -> tuple[bytes | None, Steps]:
    """The revision shown now, packed, or None, and where it stands."""
    row = session.get(DrawingRow, (rig_id, drawing))
    if row is None:
        return None, Steps()
    revision = session.get(RevisionRow, (rig_id, drawing, row.head))
    assert revision is not None
    first = session.scalar(
        select(func.min(RevisionRow.seq)).where(RevisionRow.rig_id == rig_id, RevisionRow.drawing == drawing)
    )
    undo = revision.what if first is not None and row.head > first else ""
    return revision.body, Steps(row.head, undo, _what(session, rig_id, drawing, row.head + 1))


def push(
    session: Session, rig_id: int, drawing: str, body: dict[str, Any], *, what: str, saved_s: float
) -> None:
    """Keep a new revision after the one shown.

    What redo would have brought back is gone, and the oldest beyond 200 too.
    """
    row = session.get(DrawingRow, (rig_id, drawing))
    seq = 1 if row is None else row.head + 1
    mine = (RevisionRow.rig_id == rig_id, RevisionRow.drawing == drawing)
    session.execute(delete(RevisionRow).where(*mine, RevisionRow.seq >= seq))
    session.execute(delete(RevisionRow).where(*mine, RevisionRow.seq <= seq - MOST_REVISIONS))
    session.add(
        RevisionRow(
            rig_id=rig_id, drawing=drawing, seq=seq, saved_s=saved_s, what=what[:200], body=_pack(body)
        )
    )
    if row is None:
        session.add(DrawingRow(rig_id=rig_id, drawing=drawing, head=seq))
    else:
        row.head = seq
    session.flush()


def step(session: Session, rig_id: int, drawing: str, by: int) -> bool:
    """Show the revision before (-1) or after (+1); False when there is none."""
    row = session.get(DrawingRow, (rig_id, drawing))
    if row is None or session.get(RevisionRow, (rig_id, drawing, row.head + by)) is None:
        return False
    row.head += by
    session.flush()
    return True


def as_built(session: Session, rig_id: int) -> list[AsBuilt]:
    """What stood from when, oldest first."""
    rows = session.scalars(
        select(StoodRow).where(StoodRow.rig_id == rig_id).order_by(StoodRow.from_s, StoodRow.id)
    )
    return [
        AsBuilt(row.id, row.from_s, row.saved_s, row.reason, _unpack(row.body), tuple(row.touched))
        for row in rows
    ]


def last_built_s(session: Session, rig_id: int) -> float | None:
    """Since when the latest plan stands [s since 1970], or None."""
    return session.scalar(
        select(StoodRow.from_s)
        .where(StoodRow.rig_id == rig_id)
        .order_by(StoodRow.from_s.desc(), StoodRow.id.desc())
        .limit(1)
    )


def add_stood(
    session: Session,
    rig_id: int,
    body: dict[str, Any],
    *,
    from_s: float,
    saved_s: float,
    reason: str,
    touched: list[str],
) -> None:
    """Keep what stands from a date on."""
    session.add(
        StoodRow(
            rig_id=rig_id, from_s=from_s, saved_s=saved_s, reason=reason, body=_pack(body), touched=touched
        )
    )
    session.flush()


def photos(session: Session, rig_id: int) -> list[Photo]:
    """The photos of a rig, newest first."""
    rows = session.execute(
        select(
            PhotoRow.id,
            PhotoRow.added_s,
            PhotoRow.caption,
            PhotoRow.width,
            PhotoRow.height,
            PhotoRow.left_out_s,
        )
        .where(PhotoRow.rig_id == rig_id, PhotoRow.removed_s.is_(None))
        .order_by(PhotoRow.added_s.desc(), PhotoRow.id.desc())
    )
    return [Photo(*row) for row in rows]


def add_photo(session: Session, rig_id: int, photo: ReadyPhoto, *, caption: str, added_s: float) -> int:
    """Keep a photo; returns its id. One already there by its digest is not kept twice."""
    known = session.scalar(select(PhotoRow).where(PhotoRow.rig_id == rig_id, PhotoRow.digest == photo.digest))
    if known is not None:
        known.removed_s = None
        return known.id
    row = PhotoRow(
        rig_id=rig_id,
        added_s=added_s,
        caption=caption,
        width=photo.size[0],
        height=photo.size[1],
        digest=photo.digest,
        body=photo.body,
        small=photo.small,
    )
    session.add(row)
    session.flush()
    return row.id


def photo_body(session: Session, rig_id: int, photo_id: int, *, small: bool) -> bytes:
    """A photo as JPEG.

    Raises:
        NotFound: when the rig has none of that number.
    """
    return _photo(session, rig_id, photo_id).small if small else _photo(session, rig_id, photo_id).body


def remove_photo(session: Session, rig_id: int, photo_id: int, removed_s: float | None) -> None:
    """Take a photo out of the rig's pages, or bring it back with None."""
    _photo(session, rig_id, photo_id).removed_s = removed_s


def leave_out_photo(session: Session, rig_id: int, photo_id: int, left_out_s: float | None) -> None:
    """Leave a photo out of papers, or let it stand there with None."""
    _photo(session, rig_id, photo_id).left_out_s = left_out_s


def _photo(session: Session, rig_id: int, photo_id: int) -> PhotoRow:
    row = session.get(PhotoRow, photo_id)
    if row is None or row.rig_id != rig_id:
        raise NotFound("photo", photo_id)
    return row
