"""Two settings on the same simulated days.

What each would have told against the truth, and its resets judged.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.numbers.compared import SHOWN_DAYS, Compared, Setting, Side
from volnik.core.numbers.reset_map import ZONE_WORDS, ZONES, Marked, counted_days
from volnik.core.settings import Numbers
from volnik.services.numbers.study import Inputs, Study, nearest_hold

EVERY = 30  # samples to a drawn point


def compare(study: Study, given: Inputs, first: Setting, second: Setting, day: int | None = None) -> Compared:
    """Count the season under both settings and cut out a fortnight.

    The one asked for, or where the two tell most.
    """
    time_s = study.time_s
    a_day = round(86400.0 / study.sampled.step_s)
    days = len(time_s) // a_day
    counts = [_count(study, given, setting) for setting in (first, second)]
    if day is None:
        day = _telling(counts, days, a_day)
    day = max(0, min(day, days - SHOWN_DAYS))
    drawn = slice(day * a_day, (day + SHOWN_DAYS) * a_day, EVERY)
    sides = [
        _side(study, setting, charge, marks, drawn, a_day=a_day)
        for setting, (charge, marks) in zip((first, second), counts, strict=True)
    ]
    at_day = np.arange(len(time_s))[drawn] / a_day
    return Compared(sides[0], sides[1], day, days, at_day, study.sampled.charge[drawn])


def _telling(counts: list[tuple[Floats, list[Marked]]], days: int, a_day: int) -> int:
    """The first of the fourteen days on which the two counts part most, and resets lie early or at all."""
    apart = np.abs(counts[0][0] - counts[1][0])[: days * a_day].reshape(days, a_day).mean(axis=1)
    for _, marks in counts:
        for mark in marks:
            at = min(days - 1, mark.at // a_day)
            apart[at] += 0.3 if not mark.heals else 0.05 if not mark.right else 0.005
    return int(np.convolve(apart, np.ones(min(SHOWN_DAYS, days)), "valid").argmax())


def _count(study: Study, given: Inputs, setting: Setting) -> tuple[Floats, list[Marked]]:
    numbers: Numbers = replace(
        given.numbers,
        charged_voltage_v=setting.charged_voltage_v,
        tail_current_pct=setting.tail_current_pct,
        hold_s=setting.hold_s,
        tail_floor_pct=given.floor_pct,
        initial_soc=1.0,
    )
    return counted_days(study.sampled, study.time_s, numbers)


def _side(
    study: Study, setting: Setting, charge: Floats, marks: list[Marked], drawn: slice, *, a_day: int
) -> Side:
    at_map = study.maps[nearest_hold(setting.hold_s)]
    place = study.grid.nearest(setting.charged_voltage_v, setting.tail_current_pct)
    zone = ZONES[int(at_map.zone[place])]
    shown = [(mark.at / a_day, mark) for mark in marks if drawn.start <= mark.at < drawn.stop]
    return Side(
        setting,
        zone,
        ZONE_WORDS[zone],
        at_map.describe(*place),
        float(at_map.error[place]),
        float(np.sqrt(np.mean((charge - study.sampled.charge) ** 2))),
        len(marks),
        sum(not mark.right for mark in marks),
        sum(not mark.heals for mark in marks),
        charge[drawn],
        shown,
    )
