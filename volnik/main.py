"""The one place that wires the layers: store, services, feeds, jobs and web into a running server.

What only some requests need (files, photos, brokers, calendars) is imported by them: no start waits for it.
"""

from __future__ import annotations

import hashlib
import logging
import secrets
import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from datetime import datetime
from ipaddress import ip_address
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO
from zoneinfo import ZoneInfo, available_timezones

import numpy as np
import psutil
from fastapi import FastAPI

from volnik.core.changes import Stale
from volnik.core.errors import InvalidInput, NotWritten
from volnik.core.papers.paper import Paper, Size
from volnik.core.path.work import MaterialLine
from volnik.core.readings import Row
from volnik.core.rig.photo import ReadyPhoto
from volnik.core.rig.rig import NotFound
from volnik.feeds.live import parse_live
from volnik.feeds.mapping import TIME_PATTERNS
from volnik.jobs.board import JobBoard
from volnik.outlets.mail import DevMailServer, MailBox, send
from volnik.outlets.parts import parts_csv, table_csv
from volnik.outlets.series import FORMS
from volnik.services.context import AppContext
from volnik.services.live.ingest import Ingest, KeyRefused
from volnik.services.live.now import Live
from volnik.services.live.tokens import Token
from volnik.services.watch.tried import try_alarm
from volnik.services.watch.watchman import RaisedAlarm, Watchman, Way
from volnik.services.yard.feeds import all_due, figures
from volnik.services.yard.summary import renew
from volnik.serving import Listeners, PortTaken, run, take_ports
from volnik.settings import Broker
from volnik.store.backup import BackupRefused
from volnik.store.database import Database
from volnik.store.lock import FolderLock
from volnik.store.migrating import StoreRefused
from volnik.store.staging import SECRET, finish
from volnik.tasks.backups import BackupKeeper
from volnik.tasks.bench_yard import BenchYard
from volnik.tasks.certificate import Certificate, own_certificate
from volnik.tasks.demo import fill_yard
from volnik.tasks.demo_work import SHOP
from volnik.tasks.exporting import EXPORTS, ExportService
from volnik.tasks.health import Health
from volnik.tasks.importing import ImportService
from volnik.web.app import create_app
from volnik.web.state import WebState

if TYPE_CHECKING:
    from volnik.feeds.mqtt import MqttSubscriber, Sent
    from volnik.outlets.mqtt import MqttPublisher

LEAST_SECRET = 32  # letters
WARM_AFTER_S = 1.0  # the first page, which mostly counts nothing, goes first
log = logging.getLogger("volnik")


class StartRefused(Exception):
    """Volnik cannot start; the sentence says why and what to do."""


@dataclass(slots=True)
class Running:
    """A built application and what must be closed after it."""

    app: FastAPI
    context: AppContext
    jobs: JobBoard
    hosts: set[str]
    live: Live
    ingest: Ingest
    watchman: Watchman
    health: Health

    def close(self) -> None:
        """Stop all work and let go of the database."""
        self.watchman.close()
        self.ingest.close()
        self.jobs.close()
        self.context.close()


