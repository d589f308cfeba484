"""What batteries take and give where their maker's figures are not known.

Source: trade practice, to start from; the maker's sheet comes before it.
"""

from __future__ import annotations

CHARGE_C = {"lfp": 0.5, "nmc": 0.5, "agm": 0.3, "gel": 0.2, "flooded": 0.2}
"""Amps a string takes for good, of its Ah."""
LFP_DISCHARGE_C = 1.0  # amps a lithium string gives for good, of its Ah
LFP_PEAK = 2.0  # times that, for ten seconds
LEAD_HOURS_C = 0.2  # amps lead gives for hours, of its Ah
