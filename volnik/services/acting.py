"""Who is at work in a request or a job, and what he has seen: asked by whatever keeps a change."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass


@dataclass(slots=True)
class Acting:
    """Someone at work.

    Attributes:
        who: the name given.
        seen: the last change that was on record when his page was made; None where he has none.
        page: tells the page he works on from others, "" where it does not say.
        made: the last change he made himself, 0 before the first.
    """

    who: str
    seen: int | None = None
    page: str = ""
    made: int = 0


_acting: ContextVar[Acting | None] = ContextVar("who is at work", default=None)


def acting() -> Acting | None:
    """Who is at work here, or None: Volnik itself, or a command."""
    return _acting.get()


def begin_acting(who: Acting) -> None:
    """Say who is at work for the rest of this request."""
    _acting.set(who)


@contextmanager
def acting_as(who: Acting) -> Iterator[Acting]:
    """Say who is at work inside."""
    token = _acting.set(who)
    try:
        yield who
    finally:
        _acting.reset(token)