@dataclass(frozen=True, slots=True)
class AppPorts:
    """What reaches outside the house for the pages: files given out and photos taken in."""

    context: AppContext
    live: Live
    desk: ExportService
    health_of: Health
    shop: str = ""
    box: MailBox | None = None
    ways: tuple[Way, ...] = ()

    def try_alarm(self, rig_id: int, key: str, who: str) -> None:
        """Send a test of an alarm by every way it would go."""
        try_alarm(self.context, self.ways, rig_id, key, who)

    def typeset(self, paper: Paper, size: Size, foot: str, made_s: float, shop: str) -> bytes:
        """A paper as PDF."""
        from volnik.outlets.papers import typeset

        return typeset(paper, size, foot, made_s, shop)

    def paper_pages(self, paper: Paper, size: Size, foot: str, made_s: float, shop: str) -> list[bytes]:
        """The pages of a paper as pictures."""
        from volnik.outlets.papers import pages

        return pages(paper, size, foot, made_s, shop)

    def mail_paper(self, to: str, *, subject: str, text: str, name: str, body: bytes) -> None:
        """Mail a paper.

        Raises:
            InvalidInput: where no mail server is set, or it does not take it.
        """
        if self.box is None:
            raise InvalidInput({"to": "No mail server is set: download the paper and send it yourself."})
        try:
            send(self.box, subject=subject, text=text, to=to, attached=(name, body))
        except OSError as wrong:
            log.warning("a paper was not mailed: %s", wrong)
            raise InvalidInput({"to": "The mail server did not take it; the paper is kept."}) from None

    def health(self) -> dict[str, Any]:
        """What the server says of itself."""
        return self.health_of.told()

    def backups(self) -> list[tuple[float, int]]:
        """When each of the shop's own backups was made [s], and its size [bytes]; oldest first."""
        return [(kept.made_s, kept.size) for kept in self.health_of.backups.kept()]

    def back_up(self) -> None:
        """Make a backup now.

        Raises:
            ValueError: saying why it cannot be made.
        """
        try:
            self.health_of.backups.make()
        except BackupRefused as wrong:
            raise ValueError(" ".join(wrong.problems.values())) from None

    def backup_file(self) -> Path | None:
        """The newest of the shop's own backups."""
        kept = self.health_of.backups.kept()
        return kept[-1].path if kept else None

    def calendar(self) -> bytes:
        """What is due on all rigs."""
        from volnik.outlets.calendar import Dated, calendar_text

        now_s = self.context.now()
        dates = [
            Dated(f"rig-{rig.rig_id}-{due.key}", rig.name, due.what, due.at_s, due.why, due.at_s < now_s)
            for rig in all_due(self.context)
            for due in rig.due
        ]
        return calendar_text(dates, now_s=now_s, shop=self.shop)

    def metrics(self) -> tuple[str, bytes]:
        """Every rig's figures, and their media type."""
        from volnik.outlets.metrics import CONTENT_TYPE, RigMetrics, metrics_text

        return CONTENT_TYPE, metrics_text(
            RigMetrics(*figure) for figure in figures(self.context, self.live.now)
        )

    def export(
        self, rig_id: int, *, what: str, form: Any, by: str, on_progress: Callable[[float], None]
    ) -> str:
        """Write a file aside."""
        return self.desk.export(rig_id, what=what, form=form, by=by, on_progress=on_progress)

    def archive(self, rig_id: int, on_progress: Callable[[float], None]) -> str:
        """Write a rig's archive aside."""
        return self.desk.archive(rig_id, on_progress)

    def exports(self, by: str) -> dict[str, str]:
        """What can be exported, by key, with totals over such stretches."""
        return {key: export.label.format(by=by) for key, export in EXPORTS.items()}

    def export_forms(self) -> dict[str, str]:
        """The forms a file can have, by key."""
        return {key: form.name for key, form in FORMS.items()}

    def exported(self, token: str) -> tuple[Path, str] | None:
        """A file written aside, once."""
        return self.desk.fetched(token)

    def parts_csv(self, parts: list[MaterialLine]) -> str:
        """The parts list as CSV."""
        return parts_csv(parts)

    def table_csv(self, headings: list[str], rows: list[list[str]]) -> str:
        """A table of text as CSV."""
        return table_csv(headings, rows)

    def read_photo(self, file: BinaryIO) -> ReadyPhoto:
        """A photo made ready to be kept."""
        from volnik.feeds.photos import MOST_BYTES, read_photo

        return read_photo(file.read(MOST_BYTES + 1))

    def read_live(self, body: bytes, *, lines: bool) -> list[Row]:
        """Readings as a bridge sends them."""
        return parse_live(body, lines=lines)


