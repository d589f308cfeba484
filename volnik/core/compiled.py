"""Loops compiled by numba when they are first called.

Importing numba takes a third of a second, which nobody should pay who only looks at a page: a command or a
server that counts nothing never imports it.
"""

from __future__ import annotations

import functools
import threading
from collections.abc import Callable
from typing import Any, Generic, ParamSpec, TypeVar

Given = ParamSpec("Given")
Answer = TypeVar("Answer")
_COMPILING = threading.RLock()


class Compiled(Generic[Given, Answer]):
    """A function that numba compiles at its first call; called as the function itself."""

    def __init__(self, function: Callable[Given, Answer], options: dict[str, Any]) -> None:
        functools.update_wrapper(self, function)
        self._function, self._options = function, options
        self._loop: Callable[Given, Answer] | None = None

    def __call__(self, *args: Given.args, **kwargs: Given.kwargs) -> Answer:
        """Call it, compiled."""
        return (self._loop or self.loop())(*args, **kwargs)

    def loop(self) -> Callable[Given, Answer]:
        """The loop as numba's own, with those that it calls."""
        with _COMPILING:
            if self._loop is None:
                from numba import njit

                self._loop = njit(cache=True, nogil=True, **self._options)(self._function)
                # Compiled code can only call what numba knows: names it uses become the loops themselves.
                known = self._function.__globals__
                for name in self._function.__code__.co_names:
                    if isinstance(called := known.get(name), Compiled):
                        known[name] = called.loop()
            return self._loop


def compiled(**options: Any) -> Callable[[Callable[Given, Answer]], Compiled[Given, Answer]]:
    """Have a function compiled at its first call, kept on disk, and run without holding the interpreter.

    Options are further ones of numba's `njit`, such as fastmath.
    """
    return lambda function: Compiled(function, options)
