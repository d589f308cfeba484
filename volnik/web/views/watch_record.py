"""What the Watch page says of its log: sources, what happened to the count, the ledger, an import."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from volnik.core.watch.formatting import span_words
from volnik.services.log.counted_log import Moment
from volnik.services.log.sources import SourceView
from volnik.services.watch.view import Happened, WatchView
from volnik.web.page import ah, minutes, number, percent, thousands, tidy_number, when
from volnik.web.plural import count_of

EVENT_WORDS = {
    "reset": "full reset",
    "numbers": "new numbers",
    "set": "count set by hand",
    "full": "full by hand",
    "supply_lost": "supply lost",
    "block_swapped": "battery swapped",
}
OPENED_BY = {
    "reset": "the full reset",
    "full": "full by hand",
    "set": "the count set by hand",
    "supply_lost": "the loss of supply",
    "block_swapped": "the battery swap",
}
MOST_EVENTS = 8
WHOLE = 0.999  # of a source's time; what is less is told
WORTH_A_LINE_AH = 0.05


@dataclass(frozen=True, slots=True)
class SourceLine:
    """A source of readings: what it is, and whether it was withdrawn."""

    id: int
    name: str
    what: str
    withdrawn: bool


@dataclass(frozen=True, slots=True)
class EventLine:
    """Something that happened to the count; `entry` is the entry that can be withdrawn, or None."""

    when: str
    what: str
    entry: int | None


@dataclass(frozen=True, slots=True)
class Ledger:
    """The ledger's words: since when it was opened, its lines, and how charge and hours are reckoned."""

    since: str
    lines: list[tuple[str, str, str]]
    balance: str
    charge: str
    hours: str


@dataclass(frozen=True, slots=True)
class RecordPage:
    """The log's record.

    Attributes:
        sources: where readings came from.
        events: what happened last;
        earlier: what came before, with `earlier_label` over it.
        empty: what to do where there is no count yet, as heading and lead, None where there is.
    """

    sources: list[SourceLine]
    events: list[EventLine]
    earlier: list[EventLine]
    earlier_label: str
    empty: tuple[str, str] | None


def record_page(view: WatchView, sources: list[SourceView], zone: str) -> RecordPage:
    """The words of a log's record."""
    events = [] if view.counted_log is None else list(view.counted_log.events)
    doubts = {(happened.event.kind, happened.event.time_s): happened for happened in view.told}
    counted = [event for event in events if event.kind != "gap"]
    dated = [(event.time_s, _event(event, zone, doubts.get((event.kind, event.time_s)))) for event in counted]
    kinds = {event.kind for event in counted}
    dated += [
        (happened.event.time_s, _beside(happened, zone))
        for happened in view.told
        if happened.event.kind not in kinds | {"numbers"}
    ]
    lines = [line for _, line in sorted(dated, key=lambda pair: -pair[0])]
    earlier = lines[MOST_EVENTS:]
    return RecordPage(
        [_source(source, zone) for source in sources],
        lines[:MOST_EVENTS],
        earlier,
        f"{len(earlier)} earlier" if earlier else "",
        _empty(sources, zone) if view.now is None else None,
    )


def _source(view: SourceView, zone: str) -> SourceLine:
    source = view.source
    span = f"{when(source.start_s, zone, 'short')} – {when(source.end_s, zone, 'short')}"
    said = (
        f"{source.kind}, {thousands(source.readings)} readings, {span}; gap beyond "
        f"{minutes(source.gap_s)} min."
    )
    if source.withdrawn_s:
        said += " Withdrawn."
    elif source.kind == "beside":
        said += " Kept beside, never counted."
    elif view.speaks < WHOLE:
        said += f" {percent(view.speaks)} % of it counts; the rest is set aside for an earlier source."
    return SourceLine(source.id, source.name, said, bool(source.withdrawn_s))


def _beside(happened: Happened, zone: str) -> EventLine:
    """What happened beside the count: a silence, a change, volts at rest."""
    event = happened.event
    said = event.words
    if event.kind == "gap":
        said = f"no readings for {span_words((event.end_s - event.time_s) / 3600.0)}"
    if event.kind in ("gap", "rest"):
        said += _doubt(happened)
    return EventLine(when(event.time_s, zone, "short"), said, None)


