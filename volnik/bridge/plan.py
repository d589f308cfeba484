"""SOURCES.toml: what a bridge listens to, and where it brings it; faults are told by their place in it."""

from __future__ import annotations

import os
import re
import tomllib
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError, model_validator

from volnik.core.columns import KINDS as COLUMN_KINDS
from volnik.core.columns import column
from volnik.core.errors import InvalidInput
from volnik.core.readings import COLUMNS

COLUMN_WORDS = ", ".join([*COLUMNS, *(f"{kind}_…" for kind in COLUMN_KINDS)])
MOST_PATTERN = 400
LISTEN = r"^((tcp://[^:/]+|udp://[^:/]*):[0-9]{1,5}|serial:/[^?]+(\?baud=[0-9]{3,7})?)$"
KINDS = ("mqtt", "text", "folder", "can", "modbus")
SHIPPED = {"rvc": "rvc.dbc"}  # maps that ship, by the name a source calls them


def _column(value: str) -> str:
    if column(value) is None:
        raise ValueError(f"is one of {COLUMN_WORDS}, got {value[:30]!r}.")
    return value


def _pattern(value: str) -> str:
    try:
        named = re.compile(value).groupindex
    except re.error as wrong:
        raise ValueError(f"is no pattern: {wrong}.") from None
    strangers = [name for name in named if name != "time" and column(name) is None]
    if strangers or not named:
        raise ValueError(f"names its groups time, {COLUMN_WORDS}, such as (?P<volts>[0-9.]+).")
    return value


def _named(value: str) -> str:
    return value if value == "time" else _column(value)


Column = Annotated[str, AfterValidator(_column)]
Named = Annotated[str, AfterValidator(_named)]


