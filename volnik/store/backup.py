"""A whole shop in one file, and back: both databases, their photos and the secret, consistent and verified.

The file is a tar packed by zstd: `manifest.json` first, which names every other member with its SHA-256, then
those members. Anything that reads tar and zstd opens it.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import shutil
import sqlite3
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO, cast

import zstandard

from volnik.core.errors import InvalidInput
from volnik.core.instants import iso_text
from volnik.store.migrating import copy_database, versions
from volnik.store.staging import DATABASES, LIVE, MAIN, SECRET, plan, stage, unstage

FORMAT, FORMAT_VERSION = "volnik backup", 1
LEVEL = 3  # readings are packed already: more of it only takes longer
PIECE = 1 << 20  # bytes read at once
MOST_MANIFEST = 1 << 20  # bytes: a manifest has some hundred


class BackupRefused(InvalidInput):
    """A backup cannot be written, read or brought back; `problems` names the file and says why."""


@dataclass(frozen=True, slots=True)
class Manifest:
    """What a backup holds.

    Attributes:
        made_s: when it was made [s since 1970].
        program: version of the program that made it.
        database: version of its database.
        rigs, readings: how many are in it; readings not settled yet among them.
        files: bytes and SHA-256 by name.
    """

    made_s: float
    program: str
    database: str
    rigs: int
    readings: int
    files: dict[str, tuple[int, str]]

    @property
    def inside(self) -> str:
        """What it holds, in a few words."""
        return f"{self.rigs} rigs and {self.readings} readings as of {iso_text(self.made_s)}"

    def as_dict(self) -> dict[str, Any]:
        """As it stands in the file."""
        return {
            "format": FORMAT,
            "format_version": FORMAT_VERSION,
            "made": iso_text(self.made_s),
            "made_s": self.made_s,
            "program": self.program,
            "database": self.database,
            "rigs": self.rigs,
            "readings": self.readings,
            "files": {name: {"bytes": size, "sha256": digest} for name, (size, digest) in self.files.items()},
        }


def refused(sentence: str) -> BackupRefused:
    """A backup refused for a reason."""
    return BackupRefused({"file": sentence})


def write_backup(folder: Path, target: Path, *, made_s: float, program: str) -> Manifest:
    """Write a data folder as one file, beside a running server; verified before it gets its name.

    Raises:
        BackupRefused: when the folder holds no shop, a copy is damaged, or the file cannot be written.
    """
    if not (folder / MAIN).is_file():
        raise refused(f"There is no Volnik data in {folder}.")
    half = target.with_name(f"{target.name}.part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=".backup-", dir=target.parent) as held:
            copies = Path(held)
            for name in DATABASES:
                if (folder / name).is_file():
                    copy_database(folder / name, copies / name)
            if (folder / SECRET).is_file():
                shutil.copyfile(folder / SECRET, copies / SECRET)
            manifest = _manifest_of(copies, made_s=made_s, program=program)
            with _own(half) as out:
                _pack(out, copies, manifest)
                out.flush()
                os.fsync(out.fileno())
        if read_backup(half) != manifest:
            raise refused(f"What was written to {target} is not what was copied; try another disk.")
        half.replace(target)
    except OSError as wrong:
        raise refused(f"{target} cannot be written: {wrong.strerror or wrong}.") from None
    except sqlite3.Error as wrong:
        raise refused(f"The data in {folder} cannot be copied: {wrong}. Run volnik doctor.") from None
    finally:
        half.unlink(missing_ok=True)
    return manifest


def read_backup(file: Path, into: Path | None = None) -> Manifest:
    """Read a backup through, and check every byte of it.

    Args:
        into: a folder its members are written to, or None.

    Raises:
        BackupRefused: when it is none, is damaged, or was made by a newer Volnik.
    """
    try:
        with file.open("rb") as raw, _members(raw) as members:
            manifest = _manifest_in(*next(members, ("", io.BytesIO())))
            for name, body in members:
                if name not in manifest.files:
                    raise refused(f"{file} holds something its manifest does not name: {name}.")
                if _taken(body, None if into is None else into / name) != manifest.files[name]:
                    raise refused(f"{file} is damaged: {name} is not what it was when the backup was made.")
    except (tarfile.TarError, zstandard.ZstdError, EOFError) as wrong:
        raise refused(f"{file} is no Volnik backup, or is cut short: {wrong}.") from None
    except OSError as wrong:
        raise refused(f"{file} cannot be read: {wrong.strerror or wrong}.") from None
    if manifest.database not in versions():
        raise refused(f"{file} was made by a newer Volnik, {manifest.program}. Update Volnik first.")
    return manifest


def stage_restore(file: Path, folder: Path, *, aside: str) -> Manifest:
    """Make a backup ready to take a folder's place; `staging.finish` lets it.

    Args:
        aside: name of the folder within that today's data is put in.

    Raises:
        BackupRefused: as for reading, and when the folder cannot be written.
    """
    try:
        manifest = read_backup(file, stage(folder))
        plan(folder, aside)
    except OSError as wrong:
        unstage(folder)
        raise refused(f"{folder} cannot be written: {wrong.strerror or wrong}.") from None
    except BackupRefused:
        unstage(folder)
        raise
    return manifest


def _manifest_of(copies: Path, *, made_s: float, program: str) -> Manifest:
    rigs, readings, database = 0, 0, versions()[0]
    with closing(sqlite3.connect(copies / MAIN)) as main:
        database = str(main.execute("SELECT version_num FROM alembic_version").fetchone()[0])
        rigs = int(main.execute("SELECT count(*) FROM rigs").fetchone()[0])
        readings = int(main.execute("SELECT coalesce(sum(readings), 0) FROM sources").fetchone()[0])
    if (copies / LIVE).is_file():
        with closing(sqlite3.connect(copies / LIVE)) as live:
            readings += int(live.execute("SELECT count(*) FROM tail").fetchone()[0])
    files = {path.name: _taken(path.open("rb")) for path in sorted(copies.iterdir())}
    return Manifest(made_s, program, database, rigs, readings, files)


def _pack(out: BinaryIO, copies: Path, manifest: Manifest) -> None:
    packer = zstandard.ZstdCompressor(level=LEVEL)
    with packer.stream_writer(out, closefd=False) as packed, tarfile.open(fileobj=packed, mode="w|") as tar:
        body = json.dumps(manifest.as_dict(), indent=2).encode()
        about = tarfile.TarInfo("manifest.json")
        about.size, about.mtime = len(body), int(manifest.made_s)
        tar.addfile(about, io.BytesIO(body))
        for name in manifest.files:
            tar.add(copies / name, arcname=name, recursive=False)


@contextmanager
def _members(raw: BinaryIO) -> Iterator[Iterator[tuple[str, BinaryIO]]]:
    """The members of a backup one after another: name and content."""
    with (
        zstandard.ZstdDecompressor().stream_reader(raw) as opened,
        tarfile.open(fileobj=opened, mode="r|") as tar,
    ):
        yield ((member.name, cast(BinaryIO, tar.extractfile(member))) for member in tar if member.isfile())


def _manifest_in(name: str, body: BinaryIO) -> Manifest:
    try:
        found = json.loads(body.read(MOST_MANIFEST))
        if name != "manifest.json" or found["format"] != FORMAT:
            raise ValueError(name)
        files = {
            file: (int(about["bytes"]), str(about["sha256"]))
            for file, about in found["files"].items()
            if file in (MAIN, LIVE, SECRET)
        }
        return Manifest(
            float(found["made_s"]),
            str(found["program"]),
            str(found["database"]),
            int(found["rigs"]),
            int(found["readings"]),
            files,
        )
    except (ValueError, KeyError, TypeError, AttributeError):
        raise refused("The file is no Volnik backup: it does not begin with a manifest.") from None


def _taken(body: BinaryIO, to: Path | None = None) -> tuple[int, str]:
    """Read content through, to a file where one is named: its bytes and SHA-256."""
    digest, size = hashlib.sha256(), 0
    with body, _own(to) if to else open(os.devnull, "wb") as out:
        while piece := body.read(PIECE):
            digest.update(piece)
            size += len(piece)
            out.write(piece)
    return size, digest.hexdigest()


def _own(path: Path) -> BinaryIO:
    """A new file that no other user of the machine can read: the secret is in it."""
    path.unlink(missing_ok=True)
    return os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb")
