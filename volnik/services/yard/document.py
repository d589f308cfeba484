"""A rig given out as its open document, and taken in from one."""

from __future__ import annotations

from typing import Any

from volnik.core.document import (
    DocumentRefused,
    RigDocument,
    RigSection,
    WiringSection,
    read_document,
    written,
)
from volnik.core.errors import InvalidInput
from volnik.core.numbers.alarms import Alarms
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.rig import Rig, timeline
from volnik.core.rig.use import Use
from volnik.core.rig.wiring import Wiring
from volnik.core.settings import numbers_from_dict
from volnik.core.values import read_plain
from volnik.services.context import AppContext
from volnik.services.path.drawings import plain
from volnik.services.path.read import survey_of
from volnik.services.yard.summary import refresh
from volnik.store import drawings as drawing_store
from volnik.store import records
from volnik.store import rigs as store


def give_out(context: AppContext, rig_id: int) -> str:
    """The rig as a document; records of work stay here."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        body, _ = drawing_store.head(session, rig_id, "found")
        plan_body, _ = drawing_store.head(session, rig_id, "planned")
        plan = drawing_store.opened(plan_body)
        versions = timeline(store.numbers_versions(session, rig_id))
        alarms = records.alarm_lists(session, rig_id)
    devices, monitor, found = survey_of(drawing_store.opened(body))
    numbers: dict[str, Any] | None = (
        None if not versions else {**versions[-1].numbers.as_dict(), "power_up": versions[-1].power_up}
    )
    if numbers is not None and alarms:
        numbers["alarms"] = alarms[-1].body
    return written(
        RigDocument(
            rig=RigSection(
                name=rig.name,
                silhouette=rig.silhouette,
                what=rig.what,
                zone=rig.zone,
                latitude=rig.latitude,
                climate=rig.climate,
            ),
            bank=None if rig.bank is None else rig.bank.as_dict(),
            devices=devices if body is not None else None,
            monitor=None if monitor == Monitor() else monitor,
            wiring=WiringSection(
                found=found if body is not None else None,
                planned=None if plan is None else Wiring.model_validate(plan["wiring"]),
            ),
            numbers=numbers,
            use=None if rig.use == Use() else rig.use,
        )
    )


def take_in(context: AppContext, text: bytes) -> Rig:
    """A new rig from a document; it is kept whole or not at all.

    Raises:
        DocumentRefused: with a sentence for each place at fault.
    """
    document = read_document(text)
    section = document.rig
    alarms = list((document.numbers or {}).get("alarms") or [])
    if alarms:
        try:
            read_plain(Alarms, {"alarms": alarms}, "numbers")
        except InvalidInput as wrong:
            raise DocumentRefused(wrong.problems) from None
    if section is None:
        raise DocumentRefused({"rig": "The section rig with the rig's name is missing."})
    with context.db.writing() as session:
        rig = store.add_rig(
            session,
            Rig(
                0,
                section.name,
                section.silhouette,
                section.what,
                section.zone,
                context.now(),
                latitude=section.latitude,
                climate=section.climate,
                bank=document.the_bank(),
                use=document.use or Use(),
            ),
        )
        if document.devices is not None or document.wiring.found is not None or document.monitor is not None:
            survey = {
                "devices": [plain(device) for device in document.devices or ()],
                "monitor": plain(document.monitor or Monitor()),
                "wiring": plain(document.wiring.found or Wiring()),
            }
            drawing_store.push(
                session, rig.id, "found", survey, what="taken in from a document", saved_s=context.now()
            )
        if document.wiring.planned is not None:
            drawing_store.push(
                session,
                rig.id,
                "planned",
                {"wiring": plain(document.wiring.planned)},
                what="taken in from a document",
                saved_s=context.now(),
            )
        if document.numbers is not None:
            given: dict[str, Any] = dict(document.numbers)
            power_up = str(given.pop("power_up", "blank"))
            numbers = numbers_from_dict(
                {key: value for key, value in given.items() if key not in ("relay", "alarms")}
            )
            store.add_numbers(
                session,
                rig.id,
                numbers,
                saved_s=context.now(),
                holds_from_s=None,
                reason="taken in from a document",
                power_up=power_up,
            )
        if alarms:
            records.add_alarms(
                session, rig.id, alarms, saved_s=context.now(), reason="taken in from a document"
            )
        refresh(session, context, rig.id, recounted=False)
    return rig
