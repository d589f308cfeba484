"""Resistances to start from where none is known.

Each may be half or twice as large. Source: estimate (docs/domain/path.md).
"""

from __future__ import annotations

JOINT_OHM = 0.0001  # a bolted joint
CHASSIS_OHM = 0.002  # from one landing on a chassis to another
HULL_OHM = 0.0005  # from one landing on a metal hull to another
ISOLATOR_OHM = 0.0002  # a closed switch
# A 12 V block of 100 Ah.
BLOCK_OHM_100AH = {"flooded": 0.004, "agm": 0.004, "gel": 0.004, "lfp": 0.003, "nmc": 0.003}
STARTER_AH = 80.0  # a starter battery: lead, 12 V
CABLE_M = 2.0  # a device's cable whose length nobody measured
LINK_M = 0.3  # a link between blocks
CABLE_MM2 = 6.0
DRIFT = (0.5, 2.0)  # how far off an assumed figure may be


def block_ohm(chemistry: str, cells: int, cells_12v: float, capacity_ah: float) -> float:
    """Internal resistance of a block, from its volts and Ah [ohm].

    A 12 V 100 Ah block scaled, inversely with Ah.

    Args:
        chemistry: key of the chemistry.
        cells: of the bank in series.
        cells_12v: cells of a block.
        capacity_ah: of the bank [Ah].
    """
    return BLOCK_OHM_100AH[chemistry] * (cells / cells_12v) * 100.0 / capacity_ah
