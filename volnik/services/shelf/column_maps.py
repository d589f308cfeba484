"""How files of given headings were read before, remembered for the next one."""

from __future__ import annotations

from typing import Any

from volnik.services.context import AppContext
from volnik.store import rigs as store

MOST_REMEMBERED = 200


def remembered(context: AppContext, signature: str) -> dict[str, Any] | None:
    """The mapping last used for files of these headings, or None."""
    with context.db.reading() as session:
        found = store.shop(session, "column_maps").get(signature)
    return dict(found) if found else None


def remember(context: AppContext, signature: str, mapping: dict[str, Any]) -> None:
    """Remember a mapping that worked; the oldest are forgotten beyond a few hundred."""
    with context.change() as work:
        session = work.session
        maps = store.shop(session, "column_maps")
        maps.pop(signature, None)
        maps[signature] = mapping
        while len(maps) > MOST_REMEMBERED:
            maps.pop(next(iter(maps)))
        store.set_shop(session, "column_maps", maps)
