"""A piece of work killed at each of its steps: what it opens, renames, removes and tells SQLite."""

import os
import signal
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


def killed_at(step: int, work: Callable[[], None]) -> bool:
    """Do a piece of work in a process of its own that is killed at a step.

    Args:
        step: from 1.

    Returns whether it was killed; False when the work has fewer steps. Raises RuntimeError when it failed.
    """
    _hook()
    child = os.fork()
    if child == 0:
        _steps.left, _steps.pid = step, os.getpid()
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