def _doubt(happened: Happened | None) -> str:
    """What an event did to the doubt of the count, "" where that is not known or it did nothing."""
    if happened is None or math.isnan(happened.before) or math.isnan(happened.after):
        return ""
    before, after = percent(happened.before), percent(happened.after)
    return "" if before == after else f"; ± {before} became ± {after} %"


def _event(event: Any, zone: str, happened: Happened | None = None) -> EventLine:
    said = EVENT_WORDS[event.kind]
    if event.kind in ("reset", "full", "set") and not math.isnan(event.before.deficit_ah):
        said += f": the count stood {ah(event.before.deficit_ah)} Ah below full"
    if event.body.get("note"):
        said += f": {event.body['note']}"
    said += _doubt(happened)
    return EventLine(when(event.time_s, zone, "short"), said, event.body.get("entry"))


def _empty(sources: list[SourceView], zone: str) -> tuple[str, str]:
    """What to do where there is no count yet."""
    if not sources:
        return "No readings yet.", (
            "Give Watch a log: CSV, JSON Lines or Parquet with time, volts and amps. Readings can be "
            "gzipped; "
            "other column names are mapped on the next page."
        )
    if all(view.source.withdrawn_s for view in sources):
        return "Every source is withdrawn.", "Bring one back below, or import another."
    standing = [view.source for view in sources if not view.source.withdrawn_s]
    count = thousands(sum(source.readings for source in standing))
    last = when(max(source.end_s for source in standing), zone, "short")
    return "The log is here; the numbers are not.", (
        f"{count} readings, the last of {last}. Describe the battery, save the numbers, and the log is "
        "counted; "
        "as they came the readings can be exported now."
    )


def ledger(now: Moment, zone: str) -> Ledger:
    """The amp ledger at an instant."""
    book, numbers = now.book, now.numbers
    since = "since the log began"
    if now.opened is not None:
        since = f"since {OPENED_BY[now.opened.kind]}, {when(now.opened.time_s, zone, 'short')}"
    lines = [("brought forward", ah(book.brought_ah), ""), ("taken out", ah(book.out_ah), "")]
    if book.peukert_ah >= WORTH_A_LINE_AH:
        lines.append(("lost to high rates", ah(book.peukert_ah), ""))
    lines += [("put in", "", ah(book.in_ah)), ("lost in charging", ah(book.efficiency_ah), "")]
    if book.clamp_ah >= WORTH_A_LINE_AH:
        lines.append(("came in when full", ah(book.clamp_ah), ""))
    balance, capacity = ah(book.balance_ah), tidy_number(numbers.capacity_ah)
    charge = f"Charge = 1 − {balance} ÷ {capacity} Ah." if book.known else ""
    return Ledger(since, lines, balance, charge, _hours(now, balance, capacity))


def _hours(now: Moment, balance: str, capacity: str) -> str:
    """How the hours to the reserve, or to full, are reckoned; "" where there are none."""
    runtime, numbers = now.runtime, now.numbers
    mean = f"the mean booked over {minutes(numbers.runtime_window_s)} min"
    if runtime.to_reserve_h is not None and now.book.known:
        kept = f"({capacity} Ah × (1 − {tidy_number(numbers.reserve_pct)} %) − {balance} Ah)"
        steady = "A steady rate is taken for granted: a fridge that starts or sun that comes changes it."
        return f"Hours = {kept} ÷ {number(runtime.rate_a, 2)} A, {mean}. {steady}"
    if runtime.to_full_h is not None:
        taper = "the taper of absorption is not in it"
        return f"Hours to full = {balance} Ah ÷ {number(-runtime.rate_a, 2)} A, {mean}; {taper}."
    return ""


def import_report(fresh: SourceView, zone: str, *, again: bool) -> str:
    """What an import took in and left out."""
    source, report = fresh.source, fresh.source.report
    if again:
        return f"These very readings are here already as {source.name}; nothing was changed."
    span = f"{when(source.start_s, zone, 'short')} to {when(source.end_s, zone, 'short')}"
    said = [f"{source.name}: {thousands(source.readings)} readings, {span}."]
    if report.get("left_out"):
        said.append(f"{count_of(report['left_out'], 'line')} left out.")
    if report.get("duplicates"):
        said.append(f"{report['duplicates']} repeated instants dropped; the first of each is kept.")
    if back := report.get("steps_back"):
        times = count_of(len(back), "time")
        said.append(f"The clock went back {times} (first at line {back[0][0]}); readings were sorted.")
    return " ".join(said)
