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
VEHICLE_V = 32.0  # DC volts of common vehicle fuses
DC_V = (58.0, 80.0, 125.0, 250.0)  # DC volts that higher ones come with
BOLTED_A = 60.0  # from which a fuse is bolted between two lugs; source: trade practice
HOLDER_THREADS = (
    (200.0, "M6"),
    (2000.0, "M8"),
)  # up to so many amps, usual studs of a holder; source: estimate
THIN_A, THIN_MM = 1.0, 50.0  # of a thin lead: its fuse, and how near its source
TOP = 1.25  # times nominal, to which a battery is charged at most
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


def holder_thread(amps: float) -> str:
    """The studs a fuse's holder usually has; "" where it takes no lugs.

    Args:
        amps: rating of the fuse [A].
    """
    if amps < BOLTED_A:
        return ""
    return next((thread for most, thread in HOLDER_THREADS if amps <= most), "")


def fuse_ohm(amps: float) -> float:
    """What a fuse resists, from its loss at rated amps [ohm].

    Args:
        amps: its rating [A].
    """
    return LOSS_V / amps


def dc_volts(top_v: float) -> float | None:
    """The DC volts a fuse must be bought for; None where any vehicle fuse will do [V].

    Args:
        top_v: the highest volts of its battery [V].
    """
    if top_v <= VEHICLE_V:
        return None
    return next((volts for volts in DC_V if volts >= top_v), None)


def thin_fuse(nominal_v: float) -> dict[str, float | None]:
    """The fuse of a thin lead at its source, as a drawing has it.

    Args:
        nominal_v: of its battery [V].
    """
    return {"amps": THIN_A, "from_post_mm": THIN_MM, "volts": dc_volts(TOP * nominal_v)}
