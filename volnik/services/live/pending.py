"""Readings that came in, settled into the log.

A source a bridge, and the count carried on from where it stood.
"""

from __future__ import annotations

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.readings import Readings
from volnik.services.context import AppContext
from volnik.services.log.recount import recount
from volnik.store import logs, tokens

GAP_OF_INTERVAL, LEAST_GAP_S = 10.0, 300.0  # a longer silence is a gap: what flowed in it nobody knows


def bridge_gap_s(interval_s: float) -> float:
    """The longest interval of a live source that is counted, from what its bridge declares.

    Max(300, 10 x interval) [s].

    Source: docs/domain/count.md, rule 6.
    """
    return max(LEAST_GAP_S, GAP_OF_INTERVAL * interval_s)


def ingest_pending(context: AppContext, rig_id: int) -> int:
    """Settle what came in for a rig; returns how many readings. A reading that already stands is dropped.

    Kept first, forgotten after: a process that dies between meets the same readings again and drops them.
    """
    with context.db.reading() as session:
        bridges = [token for token in tokens.tokens(session, rig_id=rig_id) if token.is_bridge]
    tails = [(token, tail) for token in bridges if (tail := context.live.tail(token.id)) is not None]
    if not tails:
        return 0
    # a bench rig's play does not make a demo rig the shop's own
    by_user = any(token.kind == "bridge" for token, _ in tails)
    with context.change(rig_id, by_user=by_user) as work:
        session = work.session
        since_s = min(_add(session, context, rig_id, bridge, tail) for bridge, tail in tails)
        recount(session, context, rig_id, since_s=since_s)
        work.recounted()
    for bridge, tail in tails:
        context.live.forget(bridge.id, tail)
    return sum(len(tail) for _, tail in tails)


def _add(session: Session, context: AppContext, rig_id: int, bridge: tokens.Token, tail: Readings) -> float:
    """Add a bridge's readings to its source.

    A new source is begun where its interval or its quantities changed.
    """
    mine = _sources_of(session, rig_id, bridge, withdrawn=False)
    gap_s = bridge_gap_s(bridge.interval_s)
    if mine and mine[-1].gap_s == gap_s and not set(tail.extra) - set(mine[-1].columns):
        return logs.append(session, mine[-1], tail)[1]
    since_s = float(tail.time_s[0])
    if mine:  # what the earlier source already holds stands
        fresh = tail.time_s > mine[-1].end_ms / 1000.0
        if not fresh.any():
            return logs.append(session, mine[-1], tail)[1]
        if not fresh.all():
            first = int(np.argmax(fresh))
            since_s = logs.append(session, mine[-1], tail.part(0, first))[1]
            tail = tail.part(first, len(tail))
    # begun anew however often: a withdrawn source keeps its own mark
    count = len(_sources_of(session, rig_id, bridge))
    logs.add_source(
        session,
        rig_id,
        tail,
        kind="bridge",
        name=bridge.name + (f", part {count + 1}" if count else ""),
        digest=f"bridge:{bridge.id}:{count}",
        arrived_s=context.now(),
        gap_s=gap_s,
        report={"bridge": bridge.id, "bench": bridge.kind == "bench", "problems": [], "left_out": 0},
    )
    return since_s


def _sources_of(
    session: Session, rig_id: int, bridge: tokens.Token, *, withdrawn: bool = True
) -> list[logs.Source]:
    """The sources a bridge's readings went into, oldest first."""
    found = logs.sources(session, rig_id) if withdrawn else logs.sources(session, rig_id, withdrawn=False)
    return [
        source for source in found if source.kind == "bridge" and source.report.get("bridge") == bridge.id
    ]
