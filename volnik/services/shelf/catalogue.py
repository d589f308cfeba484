"""The Shelf's parts: read, edited, brought in and given out as one JSON document."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.shelf.parts import KINDS, Catalogue, starting_catalogue
from volnik.core.values import Plain, read_plain
from volnik.services.context import AppContext, UnitOfWork
from volnik.store import rigs as store

MOST_BYTES = 4 << 20
_START = starting_catalogue()


def catalogue_in(session: Session) -> Catalogue:
    """The catalogue in force: the starting one until the shop changed it."""
    return catalogue_of(store.shop(session, "catalogue"))


def catalogue_of(body: dict[str, Any]) -> Catalogue:
    """The catalogue as kept; the starting one where nothing is."""
    return Catalogue.model_validate(body) if body else _START


def catalogue(context: AppContext) -> Catalogue:
    """The catalogue in force."""
    with context.db.reading() as session:
        return catalogue_in(session)


def _keep(work: UnitOfWork, found: Catalogue) -> None:
    work.touch_all()
    store.set_shop(
        work.session, "catalogue", found.model_dump(mode="json", exclude_defaults=True) | {"volnik_shelf": 1}
    )


def put(context: AppContext, kind: str, given: dict[str, Any]) -> str:
    """Keep one part, new or in the place of the one of its key; returns the key.

    Raises:
        InvalidInput: naming each figure that cannot stand.
    """
    model: type[Plain] = KINDS[kind]
    part = read_plain(model, {**given, "source": given.get("source") or "the shop's own figures"})
    key = part.key  # type: ignore[attr-defined]
    with context.change() as work:
        session = work.session
        found = catalogue_in(session)
        parts = list(getattr(found, kind))
        at = next((index for index, part in enumerate(parts) if part.key == key), None)
        before = {} if at is None else parts[at].model_dump(mode="json")
        if at is None:
            parts.append(part)
        else:
            parts[at] = part
        work.record(
            f"parts/{kind}/{key}",
            f"part {key} {'new' if at is None else 'changed'}",
            before=before,
            after=part.model_dump(mode="json"),
        )
        _keep(work, found.changed(**{kind: tuple(parts)}))
    return str(key)


def remove(context: AppContext, kind: str, key: str) -> None:
    """Take a part off the Shelf; rigs keep their copy of it."""
    with context.change() as work:
        session = work.session
        found = catalogue_in(session)
        work.record(f"parts/{kind}/{key}", f"part {key} taken off the Shelf")
        _keep(work, found.changed(**{kind: tuple(name for name in getattr(found, kind) if name.key != key)}))


def bring_in(context: AppContext, text: bytes, *, whole: bool = False) -> int:
    """Take parts from a JSON document in; those of a known key replace it. Returns how many were read.

    Args:
        whole: replace the whole catalogue instead.

    Raises:
        InvalidInput: with a sentence for each place at fault; nothing is kept then.
    """
    body = _shelf_document(text)
    given = read_plain(Catalogue, body)
    kinds = [kind for kind in KINDS if kind in body]
    with context.change() as work:
        work.record("parts", "a Shelf document taken in")
        _keep(work, given if whole else _merged(catalogue_in(work.session), given, kinds))
    return sum(len(getattr(given, kind)) for kind in kinds)


def _shelf_document(text: bytes) -> dict[str, Any]:
    """A Shelf document as parsed; raises InvalidInput for what is none."""
    if len(text) > MOST_BYTES:
        raise InvalidInput({"file": f"A Shelf document has at most {MOST_BYTES >> 20} MiB."})
    try:
        body = json.loads(text)
    except (ValueError, RecursionError):
        raise InvalidInput({"file": "This is not JSON."}) from None
    if not isinstance(body, dict) or body.get("volnik_shelf") != 1:
        missing = "This is no Shelf document of version 1: the key volnik_shelf with the value 1 is missing."
        raise InvalidInput({"file": missing})
    return body


def _merged(found: Catalogue, given: Catalogue, kinds: list[str]) -> Catalogue:
    """A catalogue with the parts of another put in; those of a known key replace it."""
    merged = {}
    for kind in kinds:
        by_key = {part.key: part for part in (*getattr(found, kind), *getattr(given, kind))}
        merged[kind] = tuple(by_key.values())
    return found.changed(**merged)


def give_out(context: AppContext) -> str:
    """The catalogue as JSON."""
    body = catalogue(context).model_dump(mode="json", exclude_defaults=True) | {"volnik_shelf": 1}
    return json.dumps({"volnik_shelf": 1, **body}, indent=2, ensure_ascii=False) + "\n"


def start_again(context: AppContext) -> None:
    """Go back to the parts the Shelf starts with."""
    with context.change() as work:
        store.set_shop(work.session, "catalogue", {})
        work.record("parts", "back to the parts the Shelf starts with")
        work.touch_all()
