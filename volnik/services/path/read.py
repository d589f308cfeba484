"""A rig's two drawings read, fitted to its bank and devices."""

from __future__ import annotations

import json
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.path.analysis import WiringAnalysis, analyse
from volnik.core.path.edits import Drawing
from volnik.core.path.fitted import fitted, with_found_later
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device, Devices
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.rig import Rig
from volnik.core.rig.wiring import Wiring
from volnik.core.shelf.chemistries import Chemistry, with_edits
from volnik.core.shelf.dialects import Dialect
from volnik.core.shelf.parts import BlockPart, Catalogue
from volnik.services.context import AppContext
from volnik.services.shelf.catalogue import catalogue_of
from volnik.store import drawings as store
from volnik.store import rigs as rig_store
from volnik.store.drawings import Steps

Which = Literal["found", "planned"]


class NoBank(InvalidInput):
    """The rig has no bank yet, so nothing can be drawn."""

    def __init__(self) -> None:
        super().__init__({"bank": "Describe the battery at Survey first: the drawing begins with its posts."})


@dataclass(frozen=True, slots=True)
class RigPath:
    """A rig with its two drawings, fitted to its bank and devices.

    Attributes:
        part: the bank's block as it stands on the Shelf, or None.
        found, planned: drawings; `planned` is found's copy while no plan was begun.
        begun: whether a plan was begun.
        found_steps, planned_steps: undo and redo of each.
        stood_from_s: since when a plan stands; None while what was found does.
        looked: drawings already looked at.
    """

    rig: Rig
    bank: Bank
    chemistry: Chemistry
    devices: tuple[Device, ...]
    monitor: Monitor
    catalogue: Catalogue
    part: BlockPart | None
    found: Wiring
    planned: Wiring
    begun: bool
    found_steps: Steps
    planned_steps: Steps
    stood_from_s: float | None
    looked: dict[str, WiringAnalysis] = field(default_factory=dict)

    @property
    def dialect(self) -> Dialect | None:
        """What the fitted monitor calls its numbers, None where nobody said which it is."""
        wanted = self.monitor.dialect
        return next((dialect for dialect in self.catalogue.dialects if dialect.key == wanted), None)

    def drawing(self, which: Which) -> Drawing:
        """One of the two, ready to be changed."""
        return Drawing(
            self.bank, self.devices, self.catalogue.by_key(), self.found if which == "found" else self.planned
        )

    def analysis(self, which: Which) -> WiringAnalysis:
        """One of the two, looked at whole; once."""
        if which not in self.looked:
            self.looked[which] = self._seen(which)
        return self.looked[which]

    def _seen(self, which: Which) -> WiringAnalysis:
        return analyse(
            self.bank,
            self.chemistry,
            self.devices,
            self.drawing(which).wiring,
            monitor=self.monitor,
            presets=self.catalogue.by_key(),
            short_ka=None if self.part is None else self.part.short_ka,
            stated_ohm=None if self.part is None or self.part.mohm is None else self.part.mohm / 1000.0,
            catalogue=self.catalogue,
            post_thread="" if self.part is None else self.part.stud,
        )


def read_path(session: Session, context: AppContext, rig_id: int) -> RigPath:
    """A rig with its drawings; one already solved is taken from the house while all that went into it is the
    same.

    Raises:
        NoBank: when it has no bank.
        NotFound: when there is none.
    """
    rig = rig_store.rig(session, rig_id)
    if rig.bank is None:
        raise NoBank
    shelf, edits = rig_store.shop(session, "catalogue"), rig_store.shop(session, "chemistries")
    found_body, found_steps = store.head(session, rig_id, "found")
    plan_body, planned_steps = store.head(session, rig_id, "planned")
    as_built = store.last_built_s(session, rig_id)
    key = (rig_id, rig.bank, found_body, plan_body, json.dumps(shelf), json.dumps(edits))
    with context.lock:
        kept: RigPath | None = context.paths.get(key)
        if kept is not None:
            return replace(
                kept, rig=rig, found_steps=found_steps, planned_steps=planned_steps, stood_from_s=as_built
            )
    catalogue = catalogue_of(shelf)
    presets = catalogue.by_key()
    devices, monitor, wiring = survey_of(store.opened(found_body))
    found = fitted(wiring, rig.bank, devices, presets)
    plan = store.opened(plan_body)
    planned = found if plan is None else fitted(_plan_of(plan, found), rig.bank, devices, presets, like=found)
    part = next((block for block in catalogue.blocks if block.name == rig.bank.product), None)
    made = RigPath(
        rig,
        rig.bank,
        with_edits(edits)[rig.bank.chemistry],
        devices,
        monitor,
        catalogue,
        part,
        found,
        planned,
        plan is not None,
        found_steps,
        planned_steps,
        as_built,
    )
    with context.lock:
        context.paths[key] = made
    return made


def _plan_of(body: dict[str, Any], found: Wiring) -> Wiring:
    """The plan of a kept revision; what was found after it joins it, what it took out stays out."""
    planned = Wiring.model_validate(body["wiring"])
    known = body.get("known")
    return planned if known is None else with_found_later(planned, found, set(known))


def survey_of(body: dict[str, Any] | None) -> tuple[tuple[Device, ...], Monitor, Wiring]:
    """Devices, monitor and found wiring from a kept revision; empty without one."""
    if body is None:
        return (), Monitor(), Wiring()
    devices = Devices.model_validate({"devices": body["devices"]}).devices
    return devices, Monitor.model_validate(body["monitor"]), Wiring.model_validate(body["wiring"])
