"""The forecast of a rig: its own days drawn forward from now, what-ifs, nights to stay, a night rehearsed."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.rig import Rig
from volnik.core.shelf.cells import CELLS_12V
from volnik.core.simulation.vehicle import ah_a_day
from volnik.core.survey.day_energy import slots_of
from volnik.core.watch.forecast import (
    A_DAY,
    AHEAD_DAYS,
    Ahead,
    DailyProfile,
    Rehearsal,
    Sky,
    TooShort,
    WhatIf,
    ahead,
    profile_of,
    rehearse,
)
from volnik.core.watch.half_hours import SLOT_S, HalfHours
from volnik.core.watch.promises import charging_v
from volnik.core.watch.tomorrow import (
    AirEffect,
    DayBalance,
    TurnBack,
    absorption_h,
    air_effects,
    day_balance,
    turn_back,
)
from volnik.services.context import AppContext
from volnik.services.log.band import WidthNow
from volnik.services.log.counted_log import CountedLog, Moment, moment, open_counted_log
from volnik.services.log.half_hours import QUICK_PIECES, half_hours, waiting
from volnik.services.log.history import habits_since
from volnik.services.path.read import NoBank, read_path
from volnik.services.watch.learned import as_used
from volnik.services.watch.loads import loads_view
from volnik.services.watch.notes import Note
from volnik.services.watch.view import width_now
from volnik.store import rigs as store
from volnik.store import watching

HABIT_DAYS = 60.0  # older days were lived in another season
SKIES: dict[Sky, str] = {"as_it_was": "weather as it was", "sunny": "sunny", "mixed": "mixed", "grey": "grey"}


@dataclass(frozen=True, slots=True)
class ForecastQuestion:
    """What is asked: sky and for how many days, devices left off, share of the heating, panels more, staying
    how many nights (0: no), tomorrow's coldest and hottest hour [°C], what the way back takes [Ah].
    """

    sky: Sky = "as_it_was"
    sky_days: int = AHEAD_DAYS
    off: tuple[str, ...] = ()
    half_heating: bool = False
    more_panel_w: float = 0.0
    nights: int = 0
    low_c: float | None = None
    high_c: float | None = None
    back_ah: float = 0.0

    @property
    def changes(self) -> bool:
        """Whether the days are drawn otherwise than as the rig is."""
        return replace(self, low_c=None, high_c=None, back_ah=0.0) != ForecastQuestion(sky_days=self.sky_days)


@dataclass(frozen=True, slots=True)
class AheadView:
    """The forecast page.

    Attributes:
        rig, now: the rig and its moment, now None without a log.
        trouble: why nothing can be told, or "".
        plain: as things are;
        changed: as asked, or None.
        devices: that can be left off, with Ah a day each.
        panel_w: fitted [W].
        heaters: names.
        stay: share of paths that last the nights asked for, NaN.
        rehearsal: tonight from the measured evening, or None.
        kept: rehearsals kept, with the charge that came, latest first.
        waiting: pieces still to be read.
        balance: what grey and sunny days leave over or lack, or None.
        air: what tomorrow's frost or heat does to charging.
        string_ah: of one more string like those there are, NaN without a label [Ah].
        drives: whether something drives the rig from this bank, so that the way back is asked for.
        turn: where to turn for home, or None where nothing is kept for it.
    """

    rig: Rig
    now: Moment | None
    trouble: str
    plain: Ahead | None = None
    changed: Ahead | None = None
    devices: tuple[tuple[str, str, float], ...] = ()
    panel_w: float = 0.0
    heaters: tuple[str, ...] = ()
    stay: float = math.nan
    rehearsal: Rehearsal | None = None
    kept: tuple[tuple[Note, float], ...] = ()
    waiting: int = 0
    balance: DayBalance | None = None
    air: tuple[AirEffect, ...] = ()
    string_ah: float = math.nan
    drives: bool = False
    turn: TurnBack | None = None


def _after_nights(changed: Ahead | None, nights: int) -> float:
    """State of charge on the last morning of a stay [share]; NaN where none is asked or it is not reached."""
    if changed is None or not nights or len(changed.by_morning) < nights:
        return math.nan
    return changed.by_morning[nights - 1][1]


def ahead_view(context: AppContext, rig_id: int, asked: ForecastQuestion | None = None) -> AheadView:
    """The forecast of a rig from its now."""
    asked = asked or ForecastQuestion()
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        if counted_log is None or rig.bank is None:
            return AheadView(rig, None, "There is no log to draw days from yet.")
        now = moment(session, context, counted_log)
        left = waiting(context, counted_log)
        if left > QUICK_PIECES:
            return AheadView(rig, now, "", waiting=left)
        some = _recent(session, context, counted_log)
        width = width_now(session, context, counted_log, math.inf)
        kept = _kept(session, some, rig_id)
    devices = _devices_as_used(context, rig_id)
    panel_w = _panel_w(devices)
    try:
        profile, plain, half = _plain(context, rig, counted_log, now, some, width=width, panel_w=panel_w)
    except TooShort as wrong:
        return AheadView(rig, now, str(wrong))
    changed = None
    if asked.changes:
        changed = ahead(
            profile,
            now.numbers,
            now_s=now.read_s,
            soc=now.soc,
            half=half,
            what=_what(asked, profile, devices, panel_w),
            days=max(AHEAD_DAYS, asked.nights + 1),
        )
    heaters = tuple(device.device.name for device in devices if _heats(device))
    return AheadView(
        rig,
        now,
        "",
        plain,
        changed,
        _loads(devices),
        panel_w,
        heaters,
        _after_nights(changed, asked.nights),
        _tonight(some, now, rig.zone, half),
        kept,
        balance=day_balance(profile, now.numbers.reserve_ah),
        air=_air(context, rig, asked, profile, now.soc),
        string_ah=now.numbers.capacity_ah / rig.bank.parallel,
        drives=any(device.takes and "regenerates" in device.preset.traits for device in devices),
        turn=turn_back(changed or plain, now.numbers, asked.back_ah) if asked.back_ah > 0.0 else None,
    )


def _air(
    context: AppContext, rig: Rig, asked: ForecastQuestion, profile: DailyProfile, soc: float
) -> tuple[AirEffect, ...]:
    if rig.bank is None or (asked.low_c is None and asked.high_c is None):
        return ()
    with context.db.reading() as session:
        chemistry = read_path(session, context, rig.id).chemistry
    return tuple(air_effects((asked.low_c, asked.high_c), rig.bank, chemistry, profile, soc))


def usual_absorption_h(context: AppContext, rig_id: int) -> float | None:
    """Hours by which this rig's charges outlast what their first amps promise; None while not known."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        if counted_log is None or rig.bank is None or waiting(context, counted_log) > QUICK_PIECES:
            return None
        some = _recent(session, context, counted_log)
        charging = charging_v(rig.bank)
    return absorption_h(some, charging, rig.bank.cells / CELLS_12V[rig.bank.chemistry])


