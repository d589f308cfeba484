"""Pages in US units: what is told in °C and metres is told in °F and feet, wherever it stands in a page.

Sentences come from many places, findings of the core among them, all in SI. They are put into the browser's
units where the page leaves, once, instead of at each place. Only text is touched, and what a drawing or a
field is called; never what stands in a field, a script, or a sum.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from starlette.requests import Request

from volnik.core.units import LENGTH, System, fahrenheit

UNITS_COOKIE = "volnik_units"

_TAG = re.compile(r"(<[^<>]*>)")
_NAMED = re.compile(r'\b(aria-label|title|content)="([^"]*)"')
_UNTOUCHED = ("textarea", "script", "style", "option", "pre")
_NUMBER = r"(?<![\w.,])([-−]?\d{1,4}(?:[.,]\d{1,3})?)"
_DEGREES = re.compile(rf"(?:{_NUMBER}( to | and |–))?{_NUMBER} °C")
_METRES = re.compile(rf"(?<!× )(?:{_NUMBER}( to | and |–))?(?<!× ){_NUMBER} m\b(?![²³/·])")


US_OF = {"°C": "°F", "m": "ft"}
"""What a field is labelled with in US units."""


def shown_unit(unit: str, system: str) -> str:
    """The unit a field is labelled with.

    Args:
        unit: that its figure is kept in.
        system: of units the browser shows.
    """
    return US_OF.get(unit, unit) if system == "us" else unit


def shown_in(value: float | None, unit: str, system: str) -> str:
    """A kept figure as it stands in its field, "" for None.

    Args:
        value: in its unit.
        unit: that it is kept in.
        system: of units the browser shows.
    """
    if value is None:
        return ""
    if system == "us" and unit == "°C":
        value = round(fahrenheit(value), 2)
    if system == "us" and unit == "m":
        value = round(LENGTH["us"].shown(value), 2)
    return f"{value:.10g}"


def system_in(request: Request) -> System:
    """The units this browser chose."""
    return "us" if request.cookies.get(UNITS_COOKIE) == "us" else "metric"


def in_us_units(page: str) -> str:
    """A page, or a part of one, with its temperatures and lengths in US units.

    Args:
        page: HTML as rendered.
    """
    parts = _TAG.split(page)
    inside = ""
    for at, part in enumerate(parts):
        if part.startswith("<"):
            inside = _inside(part, inside)
            parts[at] = _NAMED.sub(lambda found: f'{found[1]}="{_told(found[2])}"', part)
        elif not inside:
            parts[at] = _told(part)
    return "".join(parts)


def _inside(tag: str, inside: str) -> str:
    """The untouched element a text stands in after a tag, "" for none."""
    name = tag.strip("</>").split(maxsplit=1)[0].lower() if len(tag) > 2 else ""
    if inside:
        return "" if tag == f"</{inside}>" else inside
    return name if name in _UNTOUCHED and not tag.startswith("</") else ""


def _told(text: str) -> str:
    if "°C" in text:
        text = _DEGREES.sub(lambda found: _figures(found, fahrenheit, "°F", 0), text)
    if " m" in text:
        text = _METRES.sub(lambda found: _figures(found, LENGTH["us"].shown, LENGTH["us"].name, 1), text)
    return text


def _figures(found: re.Match[str], convert: Callable[[float], float], unit: str, decimals: int) -> str:
    """One figure, or a span of two, in another unit."""
    told = [_one(figure, convert, decimals) for figure in (found[1], found[3]) if figure]
    return f"{(found[2] or '').join(told)} {unit}"


def _one(figure: str, convert: Callable[[float], float], decimals: int) -> str:
    minus = "−" if "−" in figure else "-"
    value = convert(float(figure.replace("−", "-").replace(",", ".")))
    return f"{round(value, decimals):.{decimals}f}".replace("-", minus)
