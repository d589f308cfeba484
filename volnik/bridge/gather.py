"""Single figures put together as readings: volts and amps of about the same instant, once an interval."""

from __future__ import annotations

import math
import threading
from dataclasses import dataclass, field

from volnik.core.columns import limits_of, row_of
from volnik.core.readings import Row


@dataclass
class Gathered:
    """What was last heard of a rig, by column.

    Attributes:
        too_old_s: after how long a figure no longer stands in a reading [s].
        refused: the last figure that cannot be one, in words; "" for none.
    """

    too_old_s: float
    refused: str = ""
    _heard: dict[str, tuple[float, float]] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def hear(self, column: str, value: float, at_s: float) -> bool:
        """Take a figure; returns whether it can be one.

        Args:
            column: it is of.
            value: in the column's unit.
            at_s: when it was heard [s].
        """
        reason = "is no number." if not math.isfinite(value) else limits_of(column).refusal(value)
        with self._lock:
            if reason:
                self.refused = f"{column} {reason}"
                return False
            self._heard[column] = (value, at_s)
            return True

    def reading(self, at_s: float) -> Row | None:
        """A reading of an instant; None without volts and amps that are fresh.

        Args:
            at_s: the instant [s since 1970].
        """
        with self._lock:
            fresh = {
                name: value for name, (value, heard) in self._heard.items() if at_s - heard <= self.too_old_s
            }
        if "volts" not in fresh or "amps" not in fresh:
            return None
        return row_of(round(at_s * 1000.0), fresh)

    def forget(self) -> None:
        """Forget what was heard: by a clock that was put right nobody knows how old it is."""
        with self._lock:
            self._heard.clear()

    def heard_s(self) -> float:
        """When anything was last heard, NaN for never [s]."""
        with self._lock:
            return max((heard for _, heard in self._heard.values()), default=math.nan)
