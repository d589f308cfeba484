"""What the Watch page shows at one instant."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from volnik.core.count.epochs import Event
from volnik.core.count.toward import ResetLamp
from volnik.core.findings import Finding
from volnik.core.rig.rig import Rig
from volnik.core.watch.outlook import Outlook, outlook
from volnik.core.watch.strip import ChartWindow
from volnik.services.context import AppContext
from volnik.services.log.band import Width, WidthNow, width_of
from volnik.services.log.count_findings import count_findings
from volnik.services.log.counted_log import CountedLog, Moment, moment, open_counted_log
from volnik.services.log.history import history
from volnik.services.log.outage import after_outage
from volnik.services.log.toward import lamps_of, press_words
from volnik.services.watch.strip import strip_window
from volnik.store import rigs as store


@dataclass(frozen=True, slots=True)
class WatchView:
    """A rig at an instant.

    Attributes:
        rig: the rig.
        counted_log: its opened count, or None while there is nothing to count.
        now: the moment asked for, or None.
        ahead: where the level will stand if this goes on, or None.
        findings: what the count gives cause to say.
        width: the band at the moment, or None while it is reckoned or nothing is known.
        told: all that happened, in order of time, with half the width of the band before and after it.
        lamps: what the next full reset wants and has, none inside a gap.
        press: what to do at a monitor that finds no full by itself, "" for nothing.
    """

    rig: Rig
    counted_log: CountedLog | None
    now: Moment | None
    ahead: list[Outlook]
    findings: list[Finding]
    width: WidthNow | None = None
    told: tuple[Happened, ...] = ()
    lamps: tuple[ResetLamp, ...] = ()
    press: str = ""


@dataclass(frozen=True, slots=True)
class Happened:
    """Something that happened to a rig, and what it did to the doubt of its count [0..1]; NaN while unknown.

    Attributes:
        event: what.
        before, after: half the width of the band.
    """

    event: Event
    before: float
    after: float


def _happened(width: Width | None, events: list[Event]) -> tuple[Happened, ...]:
    if width is None:
        return tuple(Happened(event, math.nan, math.nan) for event in events)
    return tuple(
        Happened(event, width.half_before(event.time_s), width.half_after(event.end_s)) for event in events
    )


def width_now(
    session: Session, context: AppContext, counted_log: CountedLog, at_s: float, *, silent_h: float = 0.0
) -> WidthNow | None:
    """The band of a rig's count at an instant, so many hours after its last reading [h]."""
    width = width_of(session, context, counted_log)
    return None if width is None else width.now(at_s, silent_h=silent_h)


def watch_view(context: AppContext, rig_id: int, at_s: float | None = None) -> WatchView:
    """The Watch page of a rig at an instant, by default its now."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        if counted_log is None:
            return WatchView(rig, None, None, [], [])
        now = moment(session, context, counted_log, at_s)
        silent_h = (now.at_s - now.read_s) / 3600.0 if now.in_gap else 0.0
        asked_s = math.inf if at_s is None else now.at_s
        width = width_now(session, context, counted_log, asked_s, silent_h=silent_h)
        whole = width_of(session, context, counted_log)
        told = _happened(whole, history(session, rig_id, counted=counted_log.events))
        lamps = () if now.in_gap else lamps_of(now.values, now.state, now.numbers)
        press = press_words(session, context, rig_id, lamps)
        findings = [
            *count_findings(now, counted_log),
            *after_outage(session, context, now, counted_log),
        ]
    ahead = []
    if not math.isnan(now.state.deficit_ah):
        clock = _clock(now.at_s, rig.zone, now.runtime.to_reserve_h or now.runtime.to_full_h)
        ahead = outlook(now.runtime, now.state.deficit_ah, now.numbers, clock)
    return WatchView(rig, counted_log, now, ahead, findings, width, told, lamps, press)


def _clock(at_s: float, zone: str, turn_h: float | None) -> list[tuple[str, float]]:
    """Tonight, tomorrow morning and, within a week, the hour of the reserve or of full, as (name, hours from
    now).
    """
    local = datetime.fromtimestamp(at_s, ZoneInfo(zone))
    tonight = local.replace(hour=22, minute=0, second=0, microsecond=0)
    morning = local.replace(hour=7, minute=0, second=0, microsecond=0)
    stamps = [stamp if stamp > local else stamp + timedelta(days=1) for stamp in (tonight, morning)]
    named = [(stamp.strftime("%H:%M"), (stamp - local).total_seconds() / 3600.0) for stamp in stamps]
    if turn_h and turn_h < 24 * 7:
        turn = local + timedelta(hours=turn_h)
        named.append((turn.strftime("%a %H:%M"), turn_h))
    return sorted(named, key=lambda pair: pair[1])


def watch_strip(
    context: AppContext, rig_id: int, *, start_s: float, end_s: float, columns: int, pens: list[str]
) -> ChartWindow:
    """A window of the strip of a rig.

    Raises:
        ValueError: for a window that cannot be drawn.
    """
    with context.db.reading() as session:
        counted_log = open_counted_log(session, context, rig_id)
        if counted_log is None:
            raise ValueError("this rig has no readings to draw")
        return strip_window(
            session, context, counted_log, start_s=start_s, end_s=end_s, columns=columns, pens=pens
        )
