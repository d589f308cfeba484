"""Proofs, ticks and sheets chained by hash: each link holds that of the one before; a later change shows.

A link keeps its record as it was first written, with the version of that form; no migration rewrites it.
There is one chain for each data folder (`origin`). An archive carries the chains it knows whole: of other
rigs the hash of a record alone, never the record.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from volnik.store.rigs import origin
from volnik.store.tables import LinkRow, ProofRow, RigRow, SheetRow, TickRow

FORMAT = 1
Chained = TickRow | ProofRow | SheetRow
CHAINED: dict[str, tuple[Any, tuple[str, ...]]] = {
    "tick": (TickRow, ("mark", "job", "step", "kind", "body", "who", "time_s", "saved_s")),
    "proof": (
        ProofRow,
        ("mark", "check", "about", "verdict", "body", "source", "who", "time_s", "saved_s"),
    ),
    "sheet": (SheetRow, ("made_s", "dialect", "body")),
}
"""What is chained, and the columns that are (never a number of this machine)."""

NO_LINK = ""  # what the first one holds as the hash before


@dataclass(frozen=True, slots=True)
class Fault:
    """Something in a chain that is not as it was written: where, and what."""

    place: str
    what: str


def hash_of(previous: str, form: int, kind: str, body_hash: str) -> str:
    """The hash of a link."""
    return hashlib.sha256(f"{previous}\n{form}\n{kind}\n{body_hash}".encode()).hexdigest()


def written(kind: str, row: Chained) -> str:
    """A record as it is chained."""
    values = {name: getattr(row, "idempotency_key" if name == "mark" else name) for name in CHAINED[kind][1]}
    return json.dumps(values, sort_keys=True)


def append(session: Session, kind: str, row: Chained) -> None:
    """Chain a record that was just kept."""
    session.flush()
    here = origin(session)
    last = session.scalar(select(LinkRow).where(LinkRow.origin == here).order_by(LinkRow.seq.desc()).limit(1))
    previous, seq = (NO_LINK, 0) if last is None else (last.hash, last.seq)
    body = written(kind, row)
    body_hash = hashlib.sha256(body.encode()).hexdigest()
    uid = session.scalar(select(RigRow.uid).where(RigRow.id == row.rig_id)) or ""
    session.add(
        LinkRow(
            origin=here,
            seq=seq + 1,
            kind=kind,
            rig_uid=uid,
            format=FORMAT,
            body=body,
            body_hash=body_hash,
            previous=previous,
            hash=hash_of(previous, FORMAT, kind, body_hash),
        )
    )
    session.flush()


def head(session: Session) -> str:
    """One hash for all chains: of the last of each, sorted. "" while nothing is chained."""
    newest = select(func.max(LinkRow.id)).group_by(LinkRow.origin)
    lasts = sorted(session.scalars(select(LinkRow.hash).where(LinkRow.id.in_(newest))))
    if not lasts:
        return ""
    return hashlib.sha256("\n".join(lasts).encode()).hexdigest()


def faults(session: Session) -> Iterator[Fault]:
    """Everything that is not as it was first written, and every link that does not fit."""
    previous: dict[str, tuple[int, str]] = {}
    for link in session.scalars(select(LinkRow).order_by(LinkRow.origin, LinkRow.seq)):
        seq, before = previous.get(link.origin, (0, NO_LINK))
        place = f"link {link.seq} of {link.origin}"
        if link.seq != seq + 1:
            yield Fault(place, f"{link.seq - seq - 1} links before it are gone")
        elif link.previous != before:
            yield Fault(place, "it does not follow the one before")
        if link.hash != hash_of(link.previous, link.format, link.kind, link.body_hash):
            yield Fault(place, "its hash is not its own")
        previous[link.origin] = (link.seq, link.hash)
        if link.body is not None:
            yield from _record_faults(session, link, place)


def _record_faults(session: Session, link: LinkRow, place: str) -> Iterator[Fault]:
    assert link.body is not None
    if hashlib.sha256(link.body.encode()).hexdigest() != link.body_hash:
        yield Fault(place, f"the {link.kind} it holds was changed")
        return
    told = json.loads(link.body)
    rig_id = session.scalar(select(RigRow.id).where(RigRow.uid == link.rig_uid))
    if rig_id is None:
        return  # the rig is gone, and its records with it
    rows = _rows_of(session, rig_id, link.kind, told)
    name = f"{link.kind} of {told.get('saved_s') or told.get('made_s')}"
    if not rows:
        yield Fault(place, f"the {name} is gone")
        return
    stand = [_without_numbers(json.loads(written(link.kind, row))) for row in rows]
    if link.format == FORMAT and _without_numbers(told) not in stand:
        yield Fault(place, f"the {name} is not as it was written")


def _rows_of(session: Session, rig_id: int, kind: str, told: dict[str, Any]) -> list[Chained]:
    """The record a link holds, as it stands now; of sheets all that were given out in that instant."""
    model, _ = CHAINED[kind]
    asked = select(model).where(model.rig_id == rig_id)
    if kind == "sheet":
        asked = asked.where(SheetRow.made_s == told.get("made_s"), SheetRow.dialect == told.get("dialect"))
    else:
        asked = asked.where(model.__table__.c.mark == told.get("mark"))
    return list(session.scalars(asked))


def _without_numbers(told: dict[str, Any]) -> dict[str, Any]:
    """A record without the number its photo has on this machine, which another gives anew."""
    body = told.get("body")
    if isinstance(body, dict) and "photo" in body:
        return {**told, "body": {**body, "photo": None}}
    return told


LINK_FIELDS = ("origin", "seq", "kind", "rig_uid", "format", "body", "body_hash", "previous", "hash")


def carried(session: Session, rig_uid: str) -> list[dict[str, Any]]:
    """Every link known here, as an archive of a rig carries it: other rigs' records by their hash alone."""
    found = []
    for link in session.scalars(select(LinkRow).order_by(LinkRow.origin, LinkRow.seq)):
        row = {name: getattr(link, name) for name in LINK_FIELDS}
        if link.rig_uid != rig_uid:
            row |= {"body": None, "rig_uid": ""}
        found.append(row)
    return found


def take(session: Session, links: list[dict[str, Any]]) -> None:
    """Take the chains of an archive in, whole.

    Raises:
        ValueError: when one of them does not fit, or says otherwise than what is known here.
    """
    before: dict[str, tuple[int, str]] = {}
    for row in sorted(links, key=lambda link: (link["origin"], link["seq"])):
        seq, previous = before.get(row["origin"], (0, NO_LINK))
        right = hash_of(previous, row["format"], row["kind"], row["body_hash"])
        if row["seq"] != seq + 1 or row["previous"] != previous or row["hash"] != right:
            raise ValueError(f"link {row['seq']} of {row['origin']} does not follow the one before")
        before[row["origin"]] = (row["seq"], row["hash"])
        known = session.scalar(
            select(LinkRow).where(LinkRow.origin == row["origin"], LinkRow.seq == row["seq"])
        )
        if known is None:
            session.add(LinkRow(**{name: row[name] for name in LINK_FIELDS}))
        elif known.hash != row["hash"]:
            raise ValueError(f"link {row['seq']} of {row['origin']} is another here than in the archive")
        elif known.body is None and row["body"] is not None:
            known.body, known.rig_uid = row["body"], row["rig_uid"]
    session.flush()
