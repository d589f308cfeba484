"""The log of a rig composed from its sources: where two cover one stretch, one speaks."""

from __future__ import annotations

from dataclasses import dataclass

SPEAKS_FIRST = {"bridge": 0, "file": 1, "typed": 2}


@dataclass(frozen=True, slots=True)
class Coverage:
    """What one source covers.

    Attributes:
        source_id: its name.
        kind: "bridge", "file", "typed"; or "beside", a charger's own log, which never speaks.
        arrived_s: when it came [s since 1970].
        segments: (first, last) instants of its unbroken stretches [ms], in order.
    """

    source_id: int
    kind: str
    arrived_s: float
    segments: list[tuple[int, int]]


@dataclass(frozen=True, slots=True)
class LogSegment:
    """A stretch of the log told by one source, both ends included [ms]."""

    source_id: int
    start_ms: int
    end_ms: int


def compose(coverages: list[Coverage]) -> list[LogSegment]:
    """Who speaks when: bridge before file before typed, else the earlier to arrive.

    Returns the stretches in order of time; neighbouring stretches of one source with nobody between are one.

    Args:
        coverages: what each source covers.
    """
    spoken: list[LogSegment] = []
    speaking = [
        coverage for coverage in coverages if coverage.kind in SPEAKS_FIRST
    ]  # what is kept beside is never counted
    for coverage in sorted(
        speaking, key=lambda item: (SPEAKS_FIRST[item.kind], item.arrived_s, item.source_id)
    ):
        taken = sorted((stretch.start_ms, stretch.end_ms) for stretch in spoken)
        for start, end in coverage.segments:
            spoken.extend(LogSegment(coverage.source_id, a, b) for a, b in _free(start, end, taken))
    joined: list[LogSegment] = []
    for stretch in sorted(spoken, key=lambda item: item.start_ms):
        if joined and joined[-1].source_id == stretch.source_id:
            joined[-1] = LogSegment(stretch.source_id, joined[-1].start_ms, stretch.end_ms)
        else:
            joined.append(stretch)
    return joined


def _free(start: int, end: int, taken: list[tuple[int, int]]) -> list[tuple[int, int]]:
    free = []
    for first, last in taken:
        if last < start or first > end:
            continue
        if first > start:
            free.append((start, first - 1))
        start = last + 1
        if start > end:
            break
    if start <= end:
        free.append((start, end))
    return free
