"""HTTP as strangers may speak it: heads and bodies in time, and so many connections an address.

uvicorn has no time limit for a head or a body and no limit an address; everything else is its own.
"""

from __future__ import annotations

import asyncio
import logging
from collections import Counter
from typing import Any

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

from volnik.core.limits import (
    BODY_RATE,
    BODY_START_S,
    CONNECTIONS,
    CONNECTIONS_ALL,
    HEAD_S,
)
from volnik.web.security import is_network_address

LOOK_S = 2.0  # how often what is being sent is looked at
FULL = (
    b"HTTP/1.1 503 Service Unavailable\r\nconnection: close\r\nretry-after: 10\r\ncontent-length: 0\r\n\r\n"
)
log = logging.getLogger("volnik")


class Crowd:
    """Connections of the network under way, by address."""

    def __init__(self) -> None:
        self._here: Counter[str] = Counter()

    def let_in(self, address: str) -> bool:
        """Whether one more finds room; it is counted then."""
        if self._here[address] >= CONNECTIONS.value or self._here.total() >= CONNECTIONS_ALL.value:
            return False
        self._here[address] += 1
        return True

    def gone(self, address: str) -> None:
        """One of those let in is gone."""
        self._here[address] -= 1
        if not self._here[address]:
            del self._here[address]


class PatientProtocol(H11Protocol):
    """uvicorn's HTTP/1.1, with an end to patience."""

    crowd = Crowd()

    def __init__(self, *given: Any, **more: Any) -> None:
        super().__init__(*given, **more)
        self._from = ""  # the network address it was let in as
        self._look: asyncio.TimerHandle | None = None
        self._since = 0.0  # when the head or body under way was begun
        self._got = 0  # bytes of a body so far
        self._waits_for = ""

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """Let a connection in, unless there are too many."""
        super().connection_made(transport)
        address = self.client[0] if self.client else ""
        if is_network_address(address):
            if not self.crowd.let_in(address):
                transport.write(FULL)
                transport.close()
                return
            self._from = address
        self._begin_waiting("head")

    def connection_lost(self, exc: Exception | None) -> None:
        """A connection is gone."""
        if self._from:
            self.crowd.gone(self._from)
            self._from = ""
        self._end_waiting()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        """Bytes came."""
        if self.transport.is_closing():
            return
        self._got += len(data)
        if not self._waits_for:  # the next request of a kept connection
            self._begin_waiting("head")
        super().data_received(data)
        self._follow()

    def on_response_complete(self) -> None:
        """An answer is sent; what was sent behind the request may be the next one."""
        super().on_response_complete()
        self._follow()

    def _follow(self) -> None:
        """Wait for what comes next of the request under way."""
        state = self.conn.their_state
        if state is h11.SEND_BODY:
            if self._waits_for != "body":
                self._begin_waiting("body")
        elif state is h11.IDLE and self.conn.trailing_data[0]:
            if self._waits_for != "head":
                self._begin_waiting("head")
        else:
            self._end_waiting()

    def _begin_waiting(self, what: str) -> None:
        self._end_waiting()
        self._waits_for, self._since, self._got = what, self.loop.time(), 0
        self._look = self.loop.call_later(LOOK_S, self._looked)

    def _end_waiting(self) -> None:
        self._waits_for = ""
        if self._look is not None:
            self._look.cancel()
            self._look = None

    def _looked(self) -> None:
        """Close a connection that takes too long."""
        self._look = None
        if self.transport.is_closing():
            return
        took_s = self.loop.time() - self._since
        if self._waits_for == "head":
            late = took_s > HEAD_S.value
        else:
            # While Volnik itself does not read on, nobody else is slow.
            if self.flow.read_paused:
                self._since += LOOK_S
            allowed_s = BODY_START_S.value + self._got / BODY_RATE.value
            late = took_s > allowed_s
        if late:
            log.info("A connection of %s was closed: its %s took too long.", self.client, self._waits_for)
            self.transport.abort()
            return
        self._look = self.loop.call_later(LOOK_S, self._looked)
