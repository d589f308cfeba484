"""Importing a log file: kept aside, looked at, read and taken in as a job."""

from __future__ import annotations

import hashlib
import io
import secrets
import shutil
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, BinaryIO

from volnik.core.limits import WAITING, WAITING_S
from volnik.core.logfile import FileLook, FilePreview, LogFileRefused
from volnik.feeds.mapping import Mapping, MappingError
from volnik.jobs.board import Job, JobBoard
from volnik.services.context import AppContext
from volnik.services.log import sources as log
from volnik.services.shelf import column_maps
from volnik.services.yard.archive import Choice, Comparison, compared, take_in

PROBLEMS_KEPT = 200
DAY_S = 86_400.0
YEAR_2000_S = 946_684_800.0


class ImportService:
    """Takes uploaded files, shows what is in them, and starts their import."""

    def __init__(self, context: AppContext, jobs: JobBoard, folder: Path) -> None:
        self._context = context
        self._jobs = jobs
        self._folder = folder
        self._lock = threading.Lock()
        self._reading: set[str] = set()
        folder.mkdir(parents=True, exist_ok=True)
        self.tidy()

    def tidy(self) -> None:
        """Let go of files nobody came back for: the old ones, and the oldest where too many wait."""
        with self._lock:
            held = self._reading
            waiting = sorted(
                (path for path in self._folder.iterdir() if path.suffix != ".name" and path.name not in held),
                key=lambda path: path.stat().st_mtime,
                reverse=True,
            )
            old_s = time.time() - WAITING_S.value
            for place, path in enumerate(waiting):
                if place >= WAITING.value or path.stat().st_mtime < old_s:
                    self._forget(path)

    @staticmethod
    def _forget(path: Path) -> None:
        for name in (path, path.with_name(f"{path.name}.name")):
            with suppress(OSError):
                name.unlink()

    def keep(self, upload: BinaryIO, name: str) -> str:
        """Keep an upload aside; returns the token it waits under."""
        token = secrets.token_urlsafe(16)
        path = self._folder / token
        try:
            with path.open("wb") as out:
                shutil.copyfileobj(upload, out, 1 << 20)
            path.with_name(f"{token}.name").write_text(name[:200], encoding="utf-8")
        except OSError as wrong:
            self._forget(path)
            raise LogFileRefused({"file": f"The file could not be kept: {wrong.strerror}."}) from None
        self.tidy()
        return token

    @contextmanager
    def _held(self, path: Path) -> Iterator[None]:
        """Keep a file from being tidied away while it is read."""
        with self._lock:
            self._reading.add(path.name)
        try:
            yield
        finally:
            with self._lock:
                self._reading.discard(path.name)

    def _path(self, token: str) -> Path:
        path = self._folder / token
        if not token.replace("-", "").replace("_", "").isalnum() or not path.is_file():
            raise LogFileRefused({"file": "That file is no longer waiting; choose it again."})
        return path

    def archive_compared(self, token: str) -> Comparison:
        """What a waiting archive of a rig would bring.

        Raises:
            InvalidInput: when it cannot be taken in, or no longer waits.
        """
        with self._path(token).open("rb") as file:
            return compared(self._context, file)

    def archive_taken(
        self,
        token: str,
        choices: dict[str, Choice],
        on_progress: Callable[[float], None] = lambda done: None,
    ) -> int:
        """Take a waiting archive in; returns the rig's number.

        Raises:
            InvalidInput: when it cannot be taken in, or no longer waits.
        """
        path = self._path(token)
        with self._held(path), path.open("rb") as file:
            rig = take_in(self._context, file, choices, on_progress=on_progress)
        self._forget(path)
        return rig.id

    def sniffed(self, token: str) -> FileLook:
        """What the head of a waiting file shows.

        Raises:
            LogFileRefused: when it cannot be read at all.
        """
        from volnik.feeds.batches import FileRefused
        from volnik.feeds.files import open_log, sniff

        path = self._path(token)
        name = (self._folder / f"{token}.name").read_text(encoding="utf-8")
        try:
            with path.open("rb") as raw:
                opened = open_log(raw)
                seen = sniff(opened)
        except FileRefused as wrong:
            raise LogFileRefused({"file": str(wrong)}) from None
        remembered = column_maps.remembered(self._context, _signature(opened.kind, seen.headings))
        choice = remembered or seen.suggestion
        return FileLook(
            token,
            name,
            path.stat().st_size,
            opened.kind,
            seen.headings,
            seen.rows,
            choice,
            seen.doubts,
            remembered is not None,
        )

    def preview(self, token: str, choice: dict[str, Any]) -> FilePreview:
        """The first lines of a waiting file as a mapping would read them.

        Raises:
            LogFileRefused: naming each part of the mapping at fault.
        """
        from volnik.feeds.batches import FileRefused
        from volnik.feeds.files import OpenedLog, open_log, read_log

        mapping = _mapping(choice)
        with self._path(token).open("rb") as raw:
            opened = open_log(raw)
            head = opened
            if opened.kind != "parquet":
                lines = opened.head.splitlines(keepends=True)[:9]
                data = b"".join(lines)
                head = OpenedLog(opened.kind, io.BytesIO(data), data)
            try:
                read = read_log(head, mapping)
            except FileRefused as wrong:
                raise LogFileRefused({"file": str(wrong)}) from None
        first = read.readings.part(0, 8)
        rows = [
            (float(first.time_s[at]), {name: float(values[at]) for name, values in first.columns().items()})
            for at in range(len(first))
        ]
        return FilePreview(rows, [(problem.line, problem.reason) for problem in read.problems[:4]])

    def start(self, rig_id: int, token: str, choice: dict[str, Any], *, kind: str = "file") -> Job:
        """Start the import of a waiting file.

        Args:
            kind: "file", or "beside" for a charger's own log, which is never counted.

        Raises:
            LogFileRefused: naming each part of the mapping at fault.
        """
        mapping = _mapping(choice)
        path = self._path(token)
        look = self.sniffed(token)

        def work(job: Job) -> dict[str, Any]:
            return self._import(job, rig_id, path, look, mapping, kind=kind)

        return self._jobs.start(f"Importing {look.name}", work)

    def _import(
        self, job: Job, rig_id: int, path: Path, look: FileLook, mapping: Mapping, *, kind: str
    ) -> dict[str, Any]:
        from volnik.feeds.batches import FileRefused
        from volnik.feeds.files import open_log, read_log

        size = max(1, look.size)
        with self._held(path), path.open("rb") as raw:

            def on_progress() -> None:
                job.on_progress(0.5 * min(1.0, raw.tell() / size))

            try:
                read = read_log(
                    open_log(raw),
                    mapping,
                    on_progress=on_progress,
                    believable_s=(YEAR_2000_S, self._context.now() + DAY_S),
                )
            except FileRefused as wrong:
                raise ValueError(str(wrong)) from None
        if not len(read.readings):
            first = f" Line {read.problems[0].line}: {read.problems[0].reason}" if read.problems else ""
            raise ValueError(f"Not one line of {look.name} holds a good reading.{first}")
        report = {
            "problems": [[problem.line, problem.reason] for problem in read.problems[:PROBLEMS_KEPT]],
            "left_out": read.problem_count,
            "duplicates": read.duplicates,
            "steps_back": [[line, back] for line, back in read.steps_back[:20]],
        }
        taken = log.take_in(
            self._context,
            rig_id,
            read.readings,
            kind=kind,
            name=look.name,
            report=report,
            on_progress=lambda done: job.on_progress(0.5 + 0.5 * done),
        )
        column_maps.remember(self._context, _signature(look.kind, look.headings), mapping.as_dict())
        self._forget(path)
        if kind == "beside":
            return {"url": f"/rigs/{rig_id}/watch/checkup?span=all"}
        message = "again" if taken.repeated else "new"
        return {"url": f"/rigs/{rig_id}/watch?source={taken.source.id}&import={message}"}


def _mapping(choice: dict[str, Any]) -> Mapping:
    try:
        return Mapping(**choice)
    except MappingError as wrong:
        raise LogFileRefused(wrong.problems) from None


def _signature(kind: str, headings: list[str]) -> str:
    return hashlib.sha256("\x1f".join([kind, *headings]).encode()).hexdigest()[:24]
