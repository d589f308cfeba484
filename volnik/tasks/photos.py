"""A photo taken in: read by the feeds, kept by the services."""

from __future__ import annotations

from typing import BinaryIO

from volnik.feeds.photos import MOST_BYTES, read_photo
from volnik.services.context import AppContext
from volnik.services.survey.gauge import keep_photo


def take_photo(context: AppContext, rig_id: int, file: BinaryIO, caption: str) -> int:
    """Keep a photo with its rig; returns its number.

    Raises:
        PhotoRefused: for a file that cannot be kept as a photo.
    """
    ready = read_photo(file.read(MOST_BYTES + 1))
    return keep_photo(
        context,
        rig_id,
        caption=caption,
        size=ready.size,
        digest=ready.digest,
        body=ready.body,
        small=ready.small,
    )
