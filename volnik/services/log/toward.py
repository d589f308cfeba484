"""How far a rig's reading is from its next full reset, and what its monitor must be told then."""

from __future__ import annotations

import math
from collections.abc import Mapping

from sqlalchemy.orm import Session

from volnik.core.count.state import CountState
from volnik.core.count.toward import ResetLamp, all_lit, press_full, toward_full
from volnik.core.settings import Numbers
from volnik.services.context import AppContext
from volnik.services.path.read import NoBank, read_path


def lamps_of(values: Mapping[str, float], state: CountState, numbers: Numbers) -> tuple[ResetLamp, ...]:
    """The lamps of a reading by its columns, none where it lacks one."""
    volts, amps = values.get("volts", math.nan), values.get("amps", math.nan)
    if math.isnan(volts) or math.isnan(amps):
        return ()
    return toward_full(volts, amps, state, numbers)


def press_words(session: Session, context: AppContext, rig_id: int, lamps: tuple[ResetLamp, ...]) -> str:
    """What to do at the rig's monitor at such a reading, "" for nothing."""
    if not all_lit(lamps):
        return ""
    try:
        dialect = read_path(session, context, rig_id).dialect
    except NoBank:
        return ""
    if dialect is None:
        return ""
    return press_full(lamps, finds_full=dialect.finds_full, button=dialect.full_button)


def must_be_told_full(session: Session, context: AppContext, rig_id: int) -> str:
    """What to do at a rig's monitor once it is full, "" where it finds full itself or nobody knows it."""
    try:
        dialect = read_path(session, context, rig_id).dialect
    except NoBank:
        return ""
    if dialect is None or dialect.finds_full:
        return ""
    return "Then press full on the monitor." if dialect.full_button else "Then set the monitor to 100 %."
