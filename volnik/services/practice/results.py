"""What was practised, kept by person."""

from __future__ import annotations

from volnik.core.practice.progress import Result
from volnik.services.context import AppContext
from volnik.store import practised as store


def keep(context: AppContext, result: Result) -> None:
    """Keep what somebody came to.

    Args:
        context: the running shop.
        result: of a case, a log or a sum.
    """
    with context.change() as work:
        store.add(work.session, result)
        work.nothing_changed()


def results(context: AppContext, who: str = "") -> list[Result]:
    """What was practised, the oldest first.

    Args:
        context: the running shop.
        who: by whom, "" for all.
    """
    with context.db.reading() as session:
        return store.results(session, who)
