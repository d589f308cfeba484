"""Papers as they were issued: rows in, plain values out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from volnik.core.rig.rig import NotFound
from volnik.store.tables import PaperRow


@dataclass(frozen=True, slots=True)
class KeptPaper:
    """A paper as issued, without its bytes.

    Attributes:
        id: its own; `number` its place among the issues of the rig, from 1.
        paper: which one.
        size: "a4" or "us-letter".
        issued_s, who: when [s] and by whom.
        rests_on: a hash of what it was made from; record_hash of the record then; digest of its bytes.
        lines: all it says.
        signed: by whom and how, None while nobody did.
    """

    id: int
    number: int
    paper: str
    size: str
    issued_s: float
    who: str
    rests_on: str
    record_hash: str
    digest: str
    lines: list[str]
    signed: dict[str, Any] | None


def add_paper(session: Session, rig_id: int, body: bytes, **told: Any) -> KeptPaper:
    """Keep a paper as issued, its fields named as those of `KeptPaper`."""
    row = PaperRow(rig_id=rig_id, body=body, **told)
    session.add(row)
    session.flush()
    return _kept(row)


def next_number(session: Session, rig_id: int) -> int:
    """The number the next issue of a rig gets."""
    return 1 + (session.scalar(select(func.max(PaperRow.number)).where(PaperRow.rig_id == rig_id)) or 0)


def papers(session: Session, rig_id: int) -> list[KeptPaper]:
    """The issues of a rig, latest first."""
    rows = session.scalars(
        select(PaperRow)
        .where(PaperRow.rig_id == rig_id)
        .order_by(PaperRow.issued_s.desc(), PaperRow.id.desc())
    )
    return [_kept(row) for row in rows]


def paper_body(session: Session, rig_id: int, paper_id: int) -> bytes:
    """The bytes of an issue; raises NotFound where the rig has none of that number."""
    return _row(session, rig_id, paper_id).body


def sign(session: Session, rig_id: int, paper_id: int, signed: dict[str, Any]) -> None:
    """Keep how an issue was signed; raises NotFound where the rig has none of that number."""
    _row(session, rig_id, paper_id).signed = signed
    session.flush()


def _row(session: Session, rig_id: int, paper_id: int) -> PaperRow:
    row = session.get(PaperRow, paper_id)
    if row is None or row.rig_id != rig_id:
        raise NotFound("paper", paper_id)
    return row


def _kept(row: PaperRow) -> KeptPaper:
    return KeptPaper(
        row.id,
        row.number,
        row.paper,
        row.size,
        row.issued_s,
        row.who,
        row.rests_on,
        row.record_hash,
        row.digest,
        row.lines,
        row.signed,
    )
