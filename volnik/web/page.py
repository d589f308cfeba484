"""Pages: the template environment, the filters that own rounding and sign, and what every page is given."""

from __future__ import annotations

import math
import time
from datetime import datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined

from volnik import __version__
from volnik.core.columns import column
from volnik.core.instants import iso_text
from volnik.core.numbers.meanings import MEANINGS, POWER_UP, questions
from volnik.core.rig.rig import SILHOUETTES
from volnik.core.units import System, temperature
from volnik.core.watch.checkup.cause import odds_in_words
from volnik.core.watch.formatting import is_lopsided, since_words, span_words, times_words
from volnik.services.acting import acting
from volnik.services.context import AppContext
from volnik.services.yard.rigs import rig_of_demo
from volnik.web.plural import count_of
from volnik.web.security import COOKIE, form_token, visitor
from volnik.web.state import state_of
from volnik.web.tour import DEMO_KEY, TOUR_COOKIE, TourPanel, step_in, tour_panel
from volnik.web.us_units import in_us_units, shown_in, shown_unit, system_in

HERE = Path(__file__).parent
DASH = "–"
CONTROLS = "127.0.0.1:"  # where a bench rig's controls are, in its bridge's name


def number(value: float | None, digits: int = 1, *, sign: bool = False) -> str:
    """A figure with a true minus sign; a dash when it is unknown."""
    if value is None or math.isnan(value):
        return DASH
    rounded = round(value, digits) + 0.0
    text = f"{rounded:+.{digits}f}" if sign and rounded else f"{rounded:.{digits}f}"
    return text.replace("-", "−")


def percent(share: float, digits: int = 0) -> str:
    """A share 0..1, such as a charge, as percent without its sign; a dash when unknown."""
    if math.isnan(share) or digits:
        return number(100 * share, digits)
    return f"{math.floor(100 * share + 0.5):d}".replace("-", "−")


def minutes(seconds: float) -> str:
    """Seconds as minutes, with no needless zeros."""
    return tidy_number(round(seconds / 60, 2))


def kwh(watt_hours: float) -> str:
    """Energy in kWh."""
    return number(watt_hours / 1000, 2)


YEAR_TOLD_S = 300.0 * 86_400.0  # further from now than this, a day is told with its year


def thousands(count: int) -> str:
    """A count with its thousands apart."""
    return f"{count:,}".replace(",", " ")


def ah(value: float) -> str:
    """Ah, with a decimal while small."""
    return number(value, 1 if abs(value) < 100 else 0)


def when(seconds: float, zone: str, style: str = "long") -> str:
    """An instant on the rig's own clock; "short" tells its year only where it is long past."""
    if math.isnan(seconds):
        return DASH
    local = datetime.fromtimestamp(seconds, ZoneInfo(zone))
    if style == "short" and abs(time.time() - seconds) > YEAR_TOLD_S:
        style = "dated"
    return local.strftime(
        {
            "dated": "%-d %b %Y %H:%M",
            "long": "%a %-d %b %Y %H:%M",
            "short": "%-d %b %H:%M",
            "day": "%-d %b %Y",
            "field": "%Y-%m-%dT%H:%M",
        }[style]
    )


def give_or_take(width: Any, soc: float) -> str:
    """The width beside the number: "± 5", or from where to where when it is lopsided."""
    up, down = 100.0 * (width.high - soc), 100.0 * (soc - width.low)
    if is_lopsided(soc, width.low, width.high):
        return f"{100 * width.low:.0f} to {100 * width.high:.0f}"
    return f"± {max(1.0, up, down):.0f}"


def since_full(seconds: float) -> str:
    """How long since full, as the begin of a sentence: "6 days since full"."""
    days = seconds / 86400.0
    if days < 1.0:
        return f"{seconds / 3600.0:.0f} h since full" if seconds >= 3600.0 else "Full just now"
    return "One day since full" if days < 2.0 else f"{int(days)} days since full"


