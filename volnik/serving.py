"""Where Volnik listens, and the servers there: this machine in plain, the network behind TLS."""

from __future__ import annotations

import asyncio
import logging
import signal
import socket
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from types import FrameType
from typing import Any

import uvicorn

from volnik.core.limits import HEAD, HEAD_S
from volnik.tasks.certificate import Certificate
from volnik.web.protocol import PatientProtocol

log = logging.getLogger("volnik")
BACKLOG = 128
FILES = 4096  # open at once: many times what all strangers together are let have


class PortTaken(Exception):
    """A port that cannot be listened at; the sentence says what to do."""


@dataclass(slots=True)
class Listeners:
    """Sockets listened at.

    Attributes:
        own: on this machine, in plain.
        network: on every other address of it, the same port; None without the network.
        redirect: the port after it, where plain HTTP is sent on to TLS; None where nothing is.
    """

    own: socket.socket
    network: socket.socket | None = None
    redirect: socket.socket | None = None

    @property
    def port(self) -> int:
        """Of this machine and of the network."""
        return int(self.own.getsockname()[1])

    def close(self) -> None:
        """Stop listening."""
        for listener in (self.own, self.network, self.redirect):
            if listener is not None:
                listener.close()


def take_port(port: int, *, lan: bool = False) -> socket.socket:
    """A listening socket on 127.0.0.1, or with `lan` on every address of this machine.

    Port 0 takes any free one.

    Raises:
        PortTaken: when the port is in use.
    """
    return _bound("0.0.0.0" if lan else "127.0.0.1", port)


def _bound(host: str, port: int, *, shared: bool = False) -> socket.socket:
    listener = socket.socket()
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    if shared:  # this machine's own address and all addresses have one port; the nearer one answers
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEPORT, 1)
    try:
        listener.bind((host, port))
    except OSError as wrong:
        listener.close()
        raise PortTaken(
            f"Port {port} cannot be used ({wrong.strerror}). Choose another with --port, or stop "
            "what uses it."
        ) from None
    return listener


def take_ports(port: int, *, lan: bool, tls: bool) -> Listeners:
    """What is listened at.

    Args:
        lan: let the network in.
        tls: behind TLS, with the port after it to send plain HTTP on.

    Raises:
        PortTaken: when the port is in use.
    """
    if not (lan and tls):
        return Listeners(take_port(port, lan=lan))
    _bound("0.0.0.0", port).close()  # in use by another program: sharing would hide that
    own = _bound("127.0.0.1", port, shared=True)
    found = Listeners(own, _bound("0.0.0.0", own.getsockname()[1], shared=True))
    try:
        found.redirect = _bound("0.0.0.0", found.port + 1)
    except (PortTaken, OverflowError):
        log.warning("Port %d is in use: a phone that is sent to plain HTTP is not led on.", found.port + 1)
    return found


async def to_tls(scope: Any, receive: Any, send: Any) -> None:
    """Send whoever asks in plain on to TLS, at the very address he came to; nothing is answered in plain."""
    if scope["type"] != "http":
        return
    host, port = scope["server"]
    path, query = scope["raw_path"], scope["query_string"]
    where = b"https://%s:%d%s%s" % (host.encode(), port - 1, path, b"?" + query if query else b"")
    headers = [(b"location", where), (b"content-length", b"0"), (b"connection", b"close")]
    code = 307 if scope["method"] in ("GET", "HEAD") else 421
    await send(
        {"type": "http.response.start", "status": code, "headers": headers if code == 307 else headers[1:]}
    )
    await send({"type": "http.response.body", "body": b""})


class _First(uvicorn.Server):
    """The server that is told to stop, and lets the others and all that is closed after it end in peace."""

    interrupted = False

    @contextmanager
    def capture_signals(self) -> Iterator[None]:
        """Take a wish to stop; unlike uvicorn's own way it is not passed on before all is closed."""
        if threading.current_thread() is not threading.main_thread():
            yield
            return
        before = {sign: signal.signal(sign, self.handle_exit) for sign in (signal.SIGINT, signal.SIGTERM)}
        try:
            yield
        finally:
            for sign, handler in before.items():
                signal.signal(sign, handler)

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        """Begin to stop; asked again it takes no shorter way, for it takes three seconds at most."""
        self.interrupted = self.interrupted or sig == signal.SIGINT
        self.should_exit = True


class _Beside(uvicorn.Server):
    """A server beside the first, which alone is told to stop."""

    @contextmanager
    def capture_signals(self) -> Iterator[None]:
        """Leave signals to the first."""
        yield


def _config(app: Any, **more: Any) -> uvicorn.Config:
    return uvicorn.Config(
        app,
        http=PatientProtocol,
        h11_max_incomplete_event_size=int(HEAD),
        log_level="warning",
        server_header=False,
        proxy_headers=False,
        timeout_graceful_shutdown=3,
        backlog=BACKLOG,
        **more,
    )


def _impatient(make_loop: Callable[[], asyncio.AbstractEventLoop]) -> asyncio.AbstractEventLoop:
    """A loop where whoever opens a connection in secret has to shake hands in the time of a head.

    uvicorn has no setting for it, and asyncio waits a minute.
    """
    loop = make_loop()
    create = loop.create_server

    async def create_server(*given: Any, **more: Any) -> Any:
        if more.get("ssl"):
            more["ssl_handshake_timeout"] = HEAD_S.value
        return await create(*given, **more)

    loop.create_server = create_server  # type: ignore[method-assign]
    return loop


def _many_files() -> None:
    """As many open connections as the system lets us have: strangers must not use up our own."""
    if sys.platform == "win32":
        return  # it has no such limit
    import resource

    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = FILES if hard == resource.RLIM_INFINITY else min(FILES, hard)
    if soft != resource.RLIM_INFINITY and soft < wanted:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))


def run(app: Any, listeners: Listeners, certificate: Certificate | None = None) -> None:
    """Answer until stopped; raises KeyboardInterrupt once all is closed where a hand stopped it."""
    sys.setswitchinterval(0.0001)  # a count running in a thread lets a bridge's short request through sooner
    first = _First(_config(app))
    beside: list[tuple[uvicorn.Server, socket.socket]] = []
    if listeners.network is not None and certificate is not None:
        files = {"ssl_certfile": certificate.certificate, "ssl_keyfile": certificate.key}
        beside.append((_Beside(_config(app, lifespan="off", **files)), listeners.network))
    if listeners.redirect is not None:
        beside.append((_Beside(_config(to_tls, lifespan="off")), listeners.redirect))
    _many_files()
    make_loop = first.config.get_loop_factory() or asyncio.new_event_loop
    with asyncio.Runner(loop_factory=lambda: _impatient(make_loop)) as runner:
        runner.run(_serve_all(first, listeners.own, beside))
    if first.interrupted:
        raise KeyboardInterrupt


async def _serve_all(
    first: uvicorn.Server, own: socket.socket, beside: list[tuple[uvicorn.Server, socket.socket]]
) -> None:
    others = [asyncio.create_task(server.serve(sockets=[listener])) for server, listener in beside]
    try:
        await first.serve(sockets=[own])
    finally:
        for server, _ in beside:
            server.should_exit = True
        await asyncio.gather(*others, return_exceptions=True)
