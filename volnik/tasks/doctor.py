"""`volnik doctor`: whether a data folder and the server on it are in order, and what to do where not."""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
import stat
import time
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Any, Literal

import httpx2
from sqlalchemy import create_engine
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session
from sqlalchemy.pool import NullPool

from volnik.core.instants import iso_text
from volnik.store.chain import faults, head
from volnik.store.lock import NOTE
from volnik.store.migrating import versions
from volnik.store.staging import DATABASES, MAIN, SECRET
from volnik.tasks.backups import DAY_S, BackupKeeper
from volnik.tasks.health import LEAST_FREE

MOST_TOLD = 5  # faults of the record
BUILT_S = 1_767_225_600.0  # 2026: a clock before it was never set
OLD_DAYS = 2.0  # a backup older than that means that none is made


@dataclass(frozen=True, slots=True)
class Diagnosis:
    """One thing looked at: in order, worth a look, or to be mended now; what was found, and what to do."""

    level: Literal["well", "look", "stop"]
    about: str
    found: str
    remedy: str = ""


def examine(folder: Path, *, now_s: float | None = None) -> Iterator[Diagnosis]:
    """Look at a data folder, beside a running server too.

    Args:
        now_s: this machine's clock [s since 1970], by default.
    """
    now_s = time.time() if now_s is None else now_s
    if not folder.is_dir():
        yield Diagnosis("stop", "data folder", f"{folder} is not there.", "Name another one with --data.")
        return
    yield _writable(folder)
    yield _room(folder)
    for name in DATABASES:
        if (folder / name).is_file() or name == MAIN:
            yield _whole(folder / name)
    yield _version(folder / MAIN)
    yield from _chain(folder / MAIN)
    yield _secret(folder / SECRET)
    yield _clock(folder, now_s)
    yield _backups(folder, now_s)
    yield _server(folder)


def _writable(folder: Path) -> Diagnosis:
    if not os.access(folder, os.W_OK):
        remedy = "Give it back to the user who starts Volnik, or mount its disk for writing."
        return Diagnosis("stop", "data folder", f"{folder} cannot be written.", remedy)
    if folder.stat().st_mode & stat.S_IWOTH:
        remedy = f"chmod o-w {folder}"
        return Diagnosis("look", "data folder", f"Any user of this machine may write to {folder}.", remedy)
    return Diagnosis("well", "data folder", f"{folder} can be written.")


def _room(folder: Path) -> Diagnosis:
    free = shutil.disk_usage(folder).free
    words = f"{free / 1e9:.1f} GB are free."
    if free < LEAST_FREE:
        return Diagnosis("stop", "disk", words, "Make room: with a full disk no reading is kept.")
    return Diagnosis("well", "disk", words)


def _whole(database: Path) -> Diagnosis:
    """Whether every page of a database is what SQLite wrote."""
    remedy = "Stop Volnik, keep the folder as it is, and bring a backup back: volnik restore FILE."
    try:
        with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as opened:
            found = [str(row[0]) for row in opened.execute("PRAGMA integrity_check(5)")]
    except sqlite3.Error as wrong:
        return Diagnosis("stop", database.name, f"It cannot be read: {wrong}.", remedy)
    if found != ["ok"]:
        return Diagnosis("stop", database.name, f"It is damaged: {'; '.join(found)}.", remedy)
    return Diagnosis("well", database.name, "It is whole.")


def _version(database: Path) -> Diagnosis:
    try:
        with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as opened:
            found = str(opened.execute("SELECT version_num FROM alembic_version").fetchone()[0])
    except (sqlite3.Error, TypeError):
        return Diagnosis("stop", "version", "The database does not say its version.", "Restore a backup.")
    if found not in versions():
        return Diagnosis("stop", "version", f"The database is of a newer Volnik ({found}).", "Update Volnik.")
    if found != versions()[-1]:
        words = f"The database is of version {found}; this Volnik has {versions()[-1]}."
        return Diagnosis("look", "version", words, "The next start brings it there, with a copy put aside.")
    return Diagnosis("well", "version", f"The database is of version {found}.")


def _chain(database: Path) -> Iterator[Diagnosis]:
    """Whether proofs, ticks and sheets are as they were first written."""
    engine = create_engine(f"sqlite:///file:{database}?mode=ro&uri=true", poolclass=NullPool)
    try:
        with Session(engine) as session:
            found = list(islice(faults(session), MOST_TOLD))
            whole = head(session)
    except SQLAlchemyError:
        return  # of an older version, or not to be read: that is told above
    finally:
        engine.dispose()
    if found:
        told = "; ".join(f"{fault.place}: {fault.what}" for fault in found)
        remedy = (
            "Compare with a backup, and with printed papers; who changed the file by hand has to say why."
        )
        yield Diagnosis("stop", "record", f"It is not as it was written: {told}.", remedy)
    else:
        yield Diagnosis("well", "record", f"It is as it was written; its head is {whole[:16] or 'empty'}.")


def _secret(secret: Path) -> Diagnosis:
    if not secret.is_file() or len(secret.read_bytes().strip()) < 32:
        words = "The secret that signs forms and phones is missing or too short."
        return Diagnosis("stop", "secret", words, "Stop Volnik, delete it, start again; pair phones anew.")
    if secret.stat().st_mode & (stat.S_IRWXG | stat.S_IRWXO):
        words = "Other users of this machine can read the secret that signs forms and phones."
        return Diagnosis("look", "secret", words, f"chmod 600 {secret}")
    return Diagnosis("well", "secret", "It is there, and only this user reads it.")


def _clock(folder: Path, now_s: float) -> Diagnosis:
    """Whether this machine's clock can be right: not before the program, and not before what it wrote."""
    newest_s = max((path.stat().st_mtime for path in folder.iterdir()), default=0.0)
    words = f"It says {iso_text(now_s)}."
    if now_s < BUILT_S or newest_s > now_s + DAY_S:
        return Diagnosis("stop", "clock", f"{words} That is before what was written here.", "Set the clock.")
    return Diagnosis("well", "clock", words)


def _backups(folder: Path, now_s: float) -> Diagnosis:
    kept = BackupKeeper(folder).kept()
    if not kept:
        return Diagnosis("look", "backup", "There is none yet.", "volnik backup FILE, best on another disk.")
    days = (now_s - kept[-1].made_s) / DAY_S
    words = f"{len(kept)} are kept; the last is {days:.1f} days old."
    if days > OLD_DAYS:
        return Diagnosis("look", "backup", words, "Volnik makes one a day while it runs; is it started?")
    return Diagnosis("well", "backup", words)


def _server(folder: Path) -> Diagnosis:
    """What the server on the folder says of itself."""
    try:
        note = json.loads((folder / NOTE).read_text(encoding="utf-8"))
        found = httpx2.get(f"{note['address']}api/health", timeout=5.0).json()
    except (OSError, ValueError, KeyError, httpx2.HTTPError):
        return Diagnosis("look", "server", "No Volnik answers for this folder.", "volnik serve")
    if found.get("well") is not True:
        words = f"It answers at {note['address']}, but not all is well: {_troubles(found)}."
        return Diagnosis("stop", "server", words, "Start it again; send readings again, none counts twice.")
    return Diagnosis("well", "server", f"It answers at {note['address']}, version {found.get('version')}.")


def _troubles(health: dict[str, Any]) -> str:
    return ", ".join(str(word) for word in health.get("troubles", [])) or "it does not say what"
