"""Due dates as an iCalendar feed (RFC 5545)."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from icalendar import Calendar, Event


@dataclass(frozen=True, slots=True)
class Dated:
    """One date: a mark that stays the same while it is the same thing, rig, what to do, when [s], why,
    whether it is late.
    """

    mark: str
    rig: str
    what: str
    at_s: float
    why: str
    late: bool = False


def calendar_text(dates: Iterable[Dated], *, now_s: float, shop: str) -> bytes:
    """All dates as whole-day events; one that is late stands today, so that it is seen."""
    made = Calendar()
    made.add("prodid", "-//Volnik//Watch//EN")
    made.add("version", "2.0")
    made.add("x-wr-calname", shop or "Volnik")
    made.add("refresh-interval", timedelta(hours=6), parameters={"VALUE": "DURATION"})
    today = datetime.fromtimestamp(now_s, UTC).date()
    for item in dates:
        event = Event()
        day: date = today if item.late else datetime.fromtimestamp(item.at_s, UTC).date()
        event.add("uid", f"{item.mark}@volnik")
        event.add("dtstamp", datetime.fromtimestamp(now_s, UTC))
        event.add("dtstart", day)
        event.add("dtend", day + timedelta(days=1))
        event.add("summary", f"{item.rig}: {item.what}" + (" (overdue)" if item.late else ""))
        event.add("description", item.why)
        event.add("transp", "TRANSPARENT")
        made.add_component(event)
    return bytes(made.to_ical())
