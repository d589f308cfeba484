"""What the head of a rig's pages says of the wiring they stand on."""

from __future__ import annotations

from volnik.services.yard.rigs import RigStrip
from volnik.web.page import when

ON_THE_PLAN = ("path", "numbers", "handover")
ON_WHAT_STANDS = ("prove", "watch")


def wiring_words(head: RigStrip, stage: str) -> str:
    """The wiring a stage's pages reckon with, "" where none matters."""
    if stage in ON_THE_PLAN:
        return "as planned" if head.planned else "no plan yet, as found"
    if stage not in ON_WHAT_STANDS:
        return ""
    if head.stood_from_s:
        return f"as it is since {when(head.stood_from_s, head.rig.zone, 'day')}"
    return "as it is, as found"
