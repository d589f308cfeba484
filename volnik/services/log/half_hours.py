"""A rig's log in half hours, made piece by piece and kept while the piece stands."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.watch.half_hours import Slots, joined, slots
from volnik.services.context import House
from volnik.services.log.counted_log import Tape

MOST_PIECES = 6_000  # of all rigs, some 5 kB each
QUICK_PIECES = 60  # made while a page waits; more of them go through a job


def _key(tape: Tape, seq: int) -> tuple[Any, ...]:
    piece = tape.pieces[seq]
    return (
        tape.rig_id,
        piece.source_id,
        piece.chunk_seq,
        piece.first,
        piece.last,
        piece.state.row().tobytes(),
        piece.numbers_id,
        piece.entries_done,
    )


def waiting(house: House, tape: Tape) -> int:
    """How many pieces of a log are still to be made into half hours."""
    with house.lock:
        kept: OrderedDict[Any, Slots] = house.slots
        return sum(_key(tape, seq) not in kept for seq in range(len(tape.pieces)))


def half_hours(
    session: Session, house: House, tape: Tape, *, watch: Callable[[float], None] = lambda done: None
) -> Slots:
    """The whole log in half hours; what was made before is taken as it is.

    Args:
        watch: told the share done, 0..1; may raise to stop.
    """
    parts = []
    for seq, piece in enumerate(tape.pieces):
        key = _key(tape, seq)
        with house.lock:
            made = house.slots.get(key)
        if made is None:
            readings = tape.readings(session, house, piece)
            counter = tape.counter(piece)
            counted = counter.feed(readings.time_s, readings.volts, readings.amps, gap_s=piece.gap_s)
            made = slots(readings, counted, counter.numbers, gap_s=piece.gap_s, before_s=piece.state.last_s)
            with house.lock:
                house.slots[key] = made
                while len(house.slots) > MOST_PIECES:
                    house.slots.popitem(last=False)
            watch((seq + 1) / len(tape.pieces))
        parts.append(made)
    return joined(parts)
