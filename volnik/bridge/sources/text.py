"""Lines of text from a socket or a serial line, taken apart by a pattern with groups named by columns."""

from __future__ import annotations

import re
import socket
import threading
from collections.abc import Iterator
from contextlib import suppress

from volnik.bridge.again import wait_s
from volnik.bridge.plan import TextSource
from volnik.bridge.sources.heard import Ear
from volnik.core.columns import column, limits_of, row_of

MOST_LINE = 2000  # characters of a line that is read
PAIR = re.compile(r"([A-Za-z][A-Za-z0-9_.]{0,60})[=:] ?([-+0-9][-+0-9.,eE]{0,30})")


def figures_in(line: str, source: TextSource) -> dict[str, float]:
    """The figures of a line by column, "time" among them; none where the pattern is not in it.

    Args:
        line: as heard.
        source: whose pattern and scales hold.

    Raises:
        ValueError: where a group is no number, in words.
    """
    values = {}
    for name, text in _said(line[:MOST_LINE], source).items():
        if text is None:
            continue
        try:
            values[name] = float(text.replace(",", ".")) * source.scale.get(name, 1.0)
        except ValueError:
            raise ValueError(f"“{text[:20]}” is no {name}") from None
    return values


def _said(line: str, source: TextSource) -> dict[str, str | None]:
    """What a line says, by column, as text."""
    if source.pattern:
        found = re.search(source.pattern, line)
        return {} if found is None else found.groupdict()
    said = {}
    for name, text in PAIR.findall(line):
        wanted = source.fields.get(name, name)
        if wanted == "time" or column(wanted) is not None:
            said[wanted] = text
    return said


class TextListening:
    """A socket that is listened to, in a thread of its own."""

    def __init__(self, source: TextSource, ear: Ear) -> None:
        self.source, self.ear = source, ear
        self._ended = threading.Event()
        self._socket: socket.socket | None = None
        self._thread = threading.Thread(target=self._run, name="text", daemon=True)
        self._way, _, self._where = source.listen.partition(":")
        ear.trouble = f"{source.listen} was not reached yet"

    def start(self) -> None:
        """Begin; it is called again, ever more seldom, where it is cut."""
        self._thread.start()

    def close(self) -> None:
        """End."""
        self._ended.set()
        if self._socket is not None:
            with suppress(OSError):
                self._socket.shutdown(socket.SHUT_RDWR)
            self._socket.close()
        if self._thread.is_alive():
            self._thread.join(5.0)

    def _run(self) -> None:
        tried = 0
        while not self._ended.is_set():
            try:
                for line in self._lines():
                    tried = 0
                    self.take(line)
                self.ear.trouble = f"{self.source.listen} hung up"
            except OSError as wrong:
                self.ear.trouble = f"{self.source.listen}: {wrong.strerror or wrong}"
            self._ended.wait(wait_s(tried))
            tried += 1

    def _lines(self) -> Iterator[str]:
        ways = {"udp": self._of_datagrams, "tcp": self._of_stream, "serial": self._of_wire}
        return ways[self._way]()

    def _address(self) -> tuple[str, int]:
        host, _, port = self._where.removeprefix("//").rpartition(":")
        return host, int(port)

    def _of_wire(self) -> Iterator[str]:
        import serial  # with the extra "bridge" alone

        device, _, baud = self._where.partition("?baud=")
        with serial.Serial(device, int(baud or 9600), timeout=0.5) as wire:
            self.ear.trouble = ""
            begun = b""
            while not self._ended.is_set():
                *lines, begun = (begun + wire.read(max(1, wire.in_waiting))).split(b"\n")
                begun = begun[-MOST_LINE:]
                yield from (line.decode("utf-8", "replace") for line in lines)

    def _of_stream(self) -> Iterator[str]:
        self._socket = socket.create_connection(self._address(), timeout=30.0)
        with self._socket, self._socket.makefile("r", encoding="utf-8", errors="replace") as stream:
            self.ear.trouble = ""
            self._socket.settimeout(None)
            while line := stream.readline(MOST_LINE):
                yield line

    def _of_datagrams(self) -> Iterator[str]:
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        with self._socket:
            self._socket.bind(self._address())
            self.ear.trouble = ""
            while not self._ended.is_set():
                yield from self._socket.recv(65_536).decode("utf-8", "replace").splitlines()

    def take(self, line: str) -> None:
        """Take a line; one that tells its time, volts and amps is a reading of its own.

        Args:
            line: as heard.
        """
        try:
            values = figures_in(line, self.source)
        except ValueError as wrong:
            self.ear.trouble = f"{self.source.listen}: {wrong}"
            return
        at_s = values.pop("time", None)
        if at_s is None:
            for name, value in values.items():
                self.ear.figure(name, value)
        elif {"volts", "amps"} <= values.keys():
            refused = [
                f"{name} {why}" for name, value in values.items() if (why := limits_of(name).refusal(value))
            ]
            if refused:
                self.ear.trouble = f"{self.source.listen}: {refused[0]}"
                return
            self.ear.rows([row_of(round(at_s * 1000.0), values)])