def clock(now: str | None) -> Callable[[], float]:
    """The wall clock, or one that stands at a set instant (ISO 8601 with offset).

    Raises:
        StartRefused: when the instant cannot be read.
    """
    if now is None:
        return time.time
    try:
        stamp = datetime.fromisoformat(now)
        if stamp.tzinfo is None:
            raise ValueError
    except ValueError:
        raise StartRefused(
            f"The set instant “{now}” must be ISO 8601 with an offset, such as 2026-11-20T15:40:00Z."
        ) from None
    return lambda: stamp.timestamp()


def lan_addresses(port: int) -> list[str]:
    """Addresses of this machine that others of its network may know, "host:port", IPv4."""
    found = [
        card.address
        for cards in psutil.net_if_addrs().values()
        for card in cards
        if card.family == socket.AF_INET
    ]
    return [f"{finding}:{port}" for finding in found if not ip_address(finding).is_loopback]


def build(
    folder: Path,
    *,
    demo: bool,
    now: str | None = None,
    lan: bool = False,
    box: MailBox | None = None,
    say: Callable[[int, dict[str, Any]], None] | None = None,
    certificate: Certificate | None = None,
) -> Running:
    """Open the house in `folder` and put the application together.

    Args:
        box: where alarms are mailed, or None.
        say: is told every rig's counted state as readings come, or None.
        certificate: by which the network is talked with in secret, or None.

    Raises:
        StartRefused: when the folder or database cannot be used.
    """
    try:
        db = Database(folder)
    except StoreRefused as wrong:
        raise StartRefused(str(wrong)) from None
    context = AppContext(db, clock(now), renew=renew)
    if demo:
        fill_yard(context)
    jobs = JobBoard(expected=(ValueError, NotFound, Stale, NotWritten))
    hosts: set[str] = set()
    live = Live(context)
    ingest = Ingest(context, live)
    imports = ImportService(context, jobs, folder / "incoming")
    exports = ExportService(context, folder / "outgoing")

    def tidy() -> None:
        imports.tidy()
        exports.tidy()

    health = Health(folder, ingest, BackupKeeper(folder, also=tidy))
    ways: list[Way] = [("mail", lambda alarm: mail_incident(box, alarm))] if box is not None else []
    state = WebState(
        context,
        jobs,
        imports,
        AppPorts(context, live, exports, health, SHOP if demo else "", box, tuple(ways)),
        live,
        ingest,
        secret=_secret(folder),
        hosts=hosts,
        shop=SHOP if demo else "",
        lan=lan,
        fingerprint="" if certificate is None else certificate.fingerprint,
        addresses=lambda: lan_addresses(_own_port(hosts)),
        mail_told=_mail_sentence(box),
        time_patterns=TIME_PATTERNS,
        zones=sorted(available_timezones()),
    )
    app = create_app(state)
    watchman = Watchman(context, live, ways, say=say)
    return Running(app, context, jobs, hosts, live, ingest, watchman, health)


def _own_port(hosts: set[str]) -> int:
    """The port it answers under on this machine, 0 while it has none."""
    return next((int(host.rsplit(":", 1)[1]) for host in hosts if host.startswith("127.")), 0)


def _mail_sentence(box: MailBox | None) -> str:
    """Where alarms are mailed."""
    if box is None:
        return "No mail server is set: alarms show on the pages alone."
    return f"They are mailed to {', '.join(box.to)}."


def mail_incident(box: MailBox, alarm: RaisedAlarm) -> None:
    """Mail an alarm that speaks; raises OSError when it cannot be sent."""
    at = datetime.fromtimestamp(alarm.kept.incident.start_s, ZoneInfo(alarm.zone)).strftime(
        "%a %-d %b %Y %H:%M"
    )
    send(
        box,
        subject=f"{alarm.rig}: {alarm.sentence}",
        text=(
            f"{alarm.rig}\n{alarm.sentence}\nsince {at} ({alarm.zone})\n\nSeen it? Say so in Watch, Alarms. "
            "Levels are set at Numbers, Alarms.\n"
        ),
    )


