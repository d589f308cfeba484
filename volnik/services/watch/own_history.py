"""The monitor's own history page: typed, kept with what it says, held against the log."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy.orm import Session

from volnik.core.rig.rig import timeline
from volnik.core.watch.own_history import Beside, OwnHistory, OwnRemark, judge, own_history
from volnik.services.context import AppContext
from volnik.services.path.read import read_path
from volnik.services.watch import notes
from volnik.services.watch.sums import SumsView
from volnik.store import rigs as store
from volnik.store import watching

KIND = "own_history"


@dataclass(frozen=True, slots=True)
class OwnHistoryRead:
    """One reading of that page: number, when [s], by whom, its figures, and what they say."""

    id: int
    time_s: float
    who: str
    own: OwnHistory
    remarks: list[OwnRemark]


def own_histories(context: AppContext, rig_id: int, sums: SumsView) -> list[OwnHistoryRead]:
    """All readings of the page, latest first; nothing is judged without a bank.

    Args:
        sums: what the log of the rig came to.
    """
    with context.db.reading() as session:
        kept = watching.notes(session, rig_id, KIND)
        if not kept or store.rig(session, rig_id).bank is None:
            return []
        beside = _beside(session, context, rig_id, sums)
    found = []
    before: OwnHistory | None = None
    for note in kept:
        own = OwnHistory(**{key: float(value) for key, value in note.body["figures"].items()})
        held = Beside(beside.chemistry, beside.cells, beside.capacity_ah, beside.logged_ah, before)
        found.append(OwnHistoryRead(note.id, note.time_s, note.who, own, judge(own, held)))
        before = own
    return found[::-1]


def _beside(session: Session, context: AppContext, rig_id: int, sums: SumsView) -> Beside:
    path = read_path(session, context, rig_id)
    versions = timeline(store.numbers_versions(session, rig_id))
    capacity_ah = versions[-1].numbers.capacity_ah if versions else math.nan
    logged_ah = math.nan if sums.life is None else sums.life.out_ah
    return Beside(path.chemistry, path.bank.cells, capacity_ah, logged_ah)


def keep_own_history(
    context: AppContext,
    rig_id: int,
    figures: Mapping[str, float | None],
    *,
    time_s: float,
    who: str,
    now_s: float,
) -> int:
    """Keep the page as read; returns the note's number.

    Raises:
        InvalidInput: naming each figure that cannot be, or an instant to come.
    """
    own = own_history(figures)
    body = {"figures": own.to_dict()}
    return notes.add(context, rig_id, KIND, time_s=time_s, who=who, body=body, now_s=now_s)
