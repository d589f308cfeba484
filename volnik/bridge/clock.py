"""The bridge's clock: small computers wake without the time, and are put right while they run."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

OFF_S = 2.0  # from which this clock is put right by Volnik's


class BridgeClock:
    """Seconds since 1970 that go on evenly whatever the machine's own clock does, put right by Volnik's.

    Args:
        wall, steady: the machine's clock, and one that never jumps.
    """

    def __init__(
        self, wall: Callable[[], float] = time.time, steady: Callable[[], float] = time.monotonic
    ) -> None:
        self._steady = steady
        self._begun = wall() - steady()
        self._lock = threading.Lock()
        self.off_s = 0.0

    def now(self) -> float:
        """The instant [s since 1970]."""
        with self._lock:
            return self._steady() + self._begun

    def compared(self, volnik_s: float) -> float:
        """Compare with Volnik's clock; returns how much later this one was put [s], 0 where it was right.

        Args:
            volnik_s: what Volnik's clock says now [s since 1970].
        """
        with self._lock:
            self.off_s = volnik_s - (self._steady() + self._begun)
            if abs(self.off_s) <= OFF_S:
                return 0.0
            self._begun += self.off_s
            return self.off_s
