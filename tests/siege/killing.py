"""A piece of work killed at each of its steps: what it opens, renames, removes and tells SQLite."""

import os
import signal
import subprocess
import sys
from collections.abc import Callable

from sqlalchemy import Engine, event

STEPS = {"open", "os.rename", "os.remove", "os.rmdir", "os.mkdir", "sqlite3.connect"}
KILLED = -signal.SIGKILL


class _Steps:
    """Counts steps, and kills this process at one of them; told to by its own process alone."""

    def __init__(self) -> None:
        self.left = self.pid = 0

    def met(self, name: str, _about: object = None) -> None:
        """A step is about to be taken."""
        if os.getpid() != self.pid or name not in STEPS:
            return
        self.left -= 1
        if self.left == 0:
            os.kill(self.pid, signal.SIGKILL)


_steps = _Steps()
_hooked: list[bool] = []


def _hook() -> None:
    if _hooked:
        return
    _hooked.append(True)
    sys.addaudithook(_steps.met)
    event.listen(Engine, "before_cursor_execute", lambda *_: _steps.met("open"))
    event.listen(Engine, "commit", lambda *_: _steps.met("open"))


def arm(step: int) -> None:
    """From here on this process is killed at a step, from 1."""
    _hook()
    _steps.left, _steps.pid = step, os.getpid()


def killed_beside(step: int, module: str, *words: str) -> bool:
    """As `killed_at` for work that cannot be forked: `python -m module words… step` arms itself.

    Raises:
        RuntimeError: when it failed.
    """
    code = subprocess.run([sys.executable, "-m", module, *words, str(step)], check=False).returncode
    if code not in (0, KILLED):
        raise RuntimeError(f"{module} failed by itself, exit {code}")
    return code == KILLED


def killed_at(step: int, work: Callable[[], None]) -> bool:
    """Do a piece of work in a process of its own that is killed at a step.

    Args:
        step: from 1.

    Returns whether it was killed; False when the work has fewer steps. Raises RuntimeError when it failed.
    """
    child = os.fork()
    if child == 0:
        arm(step)
        code = 1
        try:
            work()
            code = 0
        finally:
            os._exit(code)
    code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    if code not in (0, KILLED):
        raise RuntimeError(f"the work failed by itself, exit {code}")
    return code == KILLED
