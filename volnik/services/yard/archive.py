"""A rig that travels: compared with what is here, merged by its records, which only grow."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO, Literal

from sqlalchemy.orm import Session

from volnik.core.rig.bank import Bank
from volnik.core.rig.rig import Rig, rig_problems
from volnik.core.rig.use import Use
from volnik.services.context import AppContext
from volnik.services.log.recount import recount
from volnik.services.path.read import read_path, survey_of
from volnik.store import chain, drawings, logs, records, watching
from volnik.store import rigs as rig_store
from volnik.store.archive import file as store
from volnik.store.archive import taking
from volnik.store.archive.file import ArchiveRefused, RigArchive

DRAWINGS = {"found": "the drawing of what was found", "planned": "the plan"}
FIELDS = {
    "name": "name",
    "silhouette": "kind of vehicle",
    "what": "what it is",
    "zone": "time zone",
    "latitude": "latitude",
    "climate": "where it lives",
    "language": "its owner's language",
    "bank": "bank",
    "use": "how it is used",
    "archived_s": "where it stands",
}
Choice = Literal["mine", "theirs"]


@dataclass(frozen=True, slots=True)
class Conflict:
    """Something that is otherwise here than in an archive: key, in words, as it is here, as it is there."""

    key: str
    label: str
    here: str
    there: str


@dataclass(frozen=True, slots=True)
class Comparison:
    """An archive beside what is here.

    Attributes:
        rig_id: the rig here, or None where it would be a new one.
        name: of the rig in the archive.
        new: how many records of each kind are not here yet, by table.
        readings: how many readings the archive holds, and how many of these sources are not here.
        conflicts: what has to be chosen.
    """

    rig_id: int | None
    name: str
    new: dict[str, int]
    readings: int
    conflicts: list[Conflict]


def give_out(
    context: AppContext,
    rig_id: int,
    target: Path,
    *,
    program: str,
    on_progress: Callable[[float], None] = lambda done: None,
) -> str:
    """Write a rig's archive; returns the rig's name.

    Raises:
        NotFound: when there is no such rig.
    """
    with context.db.one_reading(), context.db.reading() as session:
        name = rig_store.rig(session, rig_id).name
        store.write_archive(
            session, rig_id, target, made_s=context.now(), program=program, on_progress=on_progress
        )
    return name


def compared(context: AppContext, file: BinaryIO) -> Comparison:
    """What an archive would bring.

    Raises:
        ArchiveRefused: when it cannot be taken in.
    """
    archive = store.open_archive(file)
    with context.db.reading() as session:
        rig_id = taking.rig_here(session, archive.rig["uid"])
        new, known, conflicts = {}, set(), []
        if rig_id is not None:
            conflicts = _conflicts(session, rig_id, archive)
            known = {source.digest for source in logs.sources(session, rig_id)}
        for name, rows in archive.records.items():
            here: set[str] = set()
            if rig_id is not None:
                here = {store.identity(name, row) for _, row in store.rows_of(session, rig_id, name)}
            new[name] = sum(store.identity(name, row) not in here for row in rows)
        home = rig_store.origin(session)
        readings = sum(
            row["readings"] for row in archive.sources if store.home_digest(row["digest"], home) not in known
        )
    return Comparison(rig_id, str(archive.rig["name"]), new, readings, conflicts)


def _conflicts(session: Session, rig_id: int, archive: RigArchive) -> list[Conflict]:
    here = store.rig_fields(session, rig_id)
    found = [
        Conflict(key, label, ours, theirs)
        for key, label in FIELDS.items()
        if (ours := _said(key, here[key])) != (theirs := _said(key, archive.rig[key]))
    ]
    mine_all, other_all = taking.revisions_here(session, rig_id), taking.revisions_there(archive)
    for drawing, label in DRAWINGS.items():
        if taking.diverged(mine_all, other_all, drawing):
            mine, other = (
                side.get((drawing, heads.get(drawing, 0)), {}).get("what") or "begun"
                for side, heads in ((mine_all, here["heads"]), (other_all, archive.rig["heads"]))
            )
            found.append(Conflict(drawing, label, f"last: {mine}", f"last: {other}"))
    return found


def _said(key: str, value: Any) -> str:
    """A field of a rig as the page shows it."""
    if key == "archived_s":
        return "in care" if value is None else "put aside"
    if isinstance(value, dict):
        label = value.get("label")
        rest = {key: one for key, one in value.items() if key != "label"}
        flat = {**label, **rest} if isinstance(label, dict) else rest
        return (
            ", ".join(f"{key} {one}" for key, one in sorted(flat.items()) if one not in (None, "", [])) or "–"
        )
    return "–" if value in (None, "") else str(value)


def take_in(
    context: AppContext,
    file: BinaryIO,
    choices: dict[str, Choice],
    *,
    on_progress: Callable[[float], None] = lambda done: None,
) -> Rig:
    """Take an archive in: a new rig, or what it has more than the one here; all of it or nothing.

    Args:
        choices: whose to keep, by the key of a conflict; mine where nothing was chosen.

    Raises:
        ArchiveRefused: when it cannot be taken in.
    """
    archive = store.open_archive(file)
    _check_rig(archive.rig)
    with context.change() as work:
        session = work.session
        known = taking.rig_here(session, archive.rig["uid"])
        rig_id = taking.add_rig(session, archive) if known is None else known
        work.touch(rig_id)
        if known is not None:
            wanted = {key: archive.rig[key] for key in FIELDS if choices.get(key) == "theirs"}
            if wanted:
                taking.set_rig_fields(session, rig_id, wanted)
        try:
            taken = taking.take_records(session, rig_id, archive)
            for drawing in DRAWINGS:
                taking.take_drawing(
                    session, rig_id, archive, drawing, theirs=choices.get(drawing) == "theirs"
                )
            readings = 0
            for at, row in enumerate(archive.sources):
                readings += taking.take_source(session, rig_id, archive, row)
                on_progress(0.7 * (at + 1) / len(archive.sources))
            chain.take(session, archive.links)
            _read_back(session, context, rig_id)
        except ArchiveRefused:
            raise
        except Exception as wrong:
            raise store.refused(f"Its records cannot be read: {wrong}. Nothing was taken in.") from wrong
        if rig_store.numbers_versions(session, rig_id):
            recount(session, context, rig_id, on_progress=lambda done: on_progress(0.7 + 0.3 * done))
        rig_store.next_revision(session, rig_id)
        words = f"archive taken in: {sum(taken.new.values())} records and {readings} readings new"
        work.record("rig/archive", words, rig_id=rig_id, adds=True)
        return rig_store.rig(session, rig_id)


def _check_rig(rig: dict[str, Any]) -> None:
    """Refuse a rig that could not have been kept here."""
    problems = rig_problems(
        str(rig["name"]), str(rig["silhouette"]), str(rig["zone"]), rig["latitude"], str(rig["language"])
    )
    if problems:
        raise store.refused(" ".join(problems.values()))
    if not isinstance(rig["uid"], str) or not rig["uid"].isalnum() or len(rig["uid"]) > 40:
        raise store.refused("It does not say which rig it is.")
    try:
        if rig["bank"] is not None:
            Bank.from_dict(rig["bank"])
        Use.model_validate(rig["use"] or {})
    except (ValueError, KeyError, TypeError) as wrong:
        raise store.refused(f"Its battery or its use cannot be read: {wrong}.") from None


def _read_back(session: Session, context: AppContext, rig_id: int) -> None:
    """Read all that was taken in as the pages do: what they could not read is not kept."""
    rig = rig_store.rig(session, rig_id)
    rig_store.numbers_versions(session, rig_id)
    rig_store.entries(session, rig_id)
    for each in drawings.as_built(session, rig_id):
        survey_of({**each.body, "monitor": {}})
    if rig.bank is not None:
        read_path(session, context, rig_id)
    for read in (records.ticks, records.proofs, records.alarm_lists, watching.notes, drawings.photos):
        read(session, rig_id)


__all__ = ["ArchiveRefused", "Comparison", "Conflict", "compared", "give_out", "take_in"]
