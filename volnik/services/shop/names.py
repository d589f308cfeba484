"""Who works here: a list of names.

There are no accounts; each browser says once who holds it, records store the name.
"""

from __future__ import annotations

from volnik.core.errors import Refused
from volnik.services.context import House
from volnik.store import rigs as store

NOBODY = "name not given"


def names(house: House) -> list[str]:
    """The names, in the order they were added."""
    with house.db.reading() as session:
        return list(store.shop(session, "names").get("names", []))


def add_name(house: House, name: str) -> str:
    """Add a name; one already there stays once. Returns it as kept.

    Raises:
        Refused: for no name, or one too long.
    """
    told = " ".join(name.split())
    if not 1 <= len(told) <= 40:
        raise Refused({"who": "A name has 1 to 40 letters."})
    with house.db.writing() as session:
        known = list(store.shop(session, "names").get("names", []))
        if told not in known:
            store.set_shop(session, "names", {"names": [*known, told][-60:]})
    return told


def drop_name(house: House, name: str) -> None:
    """Take a name off the list; records keep it."""
    with house.db.writing() as session:
        known = list(store.shop(session, "names").get("names", []))
        store.set_shop(session, "names", {"names": [item for item in known if item != name]})
