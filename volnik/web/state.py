"""What every page is given, typed: the running shop, and the ports through which pages reach outside it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, BinaryIO, Protocol, cast

from fastapi.requests import HTTPConnection
from itsdangerous import URLSafeSerializer

from volnik.core.logfile import FileLook, FilePreview
from volnik.core.papers.paper import Paper, Size
from volnik.core.path.work import MaterialLine
from volnik.core.readings import Row
from volnik.core.rig.photo import ReadyPhoto
from volnik.jobs.board import Job, JobBoard
from volnik.services.context import AppContext
from volnik.services.doors.pairing import Pairing
from volnik.services.live.ingest import Ingest
from volnik.services.live.now import Live
from volnik.services.yard.archive import Choice, Comparison


class Ports(Protocol):
    """What reaches outside the house for the pages; main hands it in."""

    def typeset(self, paper: Paper, size: Size, foot: str, made_s: float, shop: str) -> bytes: ...

    def paper_pages(self, paper: Paper, size: Size, foot: str, made_s: float, shop: str) -> list[bytes]: ...

    def mail_paper(self, to: str, *, subject: str, text: str, name: str, body: bytes) -> None: ...

    def try_alarm(self, rig_id: int, key: str, who: str) -> None: ...

    def parts_csv(self, parts: list[MaterialLine]) -> str: ...

    def table_csv(self, headings: list[str], rows: list[list[str]]) -> str: ...

    def read_photo(self, file: BinaryIO) -> ReadyPhoto: ...

    def calendar(self) -> bytes: ...

    def metrics(self) -> tuple[str, bytes]: ...

    def health(self) -> dict[str, Any]: ...

    def backups(self) -> list[tuple[float, int]]: ...

    def back_up(self) -> None: ...

    def backup_file(self) -> Path | None: ...

    def export(
        self, rig_id: int, *, what: str, form: str, by: str, on_progress: Callable[[float], None]
    ) -> str: ...

    def archive(self, rig_id: int, on_progress: Callable[[float], None]) -> str: ...

    def exports(self, by: str) -> dict[str, str]: ...

    def export_forms(self) -> dict[str, str]: ...

    def exported(self, token: str) -> tuple[Path, str] | None: ...

    def read_live(self, body: bytes, *, lines: bool) -> list[Row]: ...


class ImportPort(Protocol):
    """What the import pages need; main hands it in."""

    def keep(self, upload: Any, name: str) -> str: ...

    def sniffed(self, token: str) -> FileLook: ...

    def preview(self, token: str, choice: dict[str, Any]) -> FilePreview: ...

    def start(self, rig_id: int, token: str, choice: dict[str, Any], *, kind: str) -> Job: ...

    def archive_compared(self, token: str) -> Comparison: ...

    def archive_taken(
        self, token: str, choices: dict[str, Choice], on_progress: Callable[[float], None]
    ) -> int: ...


@dataclass(slots=True)
class WebState:
    """What every page is given.

    Attributes:
        context: the running shop.
        jobs: work that takes longer than a moment.
        imports, ports: what reaches outside the house.
        live, ingest: readings as they come in.
        secret: signs form tokens.
        hosts: host names and ports it answers under; may be filled after the server has its port.
        shop: name shown in the head of the pages.
        lan: whether the network may come in.
        fingerprint: of the certificate it is talked with by; "" where that is in plain.
        addresses: of this machine on it, "host:port".
        mail_told: where alarms are mailed, in a sentence.
        time_patterns, zones: what an import may choose from.
        signer, pairing: made of the secret.
    """

    context: AppContext
    jobs: JobBoard
    imports: ImportPort
    ports: Ports
    live: Live
    ingest: Ingest
    secret: str
    hosts: set[str]
    shop: str = ""
    lan: bool = False
    fingerprint: str = ""
    addresses: Callable[[], list[str]] = list
    mail_told: str = ""
    time_patterns: dict[str, str] = field(default_factory=dict)
    zones: list[str] = field(default_factory=list)
    signer: URLSafeSerializer = field(init=False)
    pairing: Pairing = field(init=False)

    def __post_init__(self) -> None:
        self.signer = URLSafeSerializer(self.secret, salt="form")
        self.pairing = Pairing(self.context, self.secret)


def state_of(connection: HTTPConnection) -> WebState:
    """What the page that answers a request is given; also a FastAPI dependency."""
    return cast(WebState, connection.app.state.web)
