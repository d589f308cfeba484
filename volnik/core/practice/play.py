"""A case as it is played: looks, powering down and up, airing and mends, in their order.

Every look is at the vehicle as it then is: after a mend, at the mended one.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from volnik.core.practice.bay import ALL_OUT, Bay
from volnik.core.practice.cases import Case
from volnik.core.practice.causes import Wrong
from volnik.core.practice.looks import FREE, Look, Seen, part, reading, seen
from volnik.core.practice.mends import MENDS
from volnik.core.shelf.chemistries import CHEMISTRIES

Do = Literal["down", "up", "air", "mend"]
DO_MINUTES: dict[Do, float] = {"down": 10.0, "up": 5.0, "air": 15.0, "mend": 0.0}
ARC_A = 2.0  # from which a joint that is opened draws an arc; source: estimate
METER_A = 10.0  # of the fuse in a meter's current socket
METER_OHM = 0.02  # of a meter and its leads in that socket; source: estimate


@dataclass(frozen=True, slots=True, order=True)
class Act:
    """Something done.

    Attributes:
        do: power down or up, air the room, or mend.
        mend: key of the mend.
        at: part it is done at, "" for none.
    """

    do: Do
    mend: str = ""
    at: str = ""

    @property
    def minutes(self) -> float:
        """How long it takes."""
        return MENDS[self.mend].minutes if self.do == "mend" else DO_MINUTES[self.do]


Move = Look | Act


@dataclass(frozen=True, slots=True)
class Made:
    """One move that was made: what it showed, None for nothing to see."""

    move: Move
    shown: Seen | None


@dataclass(frozen=True, slots=True)
class Stop:
    """What stops a case: a danger, the amps that would have flowed [A], NaN where none count."""

    danger: Literal["arc", "short", "gas", "meter"]
    amps: float


@dataclass(frozen=True, slots=True)
class Played:
    """What came of some moves.

    Attributes:
        made: the moves, the one that stopped it last.
        minutes: they took.
        stopped: by what, or None.
        left: what is still wrong.
        needless: parts that were bought for nothing.
        idle: mends that cured nothing and cost no part, by key.
        cured: whether a mend put anything right.
        proven: whether a look after the last such mend shows that it did.
        powered: whether the rig is powered up.
        first_mend: how many moves were made before anything was mended.
    """

    made: tuple[Made, ...]
    minutes: float
    stopped: Stop | None
    left: frozenset[Wrong]
    needless: tuple[str, ...]
    idle: tuple[str, ...]
    cured: bool
    proven: bool
    powered: bool
    first_mend: int

    @property
    def is_mended(self) -> bool:
        """Whether nothing is wrong any more."""
        return all(wrong.cause == "sound" for wrong in self.left)


def _with_all_out(look: Look) -> Look:
    """What a look is at while all is powered down: the screen shows its zero, no cable carries amps."""
    if look.what in ("display", "fuse"):
        return Look("out")
    return replace(look, running=ALL_OUT) if look.what in ("bank", "block", *FREE) else look


class _Play:
    """A case while it is played."""

    def __init__(self, case: Case) -> None:
        self.case, self.bay = case, case.bay
        self.before: Bay | None = None
        self.powered, self.aired, self.proven = True, False, False
        self.needless: list[str] = []
        self.idle: list[str] = []

    def make(self, move: Move) -> Made | Stop:
        """Make a move."""
        return self._look(move) if isinstance(move, Look) else self._do(move)

    def _look(self, look: Look) -> Made | Stop:
        stop = self._stop_at(look)
        if stop is not None:
            return stop
        if not self.powered and look.running:
            return Made(look, None)
        case, really = self.case, look if self.powered else _with_all_out(look)
        if self.before is not None:
            shown = {bay: seen(now, really, case.since_days, case.seed) for bay, now in self._two()}
            self.proven = self.proven or len(part(really, shown)) > 1
        return Made(look, reading(self.bay, really, case.since_days, case.seed))

    def _two(self) -> tuple[tuple[str, Bay], ...]:
        return (("before", self.before or self.bay), ("now", self.bay))

    def _stop_at(self, look: Look) -> Stop | None:
        scene = self.bay.scene(look.running if self.powered else ALL_OUT)
        if look.what == "bridge":
            plus, minus = self.bay.analysis.top_posts[0], self.bay.analysis.posts[0]
            return Stop("meter", scene.volts(plus, minus) / METER_OHM)
        if look.what == "inline":
            amps = float(seen(self.bay, look, 0.0, 0)) if self.powered else 0.0
            return Stop("meter", amps) if amps > METER_A else None
        if look.what != "tight" or not self.powered:
            return None
        cable = self.bay.wired.analysis.wiring.cable(look.at)
        amps = 0.0 if cable is None else abs(scene.clamped_a((look.at,), toward=cable.b))
        return Stop("arc", amps) if amps > ARC_A else Stop("short", self._short_a())

    def _short_a(self) -> float:
        """What a spanner between plus and minus would carry: every string's volts over its ohms [A]."""
        bank, network = self.bay.analysis.bank, self.bay.wired.network()
        ohms = [ohm for plus, minus, ohm in network.batteries.values()]
        scene = self.bay.scene("")
        return scene.block_v / max(ohms[0], 1e-9) * bank.parallel

    def _do(self, act: Act) -> Made | Stop:
        if act.do == "down":
            self.powered = False
        elif act.do == "up":
            self.powered = True
        elif act.do == "air":
            self.aired = True
        else:
            return self._mend(act)
        return Made(act, None)

    def _mend(self, act: Act) -> Made | Stop:
        mend = MENDS[act.mend]
        if mend.cold and self.powered:
            return Stop("short", self._short_a())
        if mend.airs and not self.aired and CHEMISTRIES[self.case.plan.bank.chemistry].is_lead:
            return Stop("gas", float("nan"))
        left = mend.leaves(self.bay.wrongs, act.at)
        if left == self.bay.wrongs:
            self.needless += [mend.part] if mend.part else []
            self.idle += [act.mend] if mend.cures and not mend.part else []
        else:
            self.before, self.proven = self.bay, False
            self.bay = self.bay.other(left)
        return Made(act, None)


def played(case: Case, moves: Sequence[Move]) -> Played:
    """Play a case.

    Args:
        case: as drawn.
        moves: in their order; those after a danger are not made.
    """
    play, made, stopped, minutes, first_mend = _Play(case), list[Made](), None, 0.0, len(moves)
    for at, move in enumerate(moves):
        came = play.make(move)
        minutes += move.minutes
        if isinstance(came, Stop):
            stopped = came
            made.append(Made(move, None))
            break
        made.append(came)
        if play.before is not None:
            first_mend = min(first_mend, at)
    return Played(
        tuple(made),
        minutes,
        stopped,
        play.bay.wrongs,
        tuple(play.needless),
        tuple(play.idle),
        play.before is not None,
        play.proven,
        play.powered,
        min(first_mend, len(made)),
    )


def looks_before(moves: Iterable[Move], count: int) -> list[Look]:
    """The looks among the first moves.

    Args:
        moves: in their order.
        count: how many of them.
    """
    return [move for move in list(moves)[:count] if isinstance(move, Look)]
