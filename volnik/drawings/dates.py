"""Days along a time axis: with their year where the paper shows more than one."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo


def local_of(at_s: float, zone: str) -> datetime:
    """An instant on the rig's own clock."""
    return datetime.fromtimestamp(at_s, ZoneInfo(zone))


def has_years(start_s: float, end_s: float, zone: str) -> bool:
    """Whether what is shown from one instant to another lies in more than one year."""
    return local_of(start_s, zone).year != local_of(end_s, zone).year


def day_label(local: datetime, *, year: bool) -> str:
    """A day: "3 Oct", or "3 Oct 2025" where the year is wanted."""
    return local.strftime("%-d %b %Y" if year else "%-d %b")
