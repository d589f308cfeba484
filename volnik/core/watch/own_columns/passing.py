"""What a reading's own columns say in passing: cells that part, loads hidden behind chargers."""

from __future__ import annotations

import math
from collections.abc import Mapping

from volnik.core.columns import of_kind
from volnik.core.watch.own_columns.chargers import hidden_now


def said_in_passing(values: Mapping[str, float]) -> tuple[str, ...]:
    """What they say, in words; nothing where no such column came.

    Args:
        values: of a reading by column; NaN where not given.
    """
    told = []
    cells = [values[each.name] for each in of_kind(values, "cell_volts")]
    known = [volts for volts in cells if math.isfinite(volts)]
    if len(known) > 1:
        low, high = min(known), max(known)
        told.append(f"cells {low:.2f} to {high:.2f} V, {1000.0 * (high - low):.0f} mV apart")
    if hidden := hidden_now(values):
        told.append(hidden)
    return tuple(told)
