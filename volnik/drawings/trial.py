"""A trial: the charge the old and the new numbers tell, on one paper, resets of each below."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.numbers.trial import Trial, TrialSide
from volnik.drawings.dates import day_label, has_years, local_of
from volnik.drawings.scale import Line, Scale, Word

WIDTH, HEIGHT = 1180.0, 360.0
MOST_POINTS = 900


@dataclass(frozen=True, slots=True)
class TrialDrawing:
    """Old and new as paths and ticks."""

    width: float
    height: float
    old: str
    new: str
    old_resets: list[Line]
    new_resets: list[Line]
    grid: list[Line]
    words: list[Word]
    message: str


def draw_trial(trial: Trial, zone: str, *, names: tuple[str, str] = ("old", "new")) -> TrialDrawing:
    """Draw a trial over the whole log; `names` stand beside the ticks of each."""
    time = Scale(trial.start_s, max(trial.end_s, trial.start_s + 1), 50.0, WIDTH - 12)
    level = Scale(0.0, 100.0, 290.0, 16.0)
    grid = [Line(50, level.at(pct), WIDTH - 12, level.at(pct), "grid") for pct in (0, 25, 50, 75, 100)]
    words = [Word(44, level.at(pct) + 4, f"{pct} %", "end") for pct in (0, 25, 50, 75, 100)]
    words += [Word(44, 318, names[0], "end", "old"), Word(44, 344, names[1], "end", "new")]
    for share, anchor in ((0.0, "start"), (0.25, "middle"), (0.5, "middle"), (0.75, "middle"), (1.0, "end")):
        at = trial.start_s + share * (trial.end_s - trial.start_s)
        text = day_label(local_of(at, zone), year=has_years(trial.start_s, trial.end_s, zone))
        words.append(Word(time.at(at), HEIGHT - 2, text, anchor))
    old_resets = (
        []
        if trial.old is None
        else [Line(time.at(at), 306, time.at(at), 322, "old") for at in trial.old.resets_s]
    )
    new_resets = [Line(time.at(at), 332, time.at(at), 348, "new") for at in trial.new.resets_s]
    was = f"{len(old_resets)} full resets before" if trial.old else "no count before"
    message = f"{was}, {len(new_resets)} with the new numbers."
    old_path = "" if trial.old is None else _path(trial.old, time, level)
    return TrialDrawing(
        WIDTH, HEIGHT, old_path, _path(trial.new, time, level), old_resets, new_resets, grid, words, message
    )


def _path(side: TrialSide, time: Scale, level: Scale) -> str:
    known = np.flatnonzero(~np.isnan(side.soc_low))
    if not len(known):
        return ""
    step = max(1, len(known) // MOST_POINTS)
    parts: list[str] = []
    for start in range(0, len(known), step):
        run = known[start : start + step]
        x = time.at(float(side.time_s[run[0]]))
        low, high = level.at(float(side.soc_low[run].min())), level.at(float(side.soc_high[run].max()))
        parts.append(f"{'L' if parts else 'M'}{x:g} {low:g}" + (f"V{high:g}" if high != low else ""))
    return "".join(parts)
