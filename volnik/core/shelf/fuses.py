"""Fuses: the sizes they come in, what they resist, and what each kind breaks.

Source: trade practice, starting values; the figures on the fuse come before them.
"""

from __future__ import annotations

SIZES_A = (
    1.0,
    2.0,
    3.0,
    5.0,
    7.5,
    10.0,
    15.0,
    20.0,
    25.0,
    30.0,
    40.0,
    50.0,
    60.0,
    70.0,
    80.0,
    100.0,
    125.0,
    150.0,
    175.0,
    200.0,
    225.0,
    250.0,
    300.0,
    350.0,
    400.0,
    500.0,
    600.0,
)
MARGIN = 1.25  # of a fuse over the continuous load
LOSS_V = 0.07  # over a fuse at its rated amps


def next_size(amps: float, *, itself: bool = False) -> float:
    """The next standard size above so many amps [A]; beyond the table the amps themselves.

    Args:
        amps: to be passed [A].
        itself: whether a size of just so many will do.
    """
    above = (size for size in SIZES_A if size > amps * 1.0001 or (itself and size >= amps * 0.9999))
    return next(above, amps)


def fuse_ohm(amps: float) -> float:
    """What a fuse resists, from its loss at rated amps [ohm].

    Args:
        amps: its rating [A].
    """
    return LOSS_V / amps
