"""Frames of a CAN bus, or of a log of one, taken apart by a map in DBC; signals mapped to columns."""

from __future__ import annotations

import math
import threading
from collections.abc import Iterator
from dataclasses import dataclass, field
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING, Any

from volnik.bridge.again import wait_s
from volnik.bridge.gather import Gathered
from volnik.bridge.plan import SHIPPED, CanSource, Signal
from volnik.bridge.sources.heard import Ear
from volnik.core.readings import Row

if TYPE_CHECKING:
    from cantools.database import Database, Message

DGN_SHIFT, DGN_MASK = 8, 0x1FFFF  # of a 29-bit identifier: 3 bits priority, 17 of the group, 8 of the sender
EXTENDED = 0x1FFFFFFF
BLANKS = 3  # all ones and the two values below say that there is no data
PRIORITY_S = 10.0  # for how long a device of higher priority keeps others from speaking
PORTION = 5_000


class MapRefused(ValueError):
    """A map that cannot be used, in words."""


def read_map(name: str) -> Database:
    """A map in DBC: a shipped one by its name, or a file.

    Args:
        name: of a shipped map, or a path.

    Raises:
        MapRefused: where it cannot be read, or its signals lie over each other.
    """
    import cantools

    try:
        if name in SHIPPED:
            text = files("volnik.bridge.maps").joinpath(SHIPPED[name]).read_text(encoding="utf-8")
        else:
            text = Path(name).read_text(encoding="utf-8", errors="replace")
        return cantools.database.load_string(text, database_format="dbc")  # type: ignore[return-value]
    except OSError as wrong:
        raise MapRefused(f"the map {name} cannot be read: {wrong.strerror}") from None
    except (cantools.Error, ValueError) as wrong:
        raise MapRefused(f"the map {name} is no use: {wrong}") from None


def group_of(identifier: int) -> int:
    """The group of a 29-bit identifier, whatever its priority and sender.

    Args:
        identifier: of a frame.
    """
    return (identifier >> DGN_SHIFT) & DGN_MASK


@dataclass
class Decoder:
    """What frames of a bus say of a rig's columns.

    Attributes:
        wanted: messages by what they are known by: their group, or their whole identifier.
        by_group: whether it is the group.
    """

    source: CanSource
    wanted: dict[int, tuple[Message, list[Signal]]] = field(default_factory=dict)
    _first: dict[tuple[str, int], tuple[float, float]] = field(default_factory=dict)

    @classmethod
    def of(cls, source: CanSource) -> Decoder:
        """A decoder of what a source asks for.

        Args:
            source: as it stands in the file.

        Raises:
            MapRefused: for a map that is no use, or a signal it does not have.
        """
        database, decoder = read_map(source.map), cls(source)
        for wanted in source.signals:
            name, _, signal = wanted.signal.partition(".")
            message = next((each for each in database.messages if each.name == name), None)
            if message is None or signal not in _names(message):
                raise MapRefused(f"the map {source.map} has no signal {wanted.signal}")
            if strangers := wanted.where.keys() - _names(message):
                raise MapRefused(f"the map {source.map} has no signal {name}.{min(strangers)}")
            key = decoder.key(message.frame_id)
            decoder.wanted.setdefault(key, (message, []))[1].append(wanted)
        return decoder

    def key(self, identifier: int) -> int:
        """What a frame is known by.

        Args:
            identifier: of it.
        """
        return group_of(identifier) if self.source.by_group else identifier & EXTENDED

    def figures(self, identifier: int, data: bytes, at_s: float) -> Iterator[tuple[str, float]]:
        """Columns and values a frame says; none where it says nothing of them.

        Args:
            identifier: of the frame.
            data: its bytes.
            at_s: its instant [s].
        """
        found = self.wanted.get(self.key(identifier))
        if found is None:
            return
        message, signals = found
        if len(data) < message.length:
            return
        raw = message.decode(data, decode_choices=False, scaling=False)
        for signal in signals:
            name = signal.signal.partition(".")[2]
            if self._is_meant(signal, raw, at_s) and (value := self._value(message, name, raw)) is not None:
                yield signal.column, value * signal.scale + signal.offset

    def _is_meant(self, signal: Signal, raw: Any, at_s: float) -> bool:
        """Whether it is of the instance asked for, and no device of higher priority speaks for it."""
        if any(raw.get(name) != value for name, value in signal.where.items()):
            return False
        if not self.source.priority or self.source.priority not in raw:
            return True
        own, key = float(raw[self.source.priority]), (signal.column, hash(tuple(signal.where.items())))
        best, heard_s = self._first.get(key, (-math.inf, -math.inf))
        if own < best and at_s - heard_s <= PRIORITY_S:
            return False
        self._first[key] = (own, at_s)
        return True

    def _value(self, message: Message, name: str, raw: Any) -> float | None:
        signal = message.get_signal_by_name(name)
        value = raw[name]
        if self.source.blanks and not signal.is_signed and value >= (1 << signal.length) - BLANKS:
            return None
        scaled = signal.conversion.raw_to_scaled(value, decode_choices=False)
        return float(scaled) if isinstance(scaled, int | float) and math.isfinite(scaled) else None


