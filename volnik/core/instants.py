"""Instants as text. Inside, every instant is seconds since 1970."""

from __future__ import annotations

from datetime import UTC, datetime
from functools import lru_cache
from zoneinfo import ZoneInfo

# The years 1900 and 9000: a calendar shows those to 9999, and a zone or a window beside them needs room.
EARLIEST_S, LATEST_S = -2_208_988_800.0, 221_845_392_000.0


def is_instant(seconds: float) -> bool:
    """Whether seconds since 1970 are an instant that a calendar can show; NaN is none [s]."""
    return EARLIEST_S <= seconds <= LATEST_S


def iso_text(seconds: float) -> str:
    """An instant as ISO 8601 in UTC, with milliseconds only where it has any [s]."""
    stamp = datetime.fromtimestamp(round(seconds * 1000.0) / 1000.0, UTC)
    spec = "milliseconds" if stamp.microsecond else "seconds"
    return stamp.isoformat(timespec=spec).replace("+00:00", "Z")


@lru_cache(maxsize=256)
def known_zone(name: str) -> bool:
    """Whether this machine knows a time zone by that name.

    Asking for one is much quicker than listing all.
    """
    try:
        ZoneInfo(name)
    except (ValueError, OSError, LookupError):
        return False
    return True
