"""Keys to one address each, and browsers let in from the network: rows in, plain values out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from volnik.core.rig.rig import NotFound
from volnik.core.roles import Role
from volnik.store.tables import PairedRow, TokenRow

TokenKind = Literal["bridge", "bench", "calendar", "metrics"]


@dataclass(frozen=True, slots=True)
class Token:
    """A key: what it opens, for which rig, how often its bridge declares to report [s].

    The key itself is nowhere kept.
    """

    id: int
    kind: str
    rig_id: int | None
    name: str
    digest: str
    interval_s: float
    made_s: float
    ended_s: float | None

    @property
    def is_bridge(self) -> bool:
        """Whether it brings readings, from a real bridge or a bench rig."""
        return self.kind in ("bridge", "bench")


@dataclass(frozen=True, slots=True)
class Paired:
    """A browser let in from the network: whose it is, since when and last when [s], as what, of which rig."""

    id: int
    name: str
    paired_s: float
    seen_s: float
    ended_s: float | None
    role: Role = "installer"
    rig_id: int | None = None


def _token(row: TokenRow) -> Token:
    return Token(row.id, row.kind, row.rig_id, row.name, row.digest, row.interval_s, row.made_s, row.ended_s)


def tokens(session: Session, *, rig_id: int | None = None) -> list[Token]:
    """Every key, or those of one rig, oldest first; ended ones too."""
    query = select(TokenRow).order_by(TokenRow.id)
    if rig_id is not None:
        query = query.where(TokenRow.rig_id == rig_id)
    return [_token(row) for row in session.scalars(query)]


def token_by_digest(session: Session, digest: str) -> Token | None:
    """The key of that digest, ended or not."""
    row = session.scalar(select(TokenRow).where(TokenRow.digest == digest))
    return None if row is None else _token(row)


def add_token(
    session: Session,
    *,
    kind: TokenKind,
    rig_id: int | None,
    name: str,
    digest: str,
    interval_s: float,
    made_s: float,
) -> Token:
    """Keep a new key by its digest."""
    row = TokenRow(kind=kind, rig_id=rig_id, name=name, digest=digest, interval_s=interval_s, made_s=made_s)
    session.add(row)
    session.flush()
    return _token(row)


def change_token(
    session: Session, token_id: int, *, ended_s: float | None = None, interval_s: float | None = None
) -> Token:
    """End a key, or change the interval its bridge declares.

    Raises:
        NotFound: when there is none of that number.
    """
    row = session.get(TokenRow, token_id)
    if row is None:
        raise NotFound("key", token_id)
    if ended_s is not None and row.ended_s is None:
        row.ended_s = ended_s
    if interval_s is not None:
        row.interval_s = interval_s
    session.flush()
    return _token(row)


def _paired(row: PairedRow) -> Paired:
    role = cast(Role, row.role)
    return Paired(row.id, row.name, row.paired_s, row.seen_s, row.ended_s, role, row.rig_id)


def all_paired(session: Session) -> list[Paired]:
    """Every browser ever let in, newest first."""
    return [_paired(row) for row in session.scalars(select(PairedRow).order_by(PairedRow.id.desc()))]


def paired(session: Session, paired_id: int) -> Paired | None:
    """One browser let in, ended or not."""
    row = session.get(PairedRow, paired_id)
    return None if row is None else _paired(row)


def add_paired(
    session: Session, name: str, paired_s: float, *, role: Role = "installer", rig_id: int | None = None
) -> Paired:
    """Let a browser in."""
    row = PairedRow(name=name, paired_s=paired_s, seen_s=paired_s, role=role, rig_id=rig_id)
    session.add(row)
    session.flush()
    return _paired(row)


def change_paired(
    session: Session, paired_id: int, *, seen_s: float | None = None, ended_s: float | None = None
) -> None:
    """Note when a browser was last seen, or end it.

    Raises:
        NotFound: when there is none of that number.
    """
    row = session.get(PairedRow, paired_id)
    if row is None:
        raise NotFound("phone", paired_id)
    row.seen_s = row.seen_s if seen_s is None else seen_s
    row.ended_s = row.ended_s if ended_s is None else ended_s
