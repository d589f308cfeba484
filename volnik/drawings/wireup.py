"""What is live when: a line a feed, whole while it can make the bus live, broken while it is off, over the
steps of a job.
"""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.wireup.steps import PHASES, JobStatus

WIDTH, LEFT, TOP, ROW, FOOT = 1000.0, 208.0, 40.0, 46.0, 30.0
FEEDS = (
    ("loads", ("loads_off",), ("loads_on",)),
    ("solar", ("solar_off",), ("solar_on",)),
    ("wind", ("wind_off",), ("mains_on",)),
    ("shore power", ("shore_off",), ("mains_on",)),
    ("engine", ("engine_off",), ("mains_on",)),
    ("other batteries", ("other_off:",), ("others_on",)),
    ("main fuses", ("main_off",), ("fuse_in:", "close:")),
    ("battery's negatives", ("negatives_off",), ("joint:negative",)),
    ("battery's positives", ("positives_off",), ("joint:positive",)),
    ("monitor", ("sense_out",), ("sense_fuse",)),
    ("monitor", (), ("sense_fuse",)),  # where none was fitted before
)
"""(feed, steps that switch it off, that bring it back); a key that ends in ":" is any that begins so."""


@dataclass(frozen=True, slots=True)
class Span:
    """A part of a feed's line: live or not, from x to x."""

    start: float
    end: float
    live: bool


@dataclass(frozen=True, slots=True)
class FeedLine:
    """One feed: name, height, its spans, the steps that switch it (x, step number, settled)."""

    name: str
    y: float
    spans: list[Span]
    turns: list[tuple[float, int, bool]]


@dataclass(frozen=True, slots=True)
class PhaseSpan:
    """A phase along the foot: name, from x to x, whether all of it is settled."""

    name: str
    start: float
    end: float
    settled: bool

    @property
    def width(self) -> float:
        """How wide it is."""
        return self.end - self.start

    @property
    def middle(self) -> float:
        """Where its name stands."""
        return (self.start + self.end) / 2


@dataclass(frozen=True, slots=True)
class LiveChart:
    """The drawing: lines, phases, where the work stands, and the step numbers that can be pressed (x, number,
    key, title, state).
    """

    width: float
    height: float
    foot: float
    lines: list[FeedLine]
    parts: list[PhaseSpan]
    now_x: float
    steps: list[tuple[float, int, str, str, str]]

    @property
    def room(self) -> float:
        """The height of the steps, above the foot."""
        return self.foot - 20.0

    @property
    def now_name_x(self) -> float:
        """Where "now" is written, kept on the paper."""
        return min(self.now_x, self.width - 30.0)


def live_chart(job: JobStatus) -> LiveChart:
    """Lay the drawing out from the steps of a job."""
    pitch = (WIDTH - LEFT - 12.0) / max(1, len(job.steps))
    place = {step.step.key: LEFT + (at + 0.5) * pitch for at, step in enumerate(job.steps)}
    switched: dict[str, tuple[str, str]] = {}
    for name, offs, ons in FEEDS:
        on, off = _first(ons, place), _first(offs, place)
        if on and (off or not offs):
            switched.setdefault(name, (off, on))
    lines = [
        _feed_line(job, place, (name, TOP + (at + 0.5) * ROW), off, on)
        for at, (name, (off, on)) in enumerate(switched.items())
    ]
    foot = TOP + len(lines) * ROW + 8.0
    following = job.next
    now_x = WIDTH - 12.0 if following is None else place[following.step.key] - 0.5 * pitch
    steps: list[tuple[float, int, str, str, str]] = [
        (place[step.step.key], step.number, step.step.key, step.step.title, step.state) for step in job.steps
    ]
    return LiveChart(WIDTH, foot + FOOT + 22.0, foot, lines, _phase_spans(job, pitch), now_x, steps)


def _first(keys: tuple[str, ...], place: dict[str, float]) -> str:
    """The first of some steps that this job has, "" where it has none."""
    return next((key for wanted in keys for key in place if _is(key, wanted)), "")


def _is(key: str, wanted: str) -> bool:
    return key.startswith(wanted) if wanted.endswith(":") else key == wanted


def _feed_line(
    job: JobStatus, place: dict[str, float], named: tuple[str, float], off: str, on: str
) -> FeedLine:
    """A feed's line (name, height): live until it is switched off, and again once it is on."""
    end = WIDTH - 12.0
    first, again = place.get(off, LEFT), place[on]
    spans = [Span(LEFT, first, True), Span(first, again, False), Span(again, end, True)]
    by_key = {step.step.key: step for step in job.steps}
    turns = [(place[key], by_key[key].number, by_key[key].settled) for key in (off, on) if key]
    return FeedLine(*named, [span for span in spans if span.end > span.start], turns)


def _phase_spans(job: JobStatus, pitch: float) -> list[PhaseSpan]:
    """The phases along the foot, as far as this job has steps of them."""
    found = []
    for phase in PHASES:
        mine = [at for at, step in enumerate(job.steps) if step.step.phase == phase.key]
        if mine:
            settled = all(job.steps[at].settled for at in mine)
            found.append(
                PhaseSpan(phase.name, LEFT + mine[0] * pitch, LEFT + (mine[-1] + 1) * pitch, settled)
            )
    return found