def _loads(devices: list[ResolvedDevice]) -> tuple[tuple[str, str, float], ...]:
    """Loads that take something worth sparing: id, name, Ah a day, most first."""
    found = [(device.id, device.device.name, ah_a_day(device)) for device in devices if device.takes]
    return tuple(sorted((load for load in found if load[2] > 0.1), key=lambda load: -load[2]))


def own_days(context: AppContext, rig_id: int) -> tuple[Moment, Ahead] | None:
    """The forecast as things are from the rig's now, or None while too little is known or a long log is still
    to be read.
    """
    found = _own(context, rig_id)
    return None if found is None else (found[0], found[2])


def own_use_ah(context: AppContext, rig_id: int) -> float | None:
    """What a day of this rig takes by its own log [Ah], or None while too little is known."""
    found = _own(context, rig_id)
    return None if found is None else float(found[1].load_ah.sum(axis=1).mean())


def _own(context: AppContext, rig_id: int) -> tuple[Moment, DailyProfile, Ahead] | None:
    """The rig's now, its habit and the forecast from it, None while too little is known."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        if counted_log is None or rig.bank is None or waiting(context, counted_log) > QUICK_PIECES:
            return None
        now = moment(session, context, counted_log)
        width = width_now(session, context, counted_log, math.inf)
        some = _recent(session, context, counted_log)
        panel_w = _panel_w(_devices(session, context, rig_id))
        try:
            habit, drawn, _ = _plain(context, rig, counted_log, now, some, width=width, panel_w=panel_w)
        except TooShort:
            return None
    return now, habit, drawn


def _plain(
    context: AppContext,
    rig: Rig,
    counted_log: CountedLog,
    now: Moment,
    some: HalfHours,
    *,
    width: WidthNow | None,
    panel_w: float,
) -> tuple[DailyProfile, Ahead, float]:
    """The habit, the forecast as things are, and half the band it starts from.

    Remembered until the log goes on.

    Raises:
        TooShort: when the log or the count tells too little.
    """
    known = width is not None and not math.isnan(width.centre)
    key, rests_on = f"ahead:{rig.id}", (now.read_s, known, panel_w)
    found = context.recalled(key)  # one a rig: a live rig's readings would heap them up
    if found is not None and found[0] is counted_log and found[1] == rests_on:
        return found[2]  # type: ignore[no-any-return]
    if math.isnan(now.soc):
        raise TooShort(
            "The count is unknown: from an unknown charge nothing can be said. Charge until full, or "
            "set the count by hand."
        )
    assert rig.bank is not None
    profile = profile_of(
        some,
        zone=rig.zone,
        charging_v=charging_v(rig.bank),
        efficiency=now.numbers.coulombic_efficiency,
    )
    half = width.half if width is not None and known else 0.0
    plain = ahead(
        profile, now.numbers, now_s=now.read_s, soc=now.soc, half=half, what=WhatIf(has_sun=panel_w > 0.0)
    )
    made = profile, plain, half
    context.remember(key, (counted_log, rests_on, made))
    return made


def _recent(session: Session, context: AppContext, counted_log: CountedLog) -> HalfHours:
    """The latest half hours that still say what this rig does."""
    some = half_hours(session, context, counted_log)
    cut_s = habits_since(session, counted_log.rig_id, counted_log.end_s)
    return some.part(some.start_s >= max(cut_s, counted_log.end_s - HABIT_DAYS * 86400.0))


def _devices(session: Session, context: AppContext, rig_id: int) -> list[ResolvedDevice]:
    try:
        path = read_path(session, context, rig_id)
    except NoBank:
        return []
    return list(path.analysis("planned" if path.begun else "found").devices)


def _devices_as_used(context: AppContext, rig_id: int) -> list[ResolvedDevice]:
    """Devices with what the log itself shows of their use: left off, they spare what they really take."""
    shown = loads_view(context, rig_id)
    with context.db.reading() as session:
        try:
            return as_used(read_path(session, context, rig_id), shown.learned, shown.whole_ah_day)
        except NoBank:
            return []


def _panel_w(devices: list[ResolvedDevice]) -> float:
    return sum(device.number("panel_w") for device in devices if device.gives)


def _heats(device: ResolvedDevice) -> bool:
    return device.takes and "heat" in f"{device.device.kind} {device.device.name}".lower()


def _what(
    asked: ForecastQuestion, profile: DailyProfile, devices: list[ResolvedDevice], panel_w: float
) -> WhatIf:
    less = np.zeros(A_DAY)
    for device in devices:
        if device.id in asked.off:
            less += slots_of(device)
        elif asked.half_heating and _heats(device):
            less += 0.5 * slots_of(device)
    factor = 1.0 if panel_w <= 0.0 else (panel_w + asked.more_panel_w) / panel_w
    return WhatIf(
        asked.sky,
        asked.sky_days,
        asked.nights > 0,
        factor,
        tuple(float(value) for value in less) if less.any() else (),
        panel_w > 0.0,
        (panel_w + asked.more_panel_w) * 0.8 / 13.0 if asked.nights and panel_w > 0.0 else None,
    )


def _tonight(some: HalfHours, now: Moment, zone: str, half: float) -> Rehearsal | None:
    """The coming morning from what was drawn in the last two hours; only while nothing charges."""
    last = some.part(some.start_s > now.read_s - 2.0 * 3600.0 - SLOT_S)
    if (
        len(last) < 2
        or float(last.hours.sum()) < 0.9
        or float(last.in_ah.sum()) > 0.02 * now.numbers.capacity_ah
    ):
        return None
    local = datetime.fromtimestamp(now.read_s, ZoneInfo(zone))
    morning = local.replace(hour=7, minute=0, second=0, microsecond=0)
    morning = morning if morning > local else morning + timedelta(days=1)
    draws = -last.booked_ah / np.maximum(last.hours, 1e-9)
    mean = float(-last.booked_ah.sum() / last.hours.sum())
    return rehearse(
        mean,
        float(draws.std()),
        float(last.hours.sum()),
        now.numbers,
        now_s=now.read_s,
        soc=now.soc,
        half=half,
        until_s=morning.timestamp(),
    )


def _kept(session: Session, some: HalfHours, rig_id: int) -> tuple[tuple[Note, float], ...]:
    """Rehearsals kept, each with the charge that its morning brought, NaN while it is to come."""
    found = []
    for note in watching.notes(session, rig_id, "rehearsal")[-5:][::-1]:
        at = int(np.searchsorted(some.start_s + SLOT_S, float(note.body["until_s"]) + 1.0)) - 1
        came = len(some) and at >= 0 and some.start_s[-1] + SLOT_S >= float(note.body["until_s"])
        found.append((note, float(some.end_soc[at]) if came else math.nan))
    return tuple(found)