def tidy_number(value: float | None) -> str:
    """A figure as one would type it: no needless zeros."""
    return "" if value is None else f"{value:.10g}"


def as_temperature(celsius: float, system: str) -> str:
    """A temperature with its unit in the wanted system."""
    value, unit = temperature(celsius, "us" if system == "us" else "metric")
    return f"{number(value, 1)} {unit}"


DIGITS = {"V": 2, "A": 2, "W": 0, "%": 0}


def figure_words(name: str, value: float, system: str) -> str:
    """A figure of a column with its unit; a switch as on or off.

    Args:
        name: of the column.
        value: in its unit.
        system: of units, "metric" or "us".
    """
    found = column(name)
    unit = "" if found is None else found.of.unit
    if unit == "°C":
        return as_temperature(value, system)
    if found is not None and found.kind == "switch":
        return "on" if value > 0.5 else "off"
    digits = 3 if found is not None and found.kind == "cell_volts" else DIGITS.get(unit, 1)
    return f"{number(value, digits)} {unit}".strip()


def _environment() -> Environment:
    environment = Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters |= {
        "number": number,
        "percent": percent,
        "minutes": minutes,
        "kwh": kwh,
        "thousands": thousands,
        "count_of": count_of,
        "ah": ah,
        "when": when,
        "tidy": tidy_number,
        "times": times_words,
        "since": since_words,
        "give_or_take": give_or_take,
        "since_full": since_full,
        "span": span_words,
        "temperature": as_temperature,
        "shown_in": shown_in,
        "shown_unit": shown_unit,
        "iso": iso_text,
        "odds": odds_in_words,
        "known": lambda value: not math.isnan(value),
    }
    environment.globals |= {
        "version": __version__,
        "meanings": MEANINGS,
        "questions": questions(),
        "silhouettes": SILHOUETTES,
        "power_ups": POWER_UP,
    }
    return environment


ENVIRONMENT = _environment()


def preferences(request: Request) -> tuple[str, System]:
    """This browser's theme and units."""
    theme = request.cookies.get("volnik_theme", "day")
    return (theme if theme in ("day", "night") else "day"), system_in(request)


def _seen(context: AppContext) -> int:
    """The last change that what is rendered now shows: his own, the one his page showed, or the newest."""
    who = acting()
    if who is not None and (who.made or who.seen is not None):
        return who.made or who.seen or 0
    return context.newest_change()


def _tour(request: Request) -> TourPanel | None:
    """The tour's panel where this browser is led round the demo."""
    number = step_in(request.cookies.get(TOUR_COOKIE))
    if not number:
        return None
    state = state_of(request)
    rig_id = rig_of_demo(state.context, DEMO_KEY)
    if rig_id is None:
        return None
    now = state.live.now(rig_id)
    name = "" if now is None or now.bridge.kind != "bench" else now.bridge.name
    return tour_panel(number, f"http://{name[name.find(CONTROLS) :]}/" if CONTROLS in name else "")


def fragment(request: Request, template: str, **given: Any) -> str:
    """Render a template as text."""
    theme, units = preferences(request)
    context = state_of(request).context
    rendered = ENVIRONMENT.get_template(template).render(
        theme=theme,
        units=units,
        token=form_token(request),
        here=request.url.path,
        now_s=context.now(),
        trouble=context.disk_trouble(),
        record_head=context.record_head,
        tour=_tour(request),
        **{"seen": _seen(context), **given},
    )
    return in_us_units(rendered) if units == "us" else rendered


def page(request: Request, template: str, *, status: int = 200, **given: Any) -> HTMLResponse:
    """Render a page or a fragment as the answer."""
    answer = HTMLResponse(fragment(request, template, http_status=status, **given), status)
    answer.headers["cache-control"] = "no-store"
    if COOKIE not in request.cookies:
        answer.set_cookie(
            COOKIE,
            visitor(request),
            httponly=True,
            samesite="strict",
            secure=request.url.scheme == "https",
            max_age=400 * 86400,
        )
    return answer
