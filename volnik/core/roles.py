"""Who may do what: the roles that are paired with a phone, and which each route lets in."""

from __future__ import annotations

from typing import Literal

Role = Literal["installer", "helper", "owner"]

ROLES: dict[Role, tuple[str, str]] = {
    "installer": ("installer", "everything but Doors"),
    "helper": ("helper", "looks at every rig; ticks, measures, takes photos, brings readings"),
    "owner": ("owner", "looks at one rig"),
}
"""Each role's word, and what it may."""

IDLE_DAYS, MOST_DAYS = 30, 180  # a phone that was sold or lost is out by itself
DAY_S = 86_400.0


def has_ended(paired_s: float, seen_s: float, now_s: float) -> bool:
    """Whether a session ran out: not used for a month, or paired half a year ago.

    Args:
        paired_s, seen_s, now_s: when it was paired and last used, and now [s since 1970].
    """
    return now_s - seen_s > IDLE_DAYS * DAY_S or now_s - paired_s > MOST_DAYS * DAY_S
