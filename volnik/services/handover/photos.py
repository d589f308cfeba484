"""Which photos of a rig stand on its papers."""

from __future__ import annotations

from volnik.services.context import AppContext
from volnik.store import drawings
from volnik.store.drawings import Photo


def photos_for_papers(context: AppContext, rig_id: int) -> list[Photo]:
    """The photos of a rig, newest first."""
    with context.db.reading() as session:
        return drawings.photos(session, rig_id)


def choose_photos(context: AppContext, rig_id: int, chosen: set[int]) -> None:
    """Say which photos stand on papers; the others stay with the rig and out of them.

    Args:
        chosen: numbers of those that do.
    """
    with context.change(rig_id) as work:
        for photo in drawings.photos(work.session, rig_id):
            if photo.on_papers != (photo.id in chosen):
                left_out_s = None if photo.id in chosen else context.now()
                drawings.leave_out_photo(work.session, rig_id, photo.id, left_out_s)
        work.record("rig/photos", "photos chosen for the papers")
