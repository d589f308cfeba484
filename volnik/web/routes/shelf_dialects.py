"""Dialects on the Shelf: how one kind of monitor names, rounds and limits the parameters."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.core.numbers.meanings import MEANINGS
from volnik.core.numbers.sheet import EXTRA, POWER_UP_WORDS
from volnik.core.shelf.dialects import PARAMETERS, POWER_UPS
from volnik.services.shelf import catalogue
from volnik.web.forms.fields import decimal, text
from volnik.web.forms.parts import TITLES
from volnik.web.page import page
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/shelf/dialects")
NAMES = {key: EXTRA.get(key) or MEANINGS[key].label for key in PARAMETERS}
FIGURES = ("low", "high", "step", "factory")


def _show(
    request: Request,
    key: str,
    *,
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    said: str = "",
) -> Response:
    found = catalogue.catalogue(state_of(request).context).dialects
    dialect = next((dialect for dialect in found if dialect.key == key), None)
    if dialect is None and key != "new" and found and typed is None:
        dialect = found[0]
    return page(
        request,
        "shelf/dialects.html",
        status=422 if problems else 200,
        kind="dialects",
        titles=TITLES,
        dialects=found,
        dialect=dialect,
        parameters=PARAMETERS,
        names=NAMES,
        power_ups=POWER_UPS,
        power_words=POWER_UP_WORDS,
        form=typed or _typed(dialect),
        problems=problems or {},
        said=said,
    )


def _typed(dialect: Any) -> dict[str, str]:
    """A dialect as the text of its fields."""
    shown: dict[str, str] = dict.fromkeys(
        (
            "key",
            "name",
            "what",
            "floor_pct",
            "cannot",
            "full_button",
            *(f"power-{power_up}" for power_up in POWER_UPS),
        ),
        "",
    )
    for key in PARAMETERS:
        shown |= {f"{key}-{name}": "" for name in ("label", "unit", *FIGURES)}
    if dialect is None:
        return shown | {"floor_pct": "0"}
    shown |= {
        "key": dialect.key,
        "name": dialect.name,
        "what": dialect.what,
        "floor_pct": f"{dialect.floor_pct:g}",
        "cannot": "\n".join(dialect.cannot),
        "full_button": "on" if dialect.full_button else "",
    }
    shown |= {f"power-{item}": "on" for item in dialect.power_up}
    for field in dialect.fields:
        shown |= {f"{field.key}-label": field.label, f"{field.key}-unit": field.unit}
        shown |= {
            f"{field.key}-{name}": "" if getattr(field, name) is None else f"{getattr(field, name):.10g}"
            for name in FIGURES
        }
    return shown


@router.get("")
def show(request: Request, key: str = "", said: str = "") -> Response:
    """The dialects; one of them open."""
    return _show(request, key, said={"kept": "Kept.", "off": "Taken off the Shelf."}.get(said, ""))


@router.post("")
def put(request: Request, form: FormData = Depends(guarded_form)) -> Response:
    """Keep a dialect, or take it off."""
    context = state_of(request).context
    key = text(form, "key")
    if text(form, "what_to_do") == "remove":
        catalogue.remove(context, "dialects", key)
        return RedirectResponse("/shelf/dialects?said=off", 303)
    problems: dict[str, str] = {}
    body = _body(form, problems)
    if not problems:
        try:
            catalogue.put(context, "dialects", body)
            return RedirectResponse(f"/shelf/dialects?key={key}&said=kept", 303)
        except InvalidInput as wrong:
            problems = _placed(wrong.problems, body)
    typed = _typed(None) | {name: str(value) for name, value in form.items() if isinstance(value, str)}
    return _show(request, key, typed=typed, problems=problems)


def _body(form: FormData, problems: dict[str, str]) -> dict[str, Any]:
    """The typed dialect as plain values; a parameter without a label is one the monitor has not."""
    fields = []
    for key in PARAMETERS:
        if not text(form, f"{key}-label"):
            continue
        given = {name: decimal(form, f"{key}-{name}", problems, needed=name != "factory") for name in FIGURES}
        fields.append(
            {
                "key": key,
                "label": text(form, f"{key}-label"),
                "unit": text(form, f"{key}-unit") or PARAMETERS[key][0],
                **given,
            }
        )
    floor = decimal(form, "floor_pct", problems)
    return {
        "key": text(form, "key"),
        "name": text(form, "name"),
        "what": text(form, "what"),
        "fields": fields,
        "floor_pct": floor or 0.0,
        "power_up": [power_up for power_up in POWER_UPS if form.get(f"power-{power_up}")],
        "full_button": bool(form.get("full_button")),
        "cannot": [line.strip() for line in text(form, "cannot").splitlines() if line.strip()],
    }


def _placed(problems: dict[str, str], body: dict[str, Any]) -> dict[str, str]:
    """What is wrong beside the row or field it is in."""
    placed: dict[str, str] = {}
    for place, message in problems.items():
        parts = place.split(".")
        if parts[0] == "fields" and len(parts) > 1 and parts[1].isdigit():
            key = body["fields"][int(parts[1])]["key"]
            placed[f"{key}-{parts[2] if len(parts) > 2 else 'label'}"] = message
        elif "capacity_ah" in message:
            placed["capacity_ah-label"] = message
        else:
            placed[
                parts[0] if parts[0] in ("key", "name", "what", "floor_pct", "power_up", "cannot") else "key"
            ] = message
    return placed
