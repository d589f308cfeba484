"""What was practised, by whom: rows in, plain values out."""

from __future__ import annotations

from typing import cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from volnik.core.practice.progress import Kind, Result
from volnik.store.tables import PractisedRow

MOST = 20_000  # results read at once: years of a shop


def add(session: Session, result: Result) -> None:
    """Keep a result."""
    session.add(
        PractisedRow(
            at_s=result.at_s,
            who=result.who,
            kind=result.kind,
            level=result.level,
            seed=result.seed,
            causes="+".join(result.causes),
            right=result.right,
            minutes=result.minutes,
            soonest=result.soonest,
            stopped=result.stopped,
            proven=result.proven,
        )
    )


def results(session: Session, who: str = "") -> list[Result]:
    """Results of one person, or of all, the oldest first."""
    asked = select(PractisedRow).order_by(PractisedRow.at_s.desc(), PractisedRow.id.desc()).limit(MOST)
    if who:
        asked = asked.where(PractisedRow.who == who)
    return [_result(row) for row in reversed(session.scalars(asked).all())]


def _result(row: PractisedRow) -> Result:
    return Result(
        row.who,
        row.at_s,
        cast(Kind, row.kind),
        row.level,
        row.seed,
        tuple(row.causes.split("+")),
        right=row.right,
        minutes=row.minutes,
        soonest=row.soonest,
        stopped=row.stopped,
        proven=row.proven,
    )
