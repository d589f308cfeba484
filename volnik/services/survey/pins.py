"""Pins on a rig's photos: set, taken out, read."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.rig.rig import NotFound
from volnik.core.wireup.pins import MOST_PINS, Pin, pin_body
from volnik.services.context import AppContext
from volnik.services.path.read import read_path
from volnik.store import drawings as store
from volnik.store import watching
from volnik.store.drawings import Photo

KIND = "pin"


@dataclass(frozen=True, slots=True)
class PinnedPhoto:
    """A photo with its pins, and the devices a pin can be about, by id."""

    photo: Photo
    pins: list[Pin]
    devices: dict[str, str]

    @property
    def placed(self) -> list[tuple[Pin, float, float]]:
        """Each pin with its place on the photo [pixels]."""
        photo = self.photo
        return [(pin, round(pin.x * photo.width, 1), round(pin.y * photo.height, 1)) for pin in self.pins]

    @property
    def radius(self) -> float:
        """Of a pin as it is drawn [pixels]."""
        return round(self.photo.width / 30.0, 1)


def pins_of(session: Session, rig_id: int) -> list[Pin]:
    """The pins of a rig, in the order they were set."""
    return [Pin(note.id, **note.body) for note in watching.notes(session, rig_id, KIND)]


def pinned_photos(context: AppContext, rig_id: int) -> dict[int, PinnedPhoto]:
    """The photos of a rig that carry pins, by number."""
    with context.db.reading() as session:
        pins = pins_of(session, rig_id)
        photos = {photo.id: photo for photo in store.photos(session, rig_id)}
    numbers = dict.fromkeys(pin.photo for pin in pins if pin.photo in photos)
    return {
        number: PinnedPhoto(photos[number], [pin for pin in pins if pin.photo == number], {})
        for number in numbers
    }


def pinned_photo(context: AppContext, rig_id: int, photo_id: int) -> PinnedPhoto:
    """One photo with its pins.

    Raises:
        NotFound: when the rig has no such photo.
        NoBank: when it has no bank.
    """
    with context.db.reading() as session:
        photo = next((photo for photo in store.photos(session, rig_id) if photo.id == photo_id), None)
        if photo is None:
            raise NotFound("photo", photo_id)
        pins = [pin for pin in pins_of(session, rig_id) if pin.photo == photo_id]
        devices = {device.id: device.name for device in read_path(session, context, rig_id).devices}
    return PinnedPhoto(photo, pins, devices)


def set_pin(context: AppContext, rig_id: int, given: dict[str, Any], *, who: str) -> int:
    """Set a pin; returns its number.

    Raises:
        InvalidInput: naming what is missing.
        NotFound: when the rig has no such photo.
    """
    shown = pinned_photo(context, rig_id, int(given["photo"]))
    body = pin_body(given, shown.devices)
    with context.change(rig_id) as work:
        if len(pins_of(work.session, rig_id)) >= MOST_PINS:
            raise InvalidInput({"x": f"A rig has at most {MOST_PINS} pins; take one out first."})
        now_s = context.now()
        return watching.add_note(work.session, rig_id, KIND, time_s=now_s, saved_s=now_s, who=who, body=body)


def take_pin_out(context: AppContext, rig_id: int, pin_id: int, *, back: bool = False) -> None:
    """Take a pin out, or bring it back; raises NotFound where there is none."""
    with context.change(rig_id) as work:
        watching.withdraw_note(work.session, rig_id, pin_id, None if back else context.now())
