"""Alarms by e-mail through any SMTP server; and a small mail server of our own to see them arrive on."""

from __future__ import annotations

import logging
import smtplib
import socket
import ssl
from asyncio.base_events import Server
from collections import deque
from dataclasses import dataclass
from email.message import EmailMessage
from email.utils import formatdate, make_msgid
from functools import partial
from ipaddress import ip_address
from typing import Any

log = logging.getLogger("volnik")

MOST_KEPT = 200  # messages the stand-in remembers
SMTPS_PORT = 465  # TLS from the first byte on
LEAST_REASON = 4  # letters
WAIT_S = 10.0  # a box that does not answer must not hold up the next alarm


@dataclass(frozen=True, slots=True)
class MailBox:
    """Where mail goes: server, port, from, to; user and password where the server asks.

    TLS is required, unless switched off or the server is on this machine.
    """

    host: str
    port: int
    sender: str
    to: tuple[str, ...]
    user: str = ""
    password: str = ""
    tls: bool = True


def mail_box(
    server: str, sender: str, to: str, user: str = "", password: str = "", *, tls: str = "required"
) -> MailBox | None:
    """Where mail goes from the settings as typed; None when no server is named.

    Raises:
        ValueError: when the server is not named "host:port", or nobody is named to write to.
    """
    if not server:
        return None
    host, _, port = server.rpartition(":")
    if not host or not port.isdigit():
        raise ValueError(f"The mail server “{server}” is named such as localhost:25.")
    people = tuple(name.strip() for name in to.split(",") if name.strip())
    if not people or not all(map(_is_address, (*people, sender))):
        raise ValueError(
            "Mail needs VOLNIK_MAIL_FROM and VOLNIK_MAIL_TO, each an address such as shop@example.org."
        )
    return MailBox(host, int(port), sender, people, user, password, _wants_tls(tls))


def _wants_tls(given: str) -> bool:
    """Whether mail needs TLS: "required", or "off: " and why not.

    Raises:
        ValueError: for anything else, and without a reason.
    """
    word, _, reason = given.partition(":")
    if word.strip() == "required":
        return True
    if word.strip() != "off" or len(reason.strip()) < LEAST_REASON:
        told = 'VOLNIK_MAIL_TLS is "required", or "off: " and the reason, such as "off: inside our VPN".'
        raise ValueError(told)
    log.warning("Mail goes without TLS, so that others on the way can read it: %s.", reason.strip())
    return False


def _on_this_machine(host: str) -> bool:
    try:
        return host == "localhost" or ip_address(host).is_loopback
    except ValueError:
        return False


def _is_address(name: str) -> bool:
    """Whether it can be written into a heading: an address, and no second line."""
    return "@" in name and not set(name) & {"\r", "\n"}


def send(
    box: MailBox, *, subject: str, text: str, to: str = "", attached: tuple[str, bytes] | None = None
) -> None:
    """Send one message.

    Args:
        to: whom else than the box says.
        attached: a PDF: its name and bytes.

    Raises:
        OSError: when the server does not take it (`smtplib.SMTPException` is one).
    """
    message = EmailMessage()
    message["Subject"] = " ".join(subject.split())
    message["From"], message["To"] = box.sender, to or ", ".join(box.to)
    message["Date"], message["Message-ID"] = formatdate(), make_msgid(domain="volnik.invalid")
    message["Auto-Submitted"] = "auto-generated"
    message.set_content(text)
    if attached is not None:
        name, body = attached
        message.add_attachment(body, maintype="application", subtype="pdf", filename=name)
    secure = ssl.create_default_context()
    kind = partial(smtplib.SMTP_SSL, context=secure) if box.port == SMTPS_PORT else smtplib.SMTP
    with kind(box.host, box.port, timeout=WAIT_S) as server:
        server.ehlo()
        if box.port != SMTPS_PORT and server.has_extn("starttls"):
            server.starttls(context=secure)
            server.ehlo()
        elif box.port != SMTPS_PORT and box.tls and not _on_this_machine(box.host):
            raise smtplib.SMTPNotSupportedError(
                f"The mail server {box.host} offers no TLS: neither password nor mail is sent to it in clear."
            )
        if box.user:
            server.login(box.user, box.password)
        server.send_message(message)


def plain_text(text: str) -> str:
    """Text for a terminal: what could move its cursor, colour it or turn letters about is shown, not done."""
    return "".join(
        letter if letter.isprintable() or letter == "\n" else ascii(letter)[1:-1] for letter in text
    )


def _body(message: EmailMessage) -> str:
    """The text of a message, or that it cannot be read."""
    body = message.get_body(("plain", "html"))
    if body is None:
        return ""
    try:
        return f"\n{plain_text(body.get_content().strip())}"
    except (LookupError, ValueError):  # a charset nobody knows
        return "\n(its text cannot be read)"


class DevMailServer:
    """A stand-in for a mail server, on this machine alone: takes every message and tells it."""

    def __init__(self, port: int) -> None:
        from aiosmtpd.controller import Controller

        self.kept: deque[EmailMessage] = deque(maxlen=MOST_KEPT)
        if not port:  # the library connects to the very port it was given: a free one is looked for first
            with socket.socket() as free:
                free.bind(("127.0.0.1", 0))
                port = free.getsockname()[1]
        self._controller = Controller(self, hostname="127.0.0.1", port=port)

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:  # noqa: N802 (the library's name)
        """Take a message."""
        from email import message_from_bytes, policy

        message = message_from_bytes(envelope.content, policy=policy.default)
        assert isinstance(message, EmailMessage)
        self.kept.append(message)
        people = ", ".join(envelope.rcpt_tos)
        log.info("Mail to %s: %s%s", plain_text(people), plain_text(str(message["Subject"])), _body(message))
        return "250 kept"

    @property
    def port(self) -> int:
        """Where it listens."""
        server = self._controller.server
        assert isinstance(server, Server)
        return int(server.sockets[0].getsockname()[1])

    def __enter__(self) -> DevMailServer:
        self.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def start(self) -> None:
        """Begin to listen; raises OSError when the port is in use."""
        self._controller.start()

    def close(self) -> None:
        """Stop."""
        self._controller.stop(no_assert=True)
