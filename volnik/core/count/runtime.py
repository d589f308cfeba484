"""Runtime to the reserve, or time to full, from the mean rate over the runtime window."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.settings import Numbers

Flow = Literal["discharging", "charging", "idle", "unknown"]


@dataclass(frozen=True, slots=True)
class Runtime:
    """What the mean rate over the window means.

    Attributes:
        flow: which way the count moves; "unknown" when nothing was counted in the window.
        rate_a: mean dD/dt over the window [A], positive while discharging; NaN when unknown.
        to_reserve_h: hours until the reserve [h], or None.
        to_full_h: hours until full, without absorption [h], or None.
    """

    flow: Flow
    rate_a: float
    to_reserve_h: float | None = None
    to_full_h: float | None = None


def lasts_h(amps: float, ah: float, *, rated_a: float, exponent: float) -> float:
    """How long a draw takes a charge out, counted as a monitor counts it [h].

    T = Q ÷ (I (I ÷ I_rated)^(k − 1)), the bend over the rated amps only; source: Peukert's law.

    Args:
        amps: of the draw [A].
        ah: of charge [Ah].
        rated_a: at which the capacity holds [A].
        exponent: as set.
    """
    bend = max(1.0, amps / rated_a) ** (exponent - 1.0)
    return float(ah / (amps * bend))


def mean_rate_a(time_s: Floats, effective_a: Floats, *, at_s: float, window_s: float, gap_s: float) -> float:
    """Time-weighted mean of dD/dt over (at_s - window_s, at_s], gaps left out [A].

    NaN when nothing was counted.

    Args:
        time_s, effective_a: readings up to `at_s`, shape (n,), and the one before the window too [s, A].
        gap_s: longest interval that is counted [s].

    Source: docs/domain/count.md, rule 7.
    """
    if len(time_s) < 2:
        return math.nan
    interval_s = np.diff(time_s)
    starts_s = np.maximum(time_s[:-1], at_s - window_s)
    ends_s = np.minimum(time_s[1:], at_s)
    weight_s = np.where(interval_s <= gap_s, np.maximum(ends_s - starts_s, 0.0), 0.0)
    total_s = float(weight_s.sum())
    if total_s <= 0.0:
        return math.nan
    return float(-(weight_s * effective_a[1:]).sum() / total_s)


def runtime(rate_a: float, deficit_ah: float, numbers: Numbers) -> Runtime:
    """Hours to the reserve or to full at a steady rate [A, Ah].

    `max(0, C(1 - reserve) - D) / r` while discharging, `D / -r` while charging. Source: docs/domain/count.md,
    rule 7.

    Args:
        rate_a: mean effective current, positive charging [A].
        deficit_ah: Ah below full [Ah].
        numbers: the settings it is counted by.
    """
    if math.isnan(rate_a):
        return Runtime("unknown", rate_a)
    if rate_a == 0.0:
        return Runtime("idle", 0.0)
    flow: Flow = "discharging" if rate_a > 0.0 else "charging"
    if math.isnan(deficit_ah):
        return Runtime(flow, rate_a)
    if rate_a > 0.0:
        return Runtime(flow, rate_a, to_reserve_h=max(0.0, numbers.reserve_ah - deficit_ah) / rate_a)
    return Runtime(flow, rate_a, to_full_h=deficit_ah / -rate_a)
