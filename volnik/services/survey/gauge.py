"""Survey, the old gauge, the monitor and the photos."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.rig.monitor import Monitor
from volnik.core.rig.photo import ReadyPhoto
from volnik.core.rig.rig import timeline
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.survey.gauge import Lamp, read_lamps, usual_lamps
from volnik.services.context import AppContext
from volnik.services.path.read import RigPath, read_path
from volnik.store import drawings as store
from volnik.store import rigs as rig_store
from volnik.store.drawings import Photo


@dataclass(frozen=True, slots=True)
class GaugeView:
    """What the old gauge tells of this bank; `assumed` while its lamps are only the usual ones."""

    path: RigPath
    chemistry: Chemistry
    monitor: Monitor
    lamps: list[Lamp]
    assumed: bool
    reserve: float
    photos: list[Photo]


def gauge_view(context: AppContext, rig_id: int) -> GaugeView:
    """The gauge's lamps against the bank's rest curve, the monitor and the photos.

    Raises NoBank without a bank.
    """
    with context.db.reading() as session:
        path = read_path(session, context, rig_id)
        held = timeline(rig_store.numbers_versions(session, rig_id))
        photos = store.photos(session, rig_id)
    reserve = (held[-1].numbers.reserve_pct if held else path.chemistry.reserve_pct) / 100.0
    given = path.monitor.lamps_v
    lamps = read_lamps(given or usual_lamps(path.bank, path.chemistry), path.bank, path.chemistry, reserve)
    return GaugeView(path, path.chemistry, path.monitor, lamps, not given, reserve, photos)


def keep_photo(context: AppContext, rig_id: int, photo: ReadyPhoto, *, caption: str) -> int:
    """Keep a photo; returns its number."""
    with context.change(rig_id) as work:
        return store.add_photo(work.session, rig_id, photo, caption=caption, added_s=context.now())


def show_photo(context: AppContext, rig_id: int, photo_id: int, *, small: bool) -> bytes:
    """A photo as JPEG; raises NotFound when the rig has none of that number."""
    with context.db.reading() as session:
        return store.photo_body(session, rig_id, photo_id, small=small)


def remove_photo(context: AppContext, rig_id: int, photo_id: int, *, back: bool = False) -> None:
    """Take a photo out of the rig's pages, or bring it back."""
    with context.change(rig_id) as work:
        session = work.session
        store.remove_photo(session, rig_id, photo_id, None if back else context.now())
