"""A rig's two drawings read, fitted to its bank and devices."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy.orm import Session

from volnik.core.path.change import Drawing
from volnik.core.path.fitted import fitted
from volnik.core.path.seen import Seen, see
from volnik.core.refused import Refused
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device, Devices
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.rig import Rig
from volnik.core.rig.wiring import Wiring
from volnik.core.shelf.chemistries import Chemistry, with_edits
from volnik.core.shelf.parts import Catalogue
from volnik.services.shelf.catalogue import catalogue_in
from volnik.store import drawings as store
from volnik.store import rigs as rig_store
from volnik.store.drawings import Steps

Which = Literal["found", "planned"]


class NoBankYet(Refused):
    """The rig has no bank yet, so nothing can be drawn."""

    def __init__(self) -> None:
        super().__init__({"bank": "Describe the bank at Survey first: the drawing begins with its posts."})


@dataclass(frozen=True, slots=True)
class RigPath:
    """A rig with its two drawings, fitted to its bank and devices.

    Attributes:
        found, planned: drawings; `planned` is found's copy while no plan was begun.
        begun: whether a plan was begun. found_steps, planned_steps: undo and redo of each.
        stands: what stands, and from when: (wiring, devices, from_s), or found while Wire-up was never closed.
    """

    rig: Rig
    bank: Bank
    chemistry: Chemistry
    devices: tuple[Device, ...]
    monitor: Monitor
    catalogue: Catalogue
    short_ka: float | None
    found: Wiring
    planned: Wiring
    begun: bool
    found_steps: Steps
    planned_steps: Steps
    stood_from_s: float | None

    def drawing(self, which: Which) -> Drawing:
        """One of the two, ready to be changed."""
        return Drawing(
            self.bank, self.devices, self.catalogue.by_key(), self.found if which == "found" else self.planned
        )

    def seen(self, which: Which) -> Seen:
        """One of the two, looked at whole."""
        return see(
            self.bank, self.chemistry, self.devices, self.drawing(which).wiring, monitor=self.monitor, presets=self.catalogue.by_key(),
            short_ka=self.short_ka,
        )  # fmt: skip


def read_path(session: Session, rig_id: int) -> RigPath:
    """A rig with its drawings.

    Raises:
        NoBankYet: when it has no bank. UnknownRig: when there is none.
    """
    rig = rig_store.rig(session, rig_id)
    if rig.bank is None:
        raise NoBankYet
    catalogue = catalogue_in(session)
    presets = catalogue.by_key()
    chemistry = with_edits(rig_store.shop(session, "chemistries"))[rig.bank.chemistry]
    body, found_steps = store.head(session, rig_id, "found")
    devices, monitor, wiring = survey_of(body)
    found = fitted(wiring, rig.bank, devices, presets)
    plan, planned_steps = store.head(session, rig_id, "planned")
    planned = (
        found if plan is None else fitted(Wiring.model_validate(plan["wiring"]), rig.bank, devices, presets, like=found)
    )
    stood = store.stood(session, rig_id)
    part = next((one for one in catalogue.blocks if one.name == rig.bank.product), None)
    return RigPath(
        rig, rig.bank, chemistry, devices, monitor, catalogue, None if part is None else part.short_ka, found, planned, plan is not None,
        found_steps, planned_steps, stood[-1].from_s if stood else None,
    )  # fmt: skip


def survey_of(body: dict[str, Any] | None) -> tuple[tuple[Device, ...], Monitor, Wiring]:
    """Devices, monitor and found wiring from a kept revision; empty without one."""
    if body is None:
        return (), Monitor(), Wiring()
    devices = Devices.model_validate({"devices": body["devices"]}).devices
    return devices, Monitor.model_validate(body["monitor"]), Wiring.model_validate(body["wiring"])
