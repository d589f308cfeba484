"""What values take up in memory, and caches that hold no more than so many bytes."""

from __future__ import annotations

import dataclasses
import sys
from collections.abc import Iterable, Mapping
from typing import Any, TypeVar

import numpy as np
from cachetools import LRUCache

Key = TypeVar("Key")
Value = TypeVar("Value")
DEEPEST = 60  # of values within values; deeper ones are small


def bytes_of(value: Any) -> int:
    """About how many bytes a value takes with all that hangs on it; what is met twice counts once.

    Args:
        value: arrays, containers, data classes, and whatever is in them.
    """
    return _bytes(value, set(), 0)


def _bytes(value: Any, met: set[int], deep: int) -> int:
    if id(value) in met or deep > DEEPEST:
        return 0
    met.add(id(value))
    if isinstance(value, np.ndarray):
        return value.nbytes + sys.getsizeof(0)
    own = sys.getsizeof(value, 64)
    if isinstance(value, str | bytes | int | float | bool) or value is None:
        return own
    return own + sum(_bytes(part, met, deep + 1) for part in _parts(value))


def _parts(value: Any) -> Iterable[Any]:
    """What hangs on a value."""
    if isinstance(value, Mapping):
        return [*value.keys(), *value.values()]
    if isinstance(value, list | tuple | set | frozenset):
        return value
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return [getattr(value, field.name, None) for field in dataclasses.fields(value)]
    return list(getattr(value, "__dict__", {}).values())


class SizedCache(LRUCache[Key, Value]):
    """A cache that lets go of what was not asked for longest once it holds more than so many bytes."""

    def __init__(self, most_bytes: int) -> None:
        super().__init__(most_bytes, getsizeof=lambda value: min(bytes_of(value), most_bytes))
