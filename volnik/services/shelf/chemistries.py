"""The shop's own figures for the chemistries."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.shelf.chemistries import CHEMISTRIES, Chemistry, checked_edit, with_edits
from volnik.services.context import AppContext
from volnik.store import rigs as store


def chemistries(context: AppContext) -> dict[str, Chemistry]:
    """The table in force, the shop's edits standing before the starting figures."""
    with context.db.reading() as session:
        return table_of(session)


def table_of(session: Session) -> dict[str, Chemistry]:
    """The same, where the house is being read already."""
    return with_edits(store.shop(session, "chemistries"))


def edit(context: AppContext, key: str, given: dict[str, Any]) -> None:
    """Keep the shop's figures for one chemistry.

    Raises:
        SettingsError: naming each figure that cannot stand.
        KeyError: for an unknown chemistry.
    """
    changed = checked_edit(key, given)
    with context.change() as work:
        session = work.session
        edits = store.shop(session, "chemistries")
        before = asdict(with_edits(edits)[key])
        edits[key] = changed
        store.set_shop(session, "chemistries", edits)
        work.record(
            f"chemistries/{key}",
            f"figures of {CHEMISTRIES[key].name}",
            before=before,
            after=asdict(with_edits(edits)[key]),
        )
        work.touch_all(key)


def restore(context: AppContext, key: str) -> None:
    """Go back to the starting figures of one chemistry."""
    if key not in CHEMISTRIES:
        raise KeyError(key)
    with context.change() as work:
        session = work.session
        edits = store.shop(session, "chemistries")
        before = asdict(with_edits(edits)[key])
        edits.pop(key, None)
        store.set_shop(session, "chemistries", edits)
        work.record(
            f"chemistries/{key}",
            f"starting figures of {CHEMISTRIES[key].name}",
            before=before,
            after=asdict(CHEMISTRIES[key]),
        )
        work.touch_all(key)