def _secret(folder: Path) -> str:
    path = folder / SECRET
    found = path.read_text(encoding="ascii").strip() if path.exists() else ""
    if len(found) >= LEAST_SECRET:
        return found
    # Written whole under another name first: an empty one, as a kill would leave it, lets anyone sign.
    fresh = path.with_name(f"{SECRET}.part")
    fresh.unlink(missing_ok=True)
    fresh.touch(mode=0o600)
    fresh.write_text(secrets.token_urlsafe(32), encoding="ascii")
    fresh.replace(path)
    return path.read_text(encoding="ascii")


def warm() -> None:
    """Count and open a little of everything once, so that the first page does not wait for a compiler."""
    from volnik.core.count.log import LogCounter
    from volnik.core.settings import Numbers

    numbers = Numbers(100, 20, 1.1, 0.9, 14.2, 4, 180, 0.1, 50, 1.0, 180)
    time_s = np.arange(10.0) + 1e9
    LogCounter.opened(numbers).feed(time_s, np.full(10, 14.3), np.full(10, -9.0), gap_s=300.0)


def listen_mqtt(running: Running, broker: Broker) -> MqttSubscriber:
    """Take in what comes over an MQTT broker."""

    def take(rig_id: int, topic: str, sent: Sent) -> dict[str, object]:
        bridge = _sender(running, broker, rig_id, topic, sent)
        taken = running.ingest.take(bridge, parse_live(sent.readings)).result(60.0)
        return {"taken": taken.taken, "repeated": taken.repeated, "late": taken.late}

    from volnik.feeds.mqtt import MqttSubscriber

    return MqttSubscriber(broker, take)


def _sender(running: Running, broker: Broker, rig_id: int, topic: str, sent: Sent) -> Token:
    """The bridge a message is of.

    Raises:
        KeyRefused: when its signature or key is of none, or a key came in clear that may not.
    """
    if sent.signed is None:
        bridge = running.ingest.key(sent.key, rig_id)
        if bridge.name not in broker.plain_keys:
            raise KeyRefused(
                f"The key “{bridge.name}” came in clear, where any subscriber reads it. Make a new one "
                "and sign the message (docs/commands.md), or name it in VOLNIK_MQTT_PLAIN_KEYS."
            )
        return bridge
    return running.ingest.signer(sent.signed, rig_id, topic)


def serve(
    folder: Path,
    *,
    port: int,
    demo: bool,
    now: str | None = None,
    bench: bool = False,
    lan: bool = False,
    plain_http: bool = False,
    mqtt: Broker | None = None,
    box: MailBox | None = None,
) -> None:
    """Serve until stopped.

    Args:
        folder: of the data.
        port: to listen at; 0 takes any free one.
        demo: open the demo yard.
        now: an instant the clock stands at, or None.
        bench: start the demo's bench rigs.
        lan: listen beyond this machine, to paired browsers and keys alone.
        plain_http: there without TLS.
        mqtt: broker, or None.
        box: where alarms are mailed; the demo takes a stand-in of its own instead of none.

    Raises:
        StartRefused: when the port, the folder or the database cannot be used, or another Volnik has it.
    """
    with hold(folder) as lock:
        if (aside := finish(folder)) is not None:
            log.info("What was begun on the data was finished; what was here before lies in %s.", aside)
        _serve(
            folder,
            lock,
            port=port,
            demo=demo,
            now=now,
            bench=bench,
            lan=lan,
            plain_http=plain_http,
            mqtt=mqtt,
            box=box,
        )


@contextmanager
def hold(folder: Path) -> Iterator[FolderLock]:
    """Hold a data folder against any other Volnik.

    Raises:
        StartRefused: when another has it, or it cannot be written.
    """
    try:
        lock = FolderLock(folder)
    except StoreRefused as wrong:
        raise StartRefused(str(wrong)) from None
    try:
        yield lock
    finally:
        lock.release()


