"""A rig given out as its open document, and taken in from one."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

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
from volnik.store import drawings as drawing_store
from volnik.store import records
from volnik.store import rigs as store

TAKEN_IN = "taken in from a document"


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
                language=rig.language,
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
    alarms = _alarms_of(document)
    if document.rig is None:
        raise DocumentRefused({"rig": "The section rig with the rig's name is missing."})
    with context.change() as work:
        rig = store.add_rig(work.session, _new_rig(document, document.rig, context.now()))
        work.touch(rig.id)
        work.record("rig", f"{rig.name} taken in from a document", rig_id=rig.id)
        _take_drawings(work.session, rig.id, document, context.now())
        _take_numbers(work.session, rig.id, document.numbers, context.now())
        if alarms:
            records.add_alarms(work.session, rig.id, alarms, saved_s=context.now(), reason=TAKEN_IN)
    return rig


def _alarms_of(document: RigDocument) -> list[Any]:
    """The document's alarms, tried; raises DocumentRefused naming each at fault."""
    alarms = list((document.numbers or {}).get("alarms") or [])
    if not alarms:
        return []
    try:
        read_plain(Alarms, {"alarms": alarms}, "numbers")
    except InvalidInput as wrong:
        raise DocumentRefused(wrong.problems) from None
    return alarms


def _new_rig(document: RigDocument, section: RigSection, now_s: float) -> Rig:
    return Rig(
        0,
        section.name,
        section.silhouette,
        section.what,
        section.zone,
        now_s,
        latitude=section.latitude,
        climate=section.climate,
        language=section.language,
        bank=document.the_bank(),
        use=document.use or Use(),
    )


def _take_drawings(session: Session, rig_id: int, document: RigDocument, now_s: float) -> None:
    """Keep what was found and what is planned, as far as the document has them."""
    wiring = document.wiring
    if document.devices is not None or wiring.found is not None or document.monitor is not None:
        survey = {
            "devices": [plain(device) for device in document.devices or ()],
            "monitor": plain(document.monitor or Monitor()),
            "wiring": plain(wiring.found or Wiring()),
        }
        drawing_store.push(session, rig_id, "found", survey, what=TAKEN_IN, saved_s=now_s)
    if wiring.planned is not None:
        body = {"wiring": plain(wiring.planned)}
        drawing_store.push(session, rig_id, "planned", body, what=TAKEN_IN, saved_s=now_s)


def _take_numbers(session: Session, rig_id: int, section: dict[str, Any] | None, now_s: float) -> None:
    """Keep the document's numbers as the rig's first version."""
    if section is None:
        return
    figures = {key: value for key, value in section.items() if key not in ("relay", "alarms", "power_up")}
    store.add_numbers(
        session,
        rig_id,
        numbers_from_dict(figures),
        saved_s=now_s,
        holds_from_s=None,
        reason=TAKEN_IN,
        power_up=str(section.get("power_up", "blank")),
    )
