"""After how long what failed is tried again."""

from __future__ import annotations

BACK_OFF_S = (1.0, 2.0, 5.0, 15.0, 60.0)


def wait_s(failed: int) -> float:
    """How long to wait before the next try [s].

    Args:
        failed: how often it failed in a row before.
    """
    return BACK_OFF_S[min(failed, len(BACK_OFF_S) - 1)]
