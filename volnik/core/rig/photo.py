"""A photo made ready to be kept with a rig."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class ReadyPhoto:
    """A photo freed of all that was hidden in its file.

    Attributes:
        size: width and height [pixels].
        digest: by which it is known again.
        body, small: JPEG, at most 1600 and 320 pixels a side.
    """

    size: tuple[int, int]
    digest: str
    body: bytes
    small: bytes
