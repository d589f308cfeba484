"""Dated entries in a rig's record: count set, full by hand, supply lost, block swapped."""

from __future__ import annotations

import math
from collections.abc import Callable

from sqlalchemy.orm import Session

from volnik.core.count.entries import Entry
from volnik.services.context import House
from volnik.services.log.recount import recount
from volnik.services.yard.summary import refresh
from volnik.store import rigs as store


def check(house: House, entry: Entry, *, rig_id: int | None = None) -> None:
    """Refuse an entry that cannot be.

    A bench rig's clock may run ahead of the wall clock: its last reading counts too.

    Raises:
        ValueError: when it lies in the future.
    """
    latest_s = house.now()
    if rig_id is not None:
        with house.db.reading() as session:
            at_s = store.rig(session, rig_id).standing.at_s
        latest_s = latest_s if math.isnan(at_s) else max(latest_s, at_s)
    if entry.time_s > latest_s + 60.0:
        raise ValueError("An entry cannot lie in the future.")


def enter(
    house: House, rig_id: int, entry: Entry, note: str, *, watch: Callable[[float], None] = lambda done: None
) -> int:
    """Keep a dated entry and recount; returns its id.

    Raises:
        ValueError: when it lies in the future.
    """
    check(house, entry, rig_id=rig_id)
    with house.db.writing() as session:
        entry_id = store.add_entry(session, rig_id, entry, written_s=house.now(), note=note)
        _settle(house, session, rig_id, watch)
    return entry_id


def withdraw(
    house: House,
    rig_id: int,
    entry_id: int,
    *,
    back: bool = False,
    watch: Callable[[float], None] = lambda done: None,
) -> None:
    """Withdraw an entry, or bring it back, and recount; the record of both stays."""
    with house.db.writing() as session:
        store.withdraw_entry(session, rig_id, entry_id, None if back else house.now())
        _settle(house, session, rig_id, watch)


def _settle(house: House, session: Session, rig_id: int, watch: Callable[[float], None]) -> None:
    recount(session, house, rig_id, watch=watch)
    store.change_rig(session, rig_id, touched=True)
    refresh(session, house, rig_id, recounted=True)
