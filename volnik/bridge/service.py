"""The bridge at work: sources are listened to, readings put together, kept, and brought to Volnik."""

from __future__ import annotations

import logging
import threading
import time
from dataclasses import dataclass, field

from volnik.bridge.again import wait_s
from volnik.bridge.box import Box
from volnik.bridge.clock import BridgeClock
from volnik.bridge.gather import Gathered
from volnik.bridge.plan import BridgedRig, BridgePlan
from volnik.bridge.send import MOST_A_POST, HttpSender
from volnik.bridge.sources import listening
from volnik.bridge.sources.heard import Ear, Listening
from volnik.core.errors import InvalidInput

log = logging.getLogger("volnik.bridge")

HEALTH_S = 60.0
ONCE_S = 10.0
COMPARE_S = 3600.0  # between two comparisons of clocks; a small computer drifts seconds a day


@dataclass
class RigBridge:
    """One rig: its sources, what waits for it, how it stands with Volnik.

    Attributes:
        rig: of the file.
        sender: to Volnik.
        gathered: its single figures.
        sources: that are listened to.
        brought: readings brought since the start.
        trouble: with Volnik, in words; "" while it is well.
    """

    rig: BridgedRig
    sender: HttpSender
    gathered: Gathered
    sources: list[Listening] = field(default_factory=list)
    brought: int = 0
    trouble: str = ""
    _portion: int = MOST_A_POST
    _next_s: float = 0.0
    _failed: int = 0
    _due_s: float = 0.0

    def gather(self, box: Box, clock: BridgeClock) -> None:
        """Put a reading together, once an interval.

        Args:
            box: it is kept in.
            clock: of the bridge.
        """
        at_s = clock.now()
        if at_s < self._due_s <= at_s + self.rig.interval_s:
            return
        self._due_s = (at_s // self.rig.interval_s + 1.0) * self.rig.interval_s
        if (row := self.gathered.reading(at_s)) is not None:
            box.put(self.rig.id, [row], by_clock=True)

    def bring(self, box: Box, steady_s: float) -> None:
        """Bring what waits; where that fails, again after a while that grows.

        Args:
            box: it waits in.
            steady_s: of a clock that never jumps [s].
        """
        while steady_s >= self._next_s and (waiting := box.first(self.rig.id, self._portion)):
            try:
                refused = self.sender.send([row for _, row in waiting])
            except ConnectionError as wrong:
                self._wait(steady_s, f"not brought, tried again: {wrong}")
                return
            if refused and self.sender.shut_out:
                self._wait(steady_s, f"refused: {refused}")
                return
            self._failed = 0
            if refused and len(waiting) > 1:
                self._portion = max(1, len(waiting) // 2)  # one of many is at fault: the others go without it
                continue
            self.trouble = f"refused and left out: {refused}" if refused else ""
            self.brought += 0 if refused else len(waiting)
            self._portion = min(MOST_A_POST, 2 * self._portion)
            box.let_go(self.rig.id, waiting[-1][0])

    def _wait(self, steady_s: float, trouble: str) -> None:
        """Try again after a while that grows."""
        self.trouble = trouble
        self._next_s = steady_s + wait_s(self._failed)
        self._failed += 1

    def told(self, box: Box, clock: BridgeClock) -> str:
        """How it stands, in a line.

        Args:
            box: of what waits.
            clock: of the bridge.
        """
        silent_s = clock.now() - self.gathered.heard_s()
        heard = f", last heard {silent_s:.0f} s ago" if silent_s >= 0.0 else ""
        troubles = [self.trouble, *(source.ear.trouble for source in self.sources), self.gathered.refused]
        wrong = "; ".join(trouble for trouble in troubles if trouble)
        return (
            f"rig {self.rig.id}: {self.brought} brought, {box.waits(self.rig.id)} waiting{heard}"
            f"{f' | {wrong}' if wrong else ''}"
        )


class Bridge:
    """All rigs of one SOURCES.toml."""

    def __init__(self, plan: BridgePlan, clock: BridgeClock | None = None) -> None:
        self.plan, self.clock = plan, clock or BridgeClock()
        self.box = Box(plan.volnik.box)
        self._begun = self.box.newest()
        self._compared = False
        self._ended = threading.Event()
        # Held while readings are stamped, and while the clock is put right.
        self._stamping = threading.Lock()
        self._again_s, self._failed = 0.0, 0
        # Apart from what is brought: a link that hangs must not keep readings from being put together.
        self._gathers = threading.Thread(target=self._gather, name="gather", daemon=True)
        self.rigs = [self._rig(rig) for rig in plan.rig]

    def _rig(self, rig: BridgedRig) -> RigBridge:
        sender = HttpSender(self.plan.volnik.address, rig.id, rig.secret)
        bridged = RigBridge(rig, sender, Gathered(rig.too_old_s))
        for at, source in enumerate(rig.source, start=1):
            ear = Ear(rig.id, bridged.gathered, self.clock, self.box)
            try:
                bridged.sources.append(listening(source, ear, rig))
            except ValueError as wrong:
                raise InvalidInput({f"rig {rig.id}, source {at}": f"{wrong}."}) from None
            except ImportError as wrong:
                lacking = f"{wrong.name} is not installed: pip install 'volnik[bridge]'."
                raise InvalidInput({f"rig {rig.id}, source {at}": lacking}) from None
        return bridged

    def check(self) -> list[str]:
        """What stands in the way of Volnik, a sentence each; none where it answers each key."""
        found = []
        for bridged in self.rigs:
            asked_s = time.monotonic()
            try:
                volnik_s = bridged.sender.ends().now_s
            except ConnectionError as wrong:
                found.append(f"rig {bridged.rig.id}: {wrong}")
                continue
            with self._stamping:
                half_s = (time.monotonic() - asked_s) / 2.0  # the answer was on its way for about so long
                self._put_right(self.clock.compared(volnik_s + half_s))
        return found

    def _put_right(self, off_s: float) -> None:
        """Readings of this run that were stamped by a clock that stood wrong go where they belong."""
        if off_s:
            for bridged in self.rigs:
                bridged.gathered.forget()
        if off_s and not self._compared:
            self.box.moved(self._begun, round(off_s * 1000.0))
            log.warning(
                "This clock was %.0f s %s; it goes by Volnik's now.",
                abs(off_s),
                "behind" if off_s > 0 else "ahead",
            )
        self._compared = True

    def start(self) -> None:
        """Listen to every source."""
        for bridged in self.rigs:
            for source in bridged.sources:
                source.start()
        self._gathers.start()

    def _gather(self) -> None:
        """Put readings together until stopped."""
        shortest_s = min(bridged.rig.interval_s for bridged in self.rigs)
        while not self._ended.wait(min(0.5, shortest_s / 2.0)):
            with self._stamping:
                for bridged in self.rigs:
                    bridged.gather(self.box, self.clock)

    def turn(self) -> None:
        """Once round: the clock compared, from time to time, and what waits brought."""
        if time.monotonic() >= self._again_s:
            away = self.check()
            self._failed = self._failed + 1 if away else 0
            self._again_s = time.monotonic() + (wait_s(self._failed - 1) if away else COMPARE_S)
        for bridged in self.rigs:
            bridged.bring(self.box, time.monotonic())

    def run(self) -> None:
        """Run until stopped."""
        self.start()
        health_s = time.monotonic() + 5.0
        while not self._ended.wait(0.2):
            self.turn()
            if time.monotonic() >= health_s:
                health_s = time.monotonic() + HEALTH_S
                self._tell()
        self.close()

    def _tell(self) -> None:
        """Say how it stands, here and to Volnik."""
        for bridged in self.rigs:
            told = bridged.told(self.box, self.clock)
            log.info("%s", told)
            bridged.sender.say(told)

    def for_a_while(self, seconds: float) -> None:
        """Listen for some seconds, bring what was heard, tell how it stands.

        Args:
            seconds: to listen [s].
        """
        self.start()
        until_s = time.monotonic() + seconds
        while time.monotonic() < until_s:
            self.turn()
            time.sleep(0.2)
        self._tell()
        self.close()

    def stop(self) -> None:
        """End `run`."""
        self._ended.set()

    def close(self) -> None:
        """End every source, and close the box."""
        self._ended.set()
        if self._gathers.is_alive():
            self._gathers.join(10.0)
        for bridged in self.rigs:
            for source in bridged.sources:
                source.close()
            bridged.sender.close()
        self.box.close()
