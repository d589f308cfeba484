"""The compiled loops, compiled once and kept on disk before the tests are shared out.

Else every process would compile each of them at the same time, and pages would wait for it.
"""

from unittest.mock import patch

from tests.core.numbers.vehicles import van
from volnik.core.numbers.recommend import recommend
from volnik.main import warm


def counting() -> None:
    """What counts a log."""
    warm()


def simulating() -> None:
    """What simulates a rig's days and tries settings on them."""
    with patch("volnik.core.numbers.recommend.TRIED_DAYS", 3):
        recommend(van(absorption_v=14.2, float_v=13.5), holds=(180.0,))
