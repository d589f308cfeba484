"""Who works here: a list of names.

There are no accounts; each browser says once who holds it, records store the name.
"""

from __future__ import annotations

from volnik.core.changes import NOBODY
from volnik.core.errors import InvalidInput
from volnik.services.context import AppContext
from volnik.store import rigs as store

__all__ = ["NOBODY", "add_name", "names"]


def names(context: AppContext) -> list[str]:
    """The names, in the order they were added."""
    with context.db.reading() as session:
        return list(store.shop(session, "names").get("names", []))


def add_name(context: AppContext, name: str) -> str:
    """Add a name; one already there stays once. Returns it as kept.

    Raises:
        InvalidInput: for no name, or one too long.
    """
    message = " ".join(name.split())
    if not 1 <= len(message) <= 40:
        raise InvalidInput({"who": "A name has 1 to 40 letters."})
    with context.change() as work:
        session = work.session
        known = list(store.shop(session, "names").get("names", []))
        if message not in known:
            store.set_shop(session, "names", {"names": [*known, message][-60:]})
            work.record("names", f"the name {message} added", adds=True)
    return message
