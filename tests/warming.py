"""What is made once before the tests are shared out: the compiled loops, kept on disk, and the demo yard.

Else every process would make them at the same time, and pages would wait for it.
"""

from pathlib import Path
from unittest.mock import patch

from tests.core.numbers.vehicles import van
from tests.web.shops import NOW
from volnik.core.numbers.recommend import recommend
from volnik.main import build, warm


def demo_yard(folder: str) -> None:
    """The demo yard, of which every test takes a copy."""
    build(Path(folder), demo=True, now=NOW).close()


def counting() -> None:
    """What counts a log."""
    warm()


def simulating() -> None:
    """What simulates a rig's days and tries settings on them."""
    with patch("volnik.core.numbers.recommend.TRIED_DAYS", 3):
        recommend(van(absorption_v=14.2, float_v=13.5), holds=(180.0,))
