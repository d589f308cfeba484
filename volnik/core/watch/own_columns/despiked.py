"""Figures of a bus without single wild ones: a frame that was read wrongly is no event."""

from __future__ import annotations

import numpy as np

from volnik.core.arrays import Floats


def despiked(values: Floats) -> Floats:
    """The median of each figure and its two neighbours; a step stays a step, one wild figure goes.

    Args:
        values: finite, in order of time, shape (..., n).
    """
    if values.shape[-1] < 3:
        return values
    around = np.concatenate([values[..., 1:2], values, values[..., -2:-1]], axis=-1)
    threes = np.stack([around[..., :-2], around[..., 1:-1], around[..., 2:]])
    return np.asarray(np.median(threes, axis=0), dtype=np.float64)