def _names(message: Message) -> set[str]:
    return {signal.name for signal in message.signals}


def candump_lines(stream: Iterator[bytes], decoder: Decoder) -> Iterator[tuple[float, int, bytes]]:
    """Instant [s], identifier and bytes of the wanted frames of a candump; others are passed over unread.

    Lines such as "(1700000000.123456) can0 19FFFD42#01780A01E0E13477".

    Args:
        stream: lines of the file.
        decoder: that knows which are wanted.
    """
    seen: dict[bytes, bool] = {}
    for line in stream:
        head, *rest = line.split(b" ", 3)
        if len(rest) < 2:
            continue
        identifier, _, data = rest[1].partition(b"#")
        wanted = seen.get(identifier)
        if wanted is None:
            wanted = seen[identifier] = _is_wanted(identifier, decoder)
        if wanted:
            try:
                yield (
                    float(head[1 : head.index(b")")]),
                    int(identifier, 16),
                    bytes.fromhex(data.strip().decode()),
                )
            except ValueError:
                continue  # a line that was cut short says nothing


def _is_wanted(identifier: bytes, decoder: Decoder) -> bool:
    try:
        return decoder.key(int(identifier, 16)) in decoder.wanted
    except ValueError:
        return False


def rows_of_log(file: Path, decoder: Decoder, interval_s: float, too_old_s: float) -> Iterator[Row]:
    """Readings of a log of a bus, put together once an interval.

    Args:
        file: candump, ASC or BLF.
        decoder: of its frames.
        interval_s: between readings [s].
        too_old_s: after how long a figure no longer stands in one [s].
    """
    gathered, due_s = Gathered(too_old_s), -math.inf
    for at_s, identifier, data in _frames(file, decoder):
        for column, value in decoder.figures(identifier, data, at_s):
            gathered.hear(column, value, at_s)
        if at_s >= due_s and (row := gathered.reading(at_s)) is not None:
            due_s = (at_s // interval_s + 1.0) * interval_s
            yield row


def _frames(file: Path, decoder: Decoder) -> Iterator[tuple[float, int, bytes]]:
    if file.suffix.lower() in (".asc", ".blf"):
        import can

        with can.LogReader(file) as reader:
            for frame in reader:
                yield frame.timestamp, frame.arbitration_id, bytes(frame.data)
        return
    with file.open("rb") as stream:
        yield from candump_lines(iter(stream), decoder)


class CanListening:
    """A bus that is listened to, or a log of one that is read once."""

    def __init__(self, source: CanSource, ear: Ear, interval_s: float) -> None:
        self.source, self.ear, self.interval_s = source, ear, interval_s
        self.decoder = Decoder.of(source)
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name="can", daemon=True)
        ear.trouble = f"{source.channel or source.file} says nothing yet"

    def start(self) -> None:
        """Begin; the bus is opened again, ever more seldom, where it fails."""
        self._thread.start()

    def close(self) -> None:
        """End."""
        self._ended.set()
        if self._thread.is_alive():
            self._thread.join(5.0)

    def _run(self) -> None:
        if self.source.file is not None:
            self._read_log(self.source.file)
            return
        import can

        tried = 0
        while not self._ended.is_set():
            try:
                self._listen()
                tried = 0
            except (can.CanError, OSError, ValueError) as wrong:
                self.ear.trouble = f"{self.source.channel}: {wrong}"
            self._ended.wait(wait_s(tried))
            tried += 1

    def _listen(self) -> None:
        import can

        more: dict[str, Any] = {} if self.source.bitrate is None else {"bitrate": self.source.bitrate}
        with can.Bus(interface=self.source.interface, channel=self.source.channel, **more) as bus:
            self.ear.trouble = f"{self.source.channel}: no frame that is asked for was heard yet"
            while not self._ended.is_set():
                frame = bus.recv(0.5)
                if frame is not None and not frame.is_error_frame:
                    self._take(frame.arbitration_id, bytes(frame.data))

    def _take(self, identifier: int, data: bytes) -> None:
        for column, value in self.decoder.figures(identifier, data, self.ear.clock.now()):
            self.ear.trouble = ""
            self.ear.figure(column, value)

    def _read_log(self, file: Path) -> None:
        waiting: list[Row] = []
        try:
            for row in rows_of_log(file, self.decoder, self.interval_s, self.ear.gathered.too_old_s):
                waiting.append(row)
                if len(waiting) >= PORTION:
                    self.ear.rows(waiting)
                    waiting = []
        except (OSError, ValueError) as wrong:
            self.ear.trouble = f"{file}: {wrong}"
            return
        self.ear.rows(waiting)
        self.ear.trouble = ""
