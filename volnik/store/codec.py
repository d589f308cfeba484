"""Columns of readings packed for SQLite: exact, small, and quick to open.

A monitor shows volts and amps in decimal steps, so a column is kept as whole numbers of its smallest step,
bytes of like weight side by side, then zstd. A column that has no such step, or holds NaN, is kept as plain
floats the same way.
"""

from __future__ import annotations

import struct

import numpy as np
import zstandard
from numpy.typing import NDArray

from volnik.core.arrays import Floats

CHUNK_READINGS = 65_536  # 18 hours at 1 Hz: a column opens in 0.5 ms, and is long enough to pack well
BUCKET_READINGS = 256  # a run of the overview: a year at 1 Hz is 123,000 runs
LEVEL = 1  # level 3 takes half as long again for 3 % less, 6 twice as long for 9 % less
_HEAD = struct.Struct("<BBBxIqI")  # scheme, decimals, width, rows, base, packed bytes
_STEPS, _FLOATS, _EVEN, _DELTAS = range(4)
_UNSIGNED: dict[int, type[np.unsignedinteger]] = {1: np.uint8, 2: np.uint16, 4: np.uint32, 8: np.uint64}


def pack_times(time_ms: NDArray[np.int64]) -> bytes:
    """Pack rising instants [ms]."""
    deltas = np.diff(time_ms)
    if not len(deltas) or (deltas == deltas[0]).all():
        step = int(deltas[0]) if len(deltas) else 0
        return _HEAD.pack(_EVEN, 0, 0, len(time_ms), int(time_ms[0]), 8) + struct.pack("<q", step)
    return _whole(_DELTAS, 0, len(time_ms), int(time_ms[0]), deltas, lowest=0)


def pack_values(values: Floats) -> bytes:
    """Pack a column of values, bit for bit."""
    for decimals in range(5):
        scale = 10.0**decimals
        if not _is_stepped(values[:64], scale) or not _is_stepped(values, scale):
            continue
        whole = np.rint(values * scale).astype(np.int64)
        base = int(whole.min())
        return _whole(_STEPS, decimals, len(values), base, whole, lowest=base)
    body = _squeeze(np.ascontiguousarray(values, dtype="<f8").view(np.uint8), 8)
    return _HEAD.pack(_FLOATS, 0, 8, len(values), 0, len(body)) + body


def _is_stepped(values: Floats, scale: float) -> bool:
    with np.errstate(invalid="ignore", over="ignore"):
        scaled = np.rint(values * scale)
        exact = (
            (scaled / scale == values) & (np.abs(scaled) < 2**52) & ~((values == 0.0) & np.signbit(values))
        )
    return bool(exact.all())


def _whole(
    scheme: int, decimals: int, rows: int, base: int, whole: NDArray[np.int64], *, lowest: int
) -> bytes:
    reach = int(whole.max()) - lowest
    width = next(size for size in (1, 2, 4, 8) if reach < 1 << (8 * size))
    small = (whole - lowest).astype(_UNSIGNED[width])
    body = _squeeze(small.view(np.uint8), width)
    return _HEAD.pack(scheme, decimals, width, rows, base, len(body)) + body


def _squeeze(raw: NDArray[np.uint8], width: int) -> bytes:
    shuffled = raw if width == 1 else np.ascontiguousarray(raw.reshape(-1, width).T)
    return zstandard.ZstdCompressor(level=LEVEL).compress(shuffled.tobytes())


def _expand(body: bytes, width: int, count: int) -> NDArray[np.uint8]:
    raw = np.frombuffer(
        zstandard.ZstdDecompressor().decompress(body, max_output_size=max(1, width * count)), dtype=np.uint8
    )
    if width == 1:
        return raw
    whole = np.empty(raw.size, dtype=np.uint8)
    for at in range(width):  # plane by plane: quicker than turning the table round
        whole[at::width] = raw[at * count : (at + 1) * count]
    return whole


def unpack(blob: bytes, offset: int = 0) -> tuple[Floats, int]:
    """Open one packed column; returns (values, or instants in ms, shape (n,); offset after it)."""
    scheme, decimals, width, rows, base, size = _HEAD.unpack_from(blob, offset)
    start = offset + _HEAD.size
    body = blob[start : start + size]
    end = start + size
    if scheme == _EVEN:
        (step,) = struct.unpack("<q", body)
        return base + step * np.arange(rows, dtype=np.float64), end
    if scheme == _FLOATS:
        return _expand(body, 8, rows).view("<f8").astype(np.float64), end
    if scheme == _DELTAS:
        deltas = _expand(body, width, rows - 1).view(_UNSIGNED[width]).astype(np.int64)
        return (base + np.concatenate(([0], np.cumsum(deltas)))).astype(np.float64), end
    values = (
        _expand(body, width, rows).view(_UNSIGNED[width]).astype(np.float64)
    )  # below 2^52, so still exact
    values += base
    values /= 10.0**decimals
    return values, end


def overview_of(time_s: Floats, columns: list[Floats], bucket: int = BUCKET_READINGS) -> bytes:
    """Least and greatest of each column over runs of `bucket` readings, with the runs' first and last
    instants.
    """
    rows = len(time_s)
    starts = np.arange(0, rows, bucket)
    lasts = np.minimum(starts + bucket, rows) - 1
    parts = [time_s[starts].astype("<f8").tobytes(), time_s[lasts].astype("<f8").tobytes()]
    for values in columns:
        for reduce in (np.fmin, np.fmax):
            parts.append(reduce.reduceat(values, starts).astype("<f4").tobytes())
    return struct.pack("<II", len(starts), len(columns)) + b"".join(parts)


def join_overviews(blobs: list[bytes]) -> bytes:
    """Overviews of spans that follow each other, as one."""
    opened = [open_overview(blob) for blob in blobs]
    starts, lasts = (np.concatenate([pair[at] for pair in opened]) for at in (0, 1))
    parts = [starts.tobytes(), lasts.tobytes()]
    columns = len(opened[0][2])
    for column in range(columns):
        for side in (0, 1):
            parts.append(np.concatenate([pair[2][column][side] for pair in opened]).tobytes())
    return struct.pack("<II", len(starts), columns) + b"".join(parts)


def head_of_overview(blob: bytes, runs: int) -> bytes:
    """The first `runs` runs of an overview, as one of its own."""
    starts, lasts, pairs = open_overview(blob)
    columns: list[NDArray[np.generic]] = [starts, lasts, *(side for pair in pairs for side in pair)]
    parts = [column[:runs].tobytes() for column in columns]
    return struct.pack("<II", min(runs, len(starts)), len(pairs)) + b"".join(parts)


def open_overview(
    blob: bytes,
) -> tuple[Floats, Floats, list[tuple[NDArray[np.float32], NDArray[np.float32]]]]:
    """The first and last instants of each run [s], and each column's least and greatest values."""
    count, columns = struct.unpack_from("<II", blob)
    starts = np.frombuffer(blob, "<f8", count, 8)
    lasts = np.frombuffer(blob, "<f8", count, 8 + 8 * count)
    at = 8 + 16 * count
    pairs = []
    for _ in range(columns):
        low = np.frombuffer(blob, "<f4", count, at)
        high = np.frombuffer(blob, "<f4", count, at + 4 * count)
        pairs.append((low, high))
        at += 8 * count
    return starts, lasts, pairs
