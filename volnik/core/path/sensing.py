"""What the monitor's volts are off by: the drop between where its leads land and the bank's own posts."""

from __future__ import annotations

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.rig.studs import block_names


def sense_ohm(analysis: WiringAnalysis) -> float:
    """Volts the monitor reads above the bank's own for each amp of charge [ohm]; 0 while nothing charges.

    V error = I x R of what lies between the bank's posts, the supply lead's landing and the shunt's bank
    side, along the way of the largest mix of chargers.

    Args:
        analysis: the drawing, with or without a shunt.
    """
    lead = analysis.supply_lead
    if lead is None or analysis.wiring.shunt is None:
        return 0.0
    flow = analysis.chargers.flow
    rows = block_names(analysis.bank)
    amps = sum(abs(flow.amps.get(f"block:{row[0]}", 0.0)) for row in rows)
    needed = (lead.b, "shunt.bank", f"{rows[0][0]}.plus", f"{rows[-1][-1]}.minus")
    if amps < 1e-9 or any(stud not in flow.potential_v for stud in needed):
        return 0.0
    landing_v, minus_v, top_v, bottom_v = (flow.potential_v[stud] for stud in needed)
    return ((landing_v - minus_v) - (top_v - bottom_v)) / amps