def _serve(
    folder: Path,
    lock: FolderLock,
    *,
    port: int,
    demo: bool,
    now: str | None,
    bench: bool,
    lan: bool,
    plain_http: bool,
    mqtt: Broker | None,
    box: MailBox | None,
) -> None:
    listeners = _listeners(port, lan=lan, tls=not plain_http)
    certificate = _certificate(folder) if listeners.network is not None else None
    if demo:
        log.info("Opening the demo yard; the first time takes some seconds …")
    with ExitStack() as closing:
        if demo and bench and box is None:
            box = _stand_in_mail(closing)
        if mqtt is not None:
            mqtt = mqtt.named(_client_id(folder))
        publisher = None if mqtt is None else _publisher(closing, mqtt)
        say = None if publisher is None else publisher.say
        try:
            running = build(folder, demo=demo, now=now, lan=lan, box=box, say=say, certificate=certificate)
        except StartRefused:
            listeners.close()
            raise
        closing.callback(running.close)
        port = listeners.port
        running.hosts.update({f"127.0.0.1:{port}", f"localhost:{port}"})
        lock.say(f"http://127.0.0.1:{port}/")
        closing.callback(_after(WARM_AFTER_S, warm).cancel)
        log.info("Volnik is at http://127.0.0.1:%d/  (data in %s; Ctrl+C stops it)", port, folder)
        if lan:
            _say_how(plain_http)
        if mqtt is not None:
            running.health.broker = listen_mqtt(running, mqtt)
            closing.callback(running.health.broker.close)
        if bench and demo:
            benches = BenchYard(running.context, folder / "bench", f"http://127.0.0.1:{port}")
            closing.callback(benches.close)
            benches.start()
        running.watchman.start()
        if not demo:
            closing.callback(running.health.backups.close)
            running.health.backups.start()
        run(running.app, listeners, certificate)


def _say_how(plain_http: bool) -> None:
    """Say how the network comes in."""
    log.info("Phones of this network are let in once each is paired: open the page Doors here.")
    if plain_http:
        log.warning(
            "They talk in plain: whoever shares the network can read all, and take a phone's place. "
            "Use it only where you know everyone on it."
        )


def _listeners(port: int, *, lan: bool, tls: bool) -> Listeners:
    try:
        return take_ports(port, lan=lan, tls=tls)
    except PortTaken as wrong:
        raise StartRefused(str(wrong)) from None


def _certificate(folder: Path) -> Certificate:
    addresses = [address.rpartition(":")[0] for address in lan_addresses(0)]
    try:
        return own_certificate(folder, addresses)
    except OSError as wrong:
        raise StartRefused(f"The certificate in {folder} cannot be kept ({wrong.strerror}).") from None


def _after(seconds: float, work: Callable[[], None]) -> threading.Timer:
    timer = threading.Timer(seconds, work)
    timer.daemon = True
    timer.start()
    return timer


def _stand_in_mail(closing: ExitStack) -> MailBox:
    """A mail server of the demo's own, and the box on it."""
    server = DevMailServer(0)
    server.start()
    closing.callback(server.close)
    return MailBox("127.0.0.1", server.port, "watch@saltreach.invalid", ("maren@saltreach.invalid",))


def _client_id(folder: Path) -> str:
    """A name for this data on a broker: two of one name would throw each other out."""
    known = f"{socket.gethostname()}:{folder.resolve()}"
    return f"volnik-{hashlib.sha256(known.encode()).hexdigest()[:10]}"


def _publisher(closing: ExitStack, broker: Broker) -> MqttPublisher:
    """What says every rig's counted state over an MQTT broker."""
    from volnik.outlets.mqtt import MqttPublisher

    publisher = MqttPublisher(broker)
    closing.callback(publisher.close)
    return publisher
