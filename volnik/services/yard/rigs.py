"""The Yard: all rigs in care, in order of need."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.errors import InvalidInput
from volnik.core.rig.rig import Rig, rig_problems
from volnik.core.stages import StageStatus, stage_statuses
from volnik.core.watch.alarm_engine import describe
from volnik.services.context import AppContext
from volnik.services.shelf.chemistries import table_of
from volnik.store import drawings as drawing_store
from volnik.store import rigs as store
from volnik.store import watching

DESCRIBED = ("name", "silhouette", "what", "zone", "latitude", "climate", "language")


class RigRefused(InvalidInput):
    """A rig that cannot be named so. `problems` maps each field to a sentence."""


@dataclass(frozen=True, slots=True)
class RigStrip:
    """One rig in the Yard: the rig, its bank in short, its stages; `stood_from_s`.

    Since when a plan stands, `planned`: whether there is one; `alarm`: the live alarm that is open longest,
    in a sentence, or "".
    """

    rig: Rig
    bank_short: str
    stages: list[StageStatus]
    planned: bool = False
    stood_from_s: float | None = None
    alarm: str = ""

    @property
    def has_history(self) -> bool:
        """Whether it was wired or read, so that a visit can have ended something."""
        return self.stood_from_s is not None or not math.isnan(self.rig.summary.at_s)


def is_empty(context: AppContext) -> bool:
    """Whether the shop has no rig at all, none put aside either."""
    with context.db.reading() as session:
        return store.is_empty(session)


def rig_of_demo(context: AppContext, key: str) -> int | None:
    """The number of a demo rig, None where it is not there."""
    with context.db.reading() as session:
        return store.rig_of_demo(session, key)


def stages_of(rig: Rig, *, has_numbers: bool) -> list[StageStatus]:
    """Where each stage of a rig stands, from what is on record."""
    return stage_statuses(rig.summary.facts(has_bank=rig.bank is not None, has_numbers=has_numbers))


def yard(context: AppContext, *, search: str = "", archived: bool = False) -> list[RigStrip]:
    """The rigs, most in need first, those that match the search."""
    with context.db.reading() as session:
        rigs = store.all_rigs(session, archived=archived)
        table = table_of(session)
        numbered = store.rigs_with_numbers(session)
        opened = {
            incident.rig_id: describe(incident.incident)
            for incident in watching.incidents(session, open_only=True)
            if incident.acked_s is None
        }
    found = []
    for rig in rigs:
        short = rig.bank.in_short(table[rig.bank.chemistry]) if rig.bank else ""
        if search.lower() in f"{rig.name} {rig.what} {short}".lower():
            found.append(
                RigStrip(
                    rig, short, stages_of(rig, has_numbers=rig.id in numbered), alarm=opened.get(rig.id, "")
                )
            )
    return sorted(found, key=lambda strip: (not strip.alarm, -strip.rig.summary.need, strip.rig.name))


def rig_head(context: AppContext, rig_id: int) -> RigStrip:
    """One rig with its stages, for the head of its pages."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        table = table_of(session)
        has_numbers = bool(store.numbers_versions(session, rig_id))
        planned = drawing_store.head(session, rig_id, "planned")[0] is not None
        as_built = drawing_store.as_built(session, rig_id)
    short = rig.bank.in_short(table[rig.bank.chemistry]) if rig.bank else ""
    return RigStrip(
        rig,
        short,
        stages_of(rig, has_numbers=has_numbers),
        planned,
        as_built[-1].from_s if as_built else None,
    )


def new_rig(
    context: AppContext,
    *,
    name: str,
    silhouette: str,
    what: str,
    zone: str,
    latitude: float | None = None,
    climate: str = "",
    language: str = "",
) -> Rig:
    """Take a rig into the yard.

    Raises:
        RigRefused: naming each field at fault.
    """
    if problems := rig_problems(name, silhouette, zone, latitude, language or "en"):
        raise RigRefused(problems)
    with context.change(by_user=False) as work:
        made = Rig(
            0,
            name.strip(),
            silhouette,
            what.strip()[:200],
            zone,
            context.now(),
            latitude=latitude,
            climate=climate.strip()[:80],
            language=language or "en",
        )
        rig = store.add_rig(work.session, made)
        work.touch(rig.id)
        work.record("rig", f"{rig.name} taken in", rig_id=rig.id)
    return rig


def rename(
    context: AppContext,
    rig_id: int,
    *,
    name: str,
    silhouette: str,
    what: str,
    zone: str,
    latitude: float | None = None,
    climate: str = "",
    language: str = "",
) -> Rig:
    """Say anew what a rig is and where; its owner's language stays where none is said.

    Raises:
        RigRefused: naming each field at fault.
    """
    with context.change(rig_id) as work:
        was = store.rig(work.session, rig_id)
        language = language or was.language
        if problems := rig_problems(name, silhouette, zone, latitude, language):
            raise RigRefused(problems)
        before = _described(was)
        rig = store.change_rig(
            work.session,
            rig_id,
            name=name.strip(),
            silhouette=silhouette,
            what=what.strip()[:200],
            zone=zone,
            latitude=latitude,
            climate=climate.strip()[:80],
            language=language,
        )
        work.record("rig/name", "name and place said anew", before=before, after=_described(rig))
        return rig


def _described(rig: Rig) -> dict[str, object]:
    return {name: getattr(rig, name) for name in DESCRIBED}


def speak(context: AppContext, rig_id: int, language: str) -> Rig:
    """Say which language a rig's owner reads in.

    Raises:
        RigRefused: where there are no papers in it.
    """
    with context.change(rig_id) as work:
        rig = store.rig(work.session, rig_id)
        if problems := rig_problems(rig.name, rig.silhouette, rig.zone, rig.latitude, language):
            raise RigRefused(problems)
        before = _described(rig)
        rig = store.change_rig(work.session, rig_id, language=language)
        work.record("rig/name", "owner's language said anew", before=before, after=_described(rig))
        return rig


def archive(context: AppContext, rig_id: int, *, back: bool = False) -> Rig:
    """Put a rig aside, or bring it back; nothing is deleted."""
    with context.change(rig_id) as work:
        work.record("rig/aside", "brought back" if back else "put aside")
        return store.change_rig(work.session, rig_id, archived_s=None if back else context.now())
