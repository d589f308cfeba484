"""Dialects on the Shelf: how one kind of monitor names, rounds and limits the parameters."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.numbers.meanings import MEANINGS
from volnik.core.numbers.sheet import EXTRA, POWER_UP_WORDS
from volnik.core.shelf.dialects import PARAMETERS, POWER_UPS
from volnik.services.shelf import catalogue
from volnik.web.forms.dialects import SentDialect, dialect_texts
from volnik.web.forms.parts import TITLES
from volnik.web.routing import PageRoute, for_installers, for_the_shop
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/shelf/dialects", route_class=PageRoute)
NAMES = {key: EXTRA.get(key) or MEANINGS[key].label for key in PARAMETERS}


def _show(
    visit: Visit,
    key: str,
    *,
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    said: str = "",
) -> Response:
    found = catalogue.catalogue(visit.context).dialects
    usual = found[0] if found and key != "new" and typed is None else None
    dialect = next((dialect for dialect in found if dialect.key == key), usual)
    return visit.page(
        "shelf/dialects.html",
        status=422 if problems else 200,
        kind="dialects",
        titles=TITLES,
        dialects=found,
        dialect=dialect,
        parameters={key: parameter.units for key, parameter in PARAMETERS.items()},
        names=NAMES,
        power_ups=POWER_UPS,
        power_words=POWER_UP_WORDS,
        form=typed or dialect_texts(dialect),
        problems=problems or {},
        said=said,
    )


@router.get("")
@for_the_shop
def show(visit: VisitDep, key: str = "", said: str = "") -> Response:
    """The dialects; one of them open."""
    return _show(visit, key, said={"kept": "Kept.", "off": "Taken off the Shelf."}.get(said, ""))


@router.post("")
@for_installers
def put(visit: VisitDep, sent: SentDialect) -> Response:
    """Keep a dialect, or take it off."""
    key = sent.pressed("key")
    if sent.pressed("what_to_do") == "remove":
        catalogue.remove(visit.context, "dialects", key)
        return RedirectResponse("/shelf/dialects?said=off", 303)
    problems = sent.problems
    if sent.form is not None:
        try:
            catalogue.put(visit.context, "dialects", sent.form.body())
            return RedirectResponse(f"/shelf/dialects?key={key}&said=kept", 303)
        except InvalidInput as wrong:
            problems = sent.form.placed(wrong.problems)
    return _show(visit, key, typed=dialect_texts(None) | sent.typed, problems=problems)
