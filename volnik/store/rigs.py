"""Rigs, their banks, numbers and entries: rows in, core values out."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import asdict
from typing import Any

from sqlalchemy import Row, inspect, select
from sqlalchemy.orm import Session

from volnik.core.count.entries import Entry
from volnik.core.rig.bank import Bank
from volnik.core.rig.rig import NotFound, NumbersVersion, Rig, RigSummary
from volnik.core.rig.use import Use
from volnik.core.settings import Numbers, numbers_from_dict
from volnik.core.stages import HandoverFacts, PlanFacts, ProveFacts, WireUpFacts
from volnik.store.tables import EntryRow, NumbersRow, RigRow, ShopRow

SUMMARY_PARTS: dict[str, Callable[..., Any]] = {
    "plan": PlanFacts,
    "wireup": WireUpFacts,
    "prove": ProveFacts,
    "handover": HandoverFacts,
}


def _summary(body: dict[str, Any] | None) -> RigSummary:
    """A summary as it was kept; figures that are not known are kept as null."""
    if body is None:
        return RigSummary()
    parts: dict[str, Any] = {
        key: math.nan if value is None else value for key, value in body.items() if key not in SUMMARY_PARTS
    }
    for key, kind in SUMMARY_PARTS.items():
        if key in body:
            given = body[key]
            parts[key] = kind(**{name: tuple(v) if isinstance(v, list) else v for name, v in given.items()})
    return RigSummary(**parts)


def _rig(row: RigRow | Row[Any]) -> Rig:
    return Rig(
        row.id,
        row.name,
        row.silhouette,
        row.what,
        row.zone,
        row.created_s,
        row.archived_s,
        row.latitude,
        row.climate,
        None if row.bank is None else Bank.from_dict(row.bank),
        _summary(row.summary),
        row.count_revision,
        row.demo_key,
        row.demo_version,
        row.modified_by_user,
        Use.model_validate(row.use or {}),
        row.language,
    )


def _row(session: Session, rig_id: int) -> RigRow:
    row = session.get(RigRow, rig_id)
    if row is None:
        raise NotFound("rig", rig_id)
    return row


def all_rigs(session: Session, *, archived: bool = False) -> list[Rig]:
    """Every rig in care, or every archived one."""
    wanted = RigRow.archived_s.is_not(None) if archived else RigRow.archived_s.is_(None)
    # As plain rows: five hundred of them are on the Yard at once, and none is changed there.
    columns = [kept.class_attribute for kept in inspect(RigRow).column_attrs]
    rows = session.execute(select(*columns).where(wanted).order_by(RigRow.name))
    return [_rig(row) for row in rows]


def is_empty(session: Session) -> bool:
    """Whether there is no rig at all, none put aside either."""
    return session.scalar(select(RigRow.id).limit(1)) is None


def rig_of_demo(session: Session, key: str) -> int | None:
    """The number of a demo rig in care, None where it is not there."""
    return session.scalar(select(RigRow.id).where(RigRow.demo_key == key, RigRow.archived_s.is_(None)))


def rig(session: Session, rig_id: int) -> Rig:
    """One rig.

    Raises:
        NotFound: when there is none.
    """
    return _rig(_row(session, rig_id))


def add_rig(session: Session, given: Rig) -> Rig:
    """Keep a new rig; its id is chosen here."""
    row = RigRow(
        name=given.name,
        silhouette=given.silhouette,
        what=given.what,
        zone=given.zone,
        created_s=given.created_s,
        latitude=given.latitude,
        climate=given.climate,
        language=given.language,
        demo_key=given.demo_key,
        demo_version=given.demo_version,
        bank=None if given.bank is None else given.bank.as_dict(),
        use=given.use.model_dump(mode="json", exclude_defaults=True),
    )
    session.add(row)
    session.flush()
    return _rig(row)


def change_rig(session: Session, rig_id: int, **changes: Any) -> Rig:
    """Change plain fields of a rig.

    Args:
        changes: of name, silhouette, what, zone, latitude, climate, language, archived_s, modified_by_user,
            demo_key.
    """
    row = _row(session, rig_id)
    for name, value in changes.items():
        setattr(row, name, value)
    session.flush()
    return _rig(row)


def set_bank(session: Session, rig_id: int, bank: Bank) -> None:
    """Keep a bank with its rig."""
    _row(session, rig_id).bank = bank.as_dict()


def set_use(session: Session, rig_id: int, use: Use) -> None:
    """Keep how a rig is used."""
    _row(session, rig_id).use = use.model_dump(mode="json", exclude_defaults=True)


def next_revision(session: Session, rig_id: int) -> None:
    """Say that the count of record is another one from now on: what was opened of it is opened anew."""
    _row(session, rig_id).count_revision += 1
    session.flush()


def set_summary(session: Session, rig_id: int, summary: RigSummary) -> None:
    """Keep what the Yard shows."""
    row = _row(session, rig_id)
    plain = {
        key: None if isinstance(value, float) and math.isnan(value) else value
        for key, value in asdict(summary).items()
    }
    row.summary = plain


def summaries(session: Session, rig_ids: Sequence[int]) -> dict[int, RigSummary]:
    """The summaries of some rigs, by number; of those there are."""
    rows = session.execute(select(RigRow.id, RigRow.summary).where(RigRow.id.in_(rig_ids)))
    return {rig_id: _summary(body) for rig_id, body in rows}


def remove_rig(session: Session, rig_id: int) -> None:
    """Delete a rig and all that hangs on it. Only the demo does this."""
    session.delete(_row(session, rig_id))
    session.flush()


def numbers_versions(session: Session, rig_id: int) -> list[NumbersVersion]:
    """Every saved version, oldest first."""
    rows = session.scalars(
        select(NumbersRow).where(NumbersRow.rig_id == rig_id).order_by(NumbersRow.saved_s, NumbersRow.id)
    )
    return [
        NumbersVersion(
            row.id, row.saved_s, row.holds_from_s, row.reason, numbers_from_dict(row.body), row.power_up
        )
        for row in rows
    ]


def add_numbers(
    session: Session,
    rig_id: int,
    numbers: Numbers,
    *,
    saved_s: float,
    holds_from_s: float | None,
    reason: str,
    power_up: str,
) -> int:
    """Keep a new version of the numbers; returns its id."""
    row = NumbersRow(
        rig_id=rig_id,
        saved_s=saved_s,
        holds_from_s=holds_from_s,
        reason=reason,
        body=numbers.as_dict(),
        power_up=power_up,
    )
    session.add(row)
    session.flush()
    return row.id


def entries(session: Session, rig_id: int) -> list[tuple[int, Entry, str]]:
    """Standing entries in order of time: (id, entry, note)."""
    rows = session.scalars(
        select(EntryRow)
        .where(EntryRow.rig_id == rig_id, EntryRow.withdrawn_s.is_(None))
        .order_by(EntryRow.time_s, EntryRow.id)
    )
    return [(row.id, Entry(row.time_s, row.kind, **row.body), row.note) for row in rows]  # type: ignore[arg-type]


def add_entry(session: Session, rig_id: int, entry: Entry, *, written_s: float, note: str) -> int:
    """Keep a dated entry; returns its id."""
    body: dict[str, Any] = {}
    if entry.kind == "set":
        body["soc"] = entry.soc
    if entry.kind == "supply_lost":
        body["power_up"] = entry.power_up
    row = EntryRow(
        rig_id=rig_id, time_s=entry.time_s, written_s=written_s, kind=entry.kind, body=body, note=note
    )
    session.add(row)
    session.flush()
    return row.id


def withdraw_entry(session: Session, rig_id: int, entry_id: int, withdrawn_s: float | None) -> None:
    """Withdraw an entry, or take the withdrawal back with None."""
    row = session.get(EntryRow, entry_id)
    if row is None or row.rig_id != rig_id:
        raise NotFound("entry", entry_id)
    row.withdrawn_s = withdrawn_s


def shop(session: Session, name: str) -> dict[str, Any]:
    """One of the shop's own tables: "chemistries", "column_maps"."""
    row = session.get(ShopRow, name)
    return {} if row is None else dict(row.body)


def set_shop(session: Session, name: str, body: dict[str, Any]) -> None:
    """Keep one of the shop's own tables."""
    row = session.get(ShopRow, name)
    if row is None:
        session.add(ShopRow(name=name, body=body))
    else:
        row.body = body


def origin(session: Session) -> str:
    """What this data is known by on other machines."""
    found: str = shop(session, "origin").get("id", "")
    return found


def rigs_with_numbers(session: Session) -> set[int]:
    """The rigs that have at least one version of the numbers."""
    return set(session.scalars(select(NumbersRow.rig_id).distinct()))