class Part(BaseModel):
    """A part of the file; a key nobody knows is a fault."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class Topic(Part):
    """A topic of a broker and where a figure stands in what is said there.

    Attributes:
        topic: as subscribed; + and # stand for what they do at brokers.
        column: of the reading it is.
        path: names of the objects on the way to it, with dots; "" where the whole message is the number.
        scale, offset: value = said x scale + offset; a scale below 0 turns the sign.
    """

    topic: Annotated[str, Field(min_length=1, max_length=300)]
    column: Column
    path: Annotated[str, Field(max_length=200)] = ""
    scale: Annotated[float, Field(ge=-1e6, le=1e6)] = 1.0
    offset: Annotated[float, Field(ge=-1e6, le=1e6)] = 0.0


class MqttSource(Part):
    """A broker that already has the figures.

    Attributes:
        user, password_env: its login; the name of the variable the password stands in.
        tls: whether the connection is sealed.
    """

    kind: Literal["mqtt"]
    host: Annotated[str, Field(min_length=1, max_length=200)]
    port: Annotated[int, Field(ge=1, le=65535)] = 1883
    user: str = ""
    password_env: str = ""
    tls: bool = False
    topics: Annotated[tuple[Topic, ...], Field(min_length=1, max_length=100)]


class TextSource(Part):
    """Lines of text from a socket.

    Attributes:
        listen: "tcp://host:port" is called; "udp://:port" and "serial:/dev/ttyUSB0?baud=19200" are listened
            on.
        pattern: a regular expression whose groups are named by their columns; a group "time" holds seconds
            since 1970. Without one, lines of name=value or name: value are taken apart.
        fields: column by what such a line calls it, "time" among them; a name that is a column needs no
            entry.
        scale: by column.
    """

    kind: Literal["text"]
    listen: Annotated[str, Field(pattern=LISTEN)]
    pattern: Annotated[str, Field(max_length=MOST_PATTERN), AfterValidator(_pattern)] = ""
    fields: dict[str, Named] = {}
    scale: dict[Column, float] = {}


class FolderSource(Part):
    """A folder in which log files appear, in the columns every log of Volnik has.

    Attributes:
        path: of the folder.
        settle_s: for how long a file must lie unchanged before it is read [s].
    """

    kind: Literal["folder"]
    path: Path
    settle_s: Annotated[float, Field(ge=0, le=86_400)] = 10.0


class Signal(Part):
    """A signal of a map and the column it is.

    Attributes:
        signal: "Message.Signal" as the map names it.
        where: raw values other signals of the frame must have, such as an instance.
        scale, offset: column = signal x scale + offset; a scale below 0 turns the sign.
    """

    signal: Annotated[str, Field(pattern=r"^\w+\.\w+$", max_length=200)]
    column: Column
    where: dict[str, int] = {}
    scale: Annotated[float, Field(ge=-1e6, le=1e6)] = 1.0
    offset: Annotated[float, Field(ge=-1e6, le=1e6)] = 0.0


class CanSource(Part):
    """A CAN bus, or a log of one.

    Attributes:
        interface, channel, bitrate: as python-can names them; or
        file: a log of a bus (candump, ASC, BLF), read once.
        map: a DBC file, or "rvc" for the example that ships.
        by_group: whether frames are known by the group in their 29-bit identifier, whatever priority and
            sender; None is so for the shipped map.
        blanks: whether all ones and the two values below say that there is no data; None likewise.
        priority: signal that tells the priority of a device; the highest speaks for an instance.
    """

    kind: Literal["can"]
    interface: str = "socketcan"
    channel: str = ""
    bitrate: Annotated[int, Field(ge=10_000, le=1_000_000)] | None = None
    file: Path | None = None
    map: Annotated[str, Field(min_length=1, max_length=300)]
    by_group: bool = False
    blanks: bool = False
    priority: str = ""
    signals: Annotated[tuple[Signal, ...], Field(min_length=1, max_length=200)]

    @model_validator(mode="before")
    @classmethod
    def _shipped(cls, given: Any) -> Any:
        if isinstance(given, dict) and given.get("map") in SHIPPED:
            return {"by_group": True, "blanks": True, "priority": "Device_Priority", **given}
        return given

    @model_validator(mode="after")
    def _one_of_both(self) -> CanSource:
        if bool(self.channel) == (self.file is not None):
            raise ValueError("give the channel of a bus, or the file of a log.")
        return self


class Register(Part):
    """A register of a device and the column it is.

    Attributes:
        address: from 0, as it travels.
        table: which table it is in.
        type: u16, i16, u32, i32 or f32; those of 32 bits take two registers.
        words: which of the two comes first, the high one ("big") or the low one.
        scale, offset: column = held x scale + offset; a scale below 0 turns the sign.
    """

    address: Annotated[int, Field(ge=0, le=65535)]
    column: Column
    table: Literal["holding", "input"] = "holding"
    type: Literal["u16", "i16", "u32", "i32", "f32"] = "u16"
    words: Literal["big", "little"] = "big"
    scale: Annotated[float, Field(ge=-1e6, le=1e6)] = 1.0
    offset: Annotated[float, Field(ge=-1e6, le=1e6)] = 0.0


class ModbusSource(Part):
    """A Modbus device.

    Attributes:
        listen: "tcp://host:port", or "rtu:/dev/ttyUSB0?baud=9600".
        unit: its number on the line.
        every_s: between two rounds [s].
    """

    kind: Literal["modbus"]
    listen: Annotated[str, Field(pattern=r"^(tcp://[^:/]+(:[0-9]{1,5})?|rtu:/[^?]+(\?baud=[0-9]{3,7})?)$")]
    unit: Annotated[int, Field(ge=0, le=255)] = 1
    every_s: Annotated[float, Field(ge=0.1, le=3600)] = 1.0
    registers: Annotated[tuple[Register, ...], Field(min_length=1, max_length=100)]


Source = Annotated[
    MqttSource | TextSource | FolderSource | CanSource | ModbusSource, Field(discriminator="kind")
]


class BridgedRig(Part):
    """A rig, its key and its sources.

    Attributes:
        id: of the rig in Volnik.
        key, key_env: its bridge's key, or the name of the variable it stands in.
        interval_s: between readings that are put together from single figures [s].
        stale_s: after how long a figure is too old to stand in a reading [s]; None is five intervals, at
            least five seconds.
    """

    id: Annotated[int, Field(ge=1)]
    key: str = ""
    key_env: str = ""
    interval_s: Annotated[float, Field(ge=0.1, le=3600)] = 1.0
    stale_s: Annotated[float, Field(gt=0, le=86_400)] | None = None
    source: Annotated[tuple[Source, ...], Field(min_length=1, max_length=20)]

    @model_validator(mode="after")
    def _keyed(self) -> BridgedRig:
        if bool(self.key) == bool(self.key_env):
            raise ValueError("give its key, from the page Doors, or key_env, the variable it stands in.")
        return self

    @property
    def secret(self) -> str:
        """The key itself, "" where its variable is not set."""
        return self.key or os.environ.get(self.key_env, "")

    @property
    def too_old_s(self) -> float:
        """After how long a figure is too old [s]."""
        return max(5.0, 5.0 * self.interval_s) if self.stale_s is None else self.stale_s


class ToVolnik(Part):
    """Where Volnik is, and where readings wait while the link is away.

    Attributes:
        address: of Volnik.
        box: file of what waits, beside SOURCES.toml unless it says otherwise.
    """

    address: Annotated[str, Field(pattern=r"^https?://[^\s/]+/?$")]
    box: Path = Path("bridge.sqlite")


class BridgePlan(Part):
    """The whole file."""

    volnik: ToVolnik
    rig: Annotated[tuple[BridgedRig, ...], Field(min_length=1, max_length=50)]

    @model_validator(mode="after")
    def _unlike(self) -> BridgePlan:
        ids = [rig.id for rig in self.rig]
        if twice := {ident for ident in ids if ids.count(ident) > 1}:
            raise ValueError(f"rig {min(twice)} is there twice; give it all its sources in one place.")
        return self


def read_plan(file: Path) -> BridgePlan:
    """Read SOURCES.toml.

    Args:
        file: it stands in.

    Raises:
        InvalidInput: a sentence for each fault, by its place in the file.
    """
    try:
        given = tomllib.loads(file.read_text(encoding="utf-8"))
    except OSError as wrong:
        raise InvalidInput({str(file): f"cannot be read: {wrong.strerror}."}) from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as wrong:
        raise InvalidInput({str(file): f"is no TOML: {wrong}."}) from None
    return plan_of(given, file.parent)


def plan_of(given: dict[str, Any], beside: Path) -> BridgePlan:
    """What the file says.

    Args:
        given: as read.
        beside: folder of the file, which paths are told from.

    Raises:
        InvalidInput: as `read_plan`.
    """
    try:
        plan = BridgePlan.model_validate(given)
    except ValidationError as wrong:
        raise InvalidInput(
            {_place(error["loc"]): _sentence(error["msg"]) for error in wrong.errors(include_url=False)}
        ) from None
    lacking = {
        f"rig {rig.id}": f"the variable {rig.key_env} is not set." for rig in plan.rig if not rig.secret
    }
    if lacking:
        raise InvalidInput(lacking)
    volnik = plan.volnik.model_copy(update={"box": beside / plan.volnik.box})
    rigs = [
        rig.model_copy(update={"source": tuple(_placed(source, beside) for source in rig.source)})
        for rig in plan.rig
    ]
    return plan.model_copy(update={"volnik": volnik, "rig": tuple(rigs)})


def _placed(source: Source, beside: Path) -> Source:
    """A source whose paths are told from the folder of its file."""
    if isinstance(source, FolderSource):
        return source.model_copy(update={"path": beside / source.path})
    if isinstance(source, CanSource):
        file = None if source.file is None else beside / source.file
        named = source.map if source.map in SHIPPED else str(beside / source.map)
        return source.model_copy(update={"file": file, "map": named})
    return source


def _place(steps: tuple[int | str, ...]) -> str:
    """Where in the file: "rig 1, source 2, pattern"; numbers count from 1."""
    told: list[str] = []
    for step in steps:
        if isinstance(step, int):
            told[-1] = f"{told[-1]} {step + 1}"
        elif step not in KINDS:
            told.append(str(step))
    return ", ".join(told) or "the file"


def _sentence(message: str) -> str:
    return message.removeprefix("Value error, ")
