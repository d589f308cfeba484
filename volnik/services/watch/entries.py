"""Dated entries in a rig's record: count set, full by hand, supply lost, block swapped."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy.orm import Session

from volnik.core.count.entries import Entry
from volnik.services.house import House
from volnik.services.watch.recount import recount
from volnik.services.watch.standing import refresh
from volnik.store import rigs as store


def check(house: House, entry: Entry) -> None:
    """Refuse an entry that cannot be.

    Raises:
        ValueError: when it lies in the future.
    """
    if entry.time_s > house.now() + 60.0:
        raise ValueError("An entry cannot lie in the future.")


def enter(
    house: House, rig_id: int, entry: Entry, note: str, *, watch: Callable[[float], None] = lambda done: None
) -> int:
    """Keep a dated entry and recount; returns its id.

    Raises:
        ValueError: when it lies in the future.
    """
    check(house, entry)
    with house.db.writing() as session:
        entry_id = store.add_entry(session, rig_id, entry, written_s=house.now(), note=note)
        _settle(house, session, rig_id, watch)
    return entry_id


def withdraw(
    house: House, rig_id: int, entry_id: int, *, back: bool = False, watch: Callable[[float], None] = lambda done: None
) -> None:  # fmt: skip
    """Withdraw an entry, or bring it back, and recount; the record of both stays."""
    with house.db.writing() as session:
        store.withdraw_entry(session, rig_id, entry_id, None if back else house.now())
        _settle(house, session, rig_id, watch)


def _settle(house: House, session: Session, rig_id: int, watch: Callable[[float], None]) -> None:
    recount(session, house, rig_id, watch=watch)
    store.change_rig(session, rig_id, touched=True)
    refresh(session, house, rig_id, recounted=True)
