"""The cautions, each at the step that needs it.

Source: trade practice; the maker, the local code and a licensed person come before them.
"""

from __future__ import annotations

FIRST = "The battery maker's sheet, the local code and a licensed person come before these steps."
HANDS = (
    "Rings and watch off, glasses on, insulated tools; one post at a time, the other one covered; no flame."
)
GASSING = (
    "Lead-acid gives off hydrogen while and after it charges: rest an hour, lids and bay open, "
    "before any unbolting."
)
FUMES = (
    "Where petrol or gas may lie, air the space first; only ignition-protected fuses, switches and "
    "relays belong there."
)
ARC_48 = "A 48 V battery charges near 58 V: an arc holds, and touch is not harmless."
MAINS = "Inverter outlets and shore inlets can kill: a licensed person's work, not opened here."
PANEL = "Unplug solar only with no current flowing; never take the battery from a controller in the sun."
WIND = "A wind or towed generator is braked by its maker's method and never open-circuited."
ALTERNATOR = "Never open the negative of a running alternator."
ASLEEP = "0 V on a lithium pack may be a sleeping cut-off: treat it as live."
AFLOAT = "Never leave a boat unattended afloat without its bilge pump."
BONDED = "Never lift a bond or an earth with shore power connected."
NEGATIVE_FIRST = "Negatives before positives: a spanner that slips from a positive then meets nothing live."
LIVE_SIDE = "Main fuses out, isolators open: nothing is ever closed at a battery post with a load behind it."
ALIKE = (
    "Join batteries in parallel only when each was filled alone and rested, within 0.1 V (lithium: "
    "the maker's limit); else hundreds of amps flow."
)
STARTS = "Loads may start at the last contact: keep hands away from pumps, fans and windlass."
INRUSH = "Empty capacitors draw hundreds of amps: pre-charge first, or contacts pit and the main fuse goes."
FROZEN = "No charge into a lithium battery below freezing: hold charging until it is warm."
LIFTED = "A rig-side lug is lifted only after the whole power-down."
THIN = "A thin lead on a battery post is fused at the post, and its fuse stays out until the last connection."


def of_bank(*, is_lead: bool, volts: int) -> tuple[str, ...]:
    """What is said before any post is touched.

    Args:
        volts: the voltage class [V].
        is_lead: whether it is a lead bank.
    """
    return (HANDS, *((GASSING,) if is_lead else ()), *((ARC_48,) if volts >= 48 else ()), FIRST)
