"""Dated entries in a rig's record: count set, full by hand, supply lost, block swapped."""

from __future__ import annotations

import math
from collections.abc import Callable

from volnik.core.count.entries import Entry
from volnik.services.context import AppContext
from volnik.services.log.recount import recount
from volnik.store import rigs as store


def check(context: AppContext, entry: Entry, *, rig_id: int | None = None) -> None:
    """Refuse an entry that cannot be.

    A bench rig's clock may run ahead of the wall clock: its last reading counts too.

    Raises:
        ValueError: when it lies in the future.
    """
    latest_s = context.now()
    if rig_id is not None:
        with context.db.reading() as session:
            at_s = store.rig(session, rig_id).summary.at_s
        latest_s = latest_s if math.isnan(at_s) else max(latest_s, at_s)
    if entry.time_s > latest_s + 60.0:
        raise ValueError("An entry cannot lie in the future.")


def enter(
    context: AppContext,
    rig_id: int,
    entry: Entry,
    note: str,
    *,
    on_progress: Callable[[float], None] = lambda done: None,
) -> int:
    """Keep a dated entry and recount; returns its id.

    Raises:
        ValueError: when it lies in the future.
    """
    check(context, entry, rig_id=rig_id)
    with context.change(rig_id) as work:
        entry_id = store.add_entry(work.session, rig_id, entry, written_s=context.now(), note=note)
        recount(work.session, context, rig_id, on_progress=on_progress)
        work.recounted()
    return entry_id


def withdraw(
    context: AppContext,
    rig_id: int,
    entry_id: int,
    *,
    back: bool = False,
    on_progress: Callable[[float], None] = lambda done: None,
) -> None:
    """Withdraw an entry, or bring it back, and recount; the record of both stays."""
    with context.change(rig_id) as work:
        store.withdraw_entry(work.session, rig_id, entry_id, None if back else context.now())
        recount(work.session, context, rig_id, on_progress=on_progress)
        work.recounted()
