"""The setting recommended for a rig, or none: what the simulation of its days found."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

GASSING_FROM = 0.85  # charge; source: trade practice


@dataclass(frozen=True, slots=True)
class Weathered:
    """What a setting does in one plain weather. full_legs: charges that filled the bank; months.

    How long it was tried.
    """

    name: str
    zone: str
    message: str
    resets: int
    full_legs: int
    months: float
    peak: float


@dataclass(frozen=True, slots=True)
class Recommended:
    """The recommended setting, or none.

    Attributes:
        charged_voltage_v, tail_current_pct, hold_s: the setting; None where no setting can work.
        up_v, down_v, wider_pct, narrower_pct: how far each may be moved before it matters [V, % of C].
        basin: cells as good, shape (50, 50).
        regret: worst expected error over the best possible, share of C.
        weathers: what it does in each.
        sentence: the verdict.
        hold_regret: least regret at each hold stop.
        filled: whether any weather fills the bank.
        kept: see `kept_share`, of the simulated spring.
    """

    charged_voltage_v: float | None
    tail_current_pct: float | None
    hold_s: float | None
    basin: Any
    regret: float
    weathers: list[Weathered]
    sentence: str
    hold_regret: dict[float, float]
    filled: bool
    kept: float
    up_v: float = 0.0
    down_v: float = 0.0
    wider_pct: float = 0.0
    narrower_pct: float = 0.0

    @property
    def stands(self) -> bool:
        """Whether a setting is recommended at all."""
        return self.charged_voltage_v is not None
