"""What is no fault, shown on a rig's own log."""

from __future__ import annotations

from volnik.core.watch.complaints.own import LOOKS, Seen, seen
from volnik.services.context import AppContext
from volnik.services.watch.loads import loads_view


def seen_here(context: AppContext, rig_id: int, cause: str) -> Seen | None:
    """The last time the rig's log of three weeks shows what a cause is about, or None."""
    if cause not in LOOKS:
        return None
    facts = loads_view(context, rig_id).facts
    return None if facts is None or facts.trouble else seen(cause, facts)
