"""Written times turned into seconds since 1970."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl

from volnik.core.arrays import Floats
from volnik.feeds.mapping import Mapping

# Year 1 to 9999: what a calendar can hold, and what int64 milliseconds keep apart.
EARLIEST_S, LATEST_S = -62_135_596_800.0, 253_402_300_799.0

# pattern, whether it carries its own offset
ISO_SPELLINGS = (
    ("%Y-%m-%dT%H:%M:%SZ", True),
    ("%Y-%m-%dT%H:%M:%S", False),
    ("%Y-%m-%d %H:%M:%S", False),
)


def instants_s(text: pl.Series, mapping: Mapping) -> Floats:
    """Read a column of times.

    Args:
        text: the column as strings, shape (n,).
        mapping: says how the times are written and which zone a time without an offset is in.

    Returns:
        Seconds since 1970, shape (n,); NaN where the text is not such a time.
    """
    if mapping.time_kind in ("epoch_s", "epoch_ms"):
        if mapping.decimal == ",":
            text = text.str.replace(",", ".", literal=True)
        seconds = text.cast(pl.Float64, strict=False).fill_null(np.nan).to_numpy().copy()
        if mapping.time_kind == "epoch_ms":
            seconds /= 1000.0
    elif mapping.time_kind == "pattern":
        local = text.str.to_datetime(mapping.time_pattern, strict=False, time_unit="ms")
        seconds = _from_local_ms(local, mapping.zone_info())
    else:
        seconds = _iso_s(text, mapping.zone_info())
    with np.errstate(invalid="ignore"):
        seconds[~((seconds >= EARLIEST_S) & (seconds <= LATEST_S))] = np.nan
    return seconds


def _iso_s(text: pl.Series, zone: ZoneInfo | None) -> Floats:
    """ISO 8601: the common spellings by column, whatever is left one by one."""
    seconds = np.full(len(text), np.nan)
    for pattern, offset_given in ISO_SPELLINGS:
        left = np.flatnonzero(np.isnan(seconds))
        if not len(left):
            return seconds
        if offset_given or zone is not None:
            here = text if len(left) == len(text) else text.gather(left)
            parsed = here.str.to_datetime(pattern, strict=False, time_unit="ms").dt.replace_time_zone(None)
            seconds[left] = _from_local_ms(parsed, None if offset_given else zone, offset_given)
    _one_by_one(text, zone, seconds)
    return seconds


def _one_by_one(text: pl.Series, zone: ZoneInfo | None, seconds: Floats) -> None:
    """Read what no common spelling fits, in place."""
    left = np.flatnonzero(np.isnan(seconds) & text.is_not_null().to_numpy())
    if not len(left):
        return
    naive: dict[int, datetime] = {}
    for at, value in zip(left.tolist(), text.gather(left).to_list(), strict=True):
        stamp = _iso_one(value)
        if stamp is None:
            continue
        if stamp.tzinfo is None:
            naive[at] = stamp
        else:
            seconds[at] = stamp.timestamp()
    if naive and zone is not None:
        local = pl.Series(list(naive.values()), dtype=pl.Datetime("ms"))
        seconds[list(naive)] = _from_local_ms(local, zone)


def _iso_one(value: str) -> datetime | None:
    # fromisoformat takes a bare date or a bare run of digits too: those are not instants.
    value = value.strip()
    if len(value) < 13 or value[:8].isdigit() and "T" not in value and " " not in value:
        return None
    try:
        return datetime.fromisoformat(value)
    except ValueError:
        return None


def _from_local_ms(local: pl.Series, zone: ZoneInfo | None, utc: bool = False) -> Floats:
    """Local wall-clock times in a zone to seconds.

    The hour told twice in autumn is told apart by its order.
    """
    if utc:
        return _epoch_s(local)
    if zone is None:
        return np.full(len(local), np.nan)
    earliest = _epoch_s(local.dt.replace_time_zone(zone.key, ambiguous="earliest", non_existent="null"))
    latest = _epoch_s(local.dt.replace_time_zone(zone.key, ambiguous="latest", non_existent="null"))
    previous = -np.inf
    for at in np.flatnonzero(earliest != latest):
        if np.isnan(earliest[at]):
            continue
        before = earliest[at - 1] if at else -np.inf
        if earliest[at] <= max(previous, -np.inf if np.isnan(before) else before):
            earliest[at] = latest[at]
        previous = earliest[at]
    return earliest


def _epoch_s(moments: pl.Series) -> Floats:
    milliseconds = moments.dt.epoch("ms").cast(pl.Float64).fill_null(np.nan).to_numpy()
    return np.asarray(milliseconds / 1000.0)
