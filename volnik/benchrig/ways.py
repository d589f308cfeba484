"""Ways a bench rig speaks beside HTTP: lines of text, Modbus TCP, a broker's topics, a CAN bus.

Each is a stand-in for a device a bridge listens to; what it says is what `volnik/benchrig/figures.py` gives.
"""

from __future__ import annotations

import asyncio
import socket
import struct
import threading
from collections.abc import Mapping
from contextlib import suppress
from typing import Any, Protocol

from volnik.benchrig.figures import line_of
from volnik.core.errors import InvalidInput

REGISTERS = {"volts": 10, "amps": 20, "celsius": 30, "percent_pack": 40}
"""Where each figure stands.

Volts and percent as hundredths, °C as tenths, amps as a float, the high word first.
"""
PRIORITY = 120  # of a monitor among the sources of the RV bus
INSTANCE = 1  # the house battery


class Way(Protocol):
    """A way of speaking."""

    def say(self, time_s: float, values: Mapping[str, float]) -> None:
        """Say figures of an instant [s since 1970], by column."""

    def close(self) -> None:
        """End."""


class TextWay:
    """Lines of text for whoever calls a port of this machine."""

    def __init__(self, port: int) -> None:
        self._door = socket.create_server(("127.0.0.1", port))
        self.port = int(self._door.getsockname()[1])
        self._callers: list[socket.socket] = []
        self._lock = threading.Lock()
        threading.Thread(target=self._let_in, name="text", daemon=True).start()

    def _let_in(self) -> None:
        while True:
            try:
                caller, _ = self._door.accept()
            except OSError:
                return
            caller.settimeout(1.0)
            with self._lock:
                self._callers.append(caller)

    def say(self, time_s: float, values: Mapping[str, float]) -> None:
        """Say a line to every caller; one that hung up is forgotten.

        Args:
            time_s: the instant [s since 1970].
            values: by column.
        """
        line = (line_of(time_s, values) + "\n").encode()
        with self._lock:
            for caller in list(self._callers):
                try:
                    caller.sendall(line)
                except OSError:
                    caller.close()
                    self._callers.remove(caller)

    def close(self) -> None:
        """Hang up on all."""
        with suppress(OSError):
            self._door.shutdown(socket.SHUT_RDWR)
        self._door.close()
        with self._lock:
            for caller in self._callers:
                caller.close()


class ModbusWay:
    """Registers of a device over Modbus TCP, number 1, on a port of this machine.

    It answers from its first figures on, so that nobody reads zeros that were never measured.
    """

    def __init__(self, port: int) -> None:
        self.port = port
        self._server: Any = None
        self._loop = asyncio.new_event_loop()
        self._ready, self._stopped = threading.Event(), asyncio.Event()
        self._first = [0] * 64
        self._thread = threading.Thread(target=self._run, name="modbus", daemon=True)

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._loop.run_until_complete(self._serve())
        self._loop.close()

    async def _serve(self) -> None:
        from pymodbus.server import ModbusTcpServer
        from pymodbus.simulator import DataType, SimData, SimDevice

        data = [SimData(0, values=self._first, datatype=DataType.REGISTERS)]
        self._server = ModbusTcpServer(SimDevice(1, simdata=data), address=("127.0.0.1", self.port))
        await self._server.listen()
        self._ready.set()
        await self._stopped.wait()
        await self._server.shutdown()

    def say(self, time_s: float, values: Mapping[str, float]) -> None:
        """Put figures into their registers.

        Args:
            time_s: the instant [s since 1970]; registers have none.
            values: by column.
        """
        written = {name: words_of(name, values[name]) for name in REGISTERS if name in values}
        if self._ready.is_set():
            asyncio.run_coroutine_threadsafe(self._write(written), self._loop).result(5.0)
            return
        for name, words in written.items():
            self._first[REGISTERS[name] : REGISTERS[name] + len(words)] = words
        self._thread.start()
        if not self._ready.wait(10.0):
            raise OSError(f"port {self.port} cannot be had")

    async def _write(self, written: Mapping[str, list[int]]) -> None:
        for name, words in written.items():
            await self._server.context.async_setValues(1, 3, REGISTERS[name], words)

    def close(self) -> None:
        """Hang up."""
        if self._thread.is_alive():
            self._loop.call_soon_threadsafe(self._stopped.set)
            self._thread.join(5.0)


def words_of(name: str, value: float) -> list[int]:
    """A figure as registers of 16 bits.

    Args:
        name: of its column.
        value: in the column's unit.
    """
    if name == "amps":
        return list(struct.unpack(">HH", struct.pack(">f", value)))
    scaled = round(value * (10.0 if name == "celsius" else 100.0))
    return [scaled & 0xFFFF]


class TopicsWay:
    """A plain number a topic of a broker, under a beginning of its own."""

    def __init__(self, host: str, port: int, begin: str) -> None:
        import paho.mqtt.client as mqtt
        from paho.mqtt.enums import CallbackAPIVersion

        self._begin = begin
        self._client = mqtt.Client(CallbackAPIVersion.VERSION2)
        self._client.connect_async(host, port)
        self._client.loop_start()

    def say(self, time_s: float, values: Mapping[str, float]) -> None:
        """Publish each figure.

        Args:
            time_s: the instant [s since 1970]; a plain number has none.
            values: by column.
        """
        for name, value in values.items():
            self._client.publish(f"{self._begin}/{name}", f"{value:g}")

    def close(self) -> None:
        """Hang up."""
        self._client.disconnect()
        self._client.loop_stop()


class CanWay:
    """Frames of a bus by the map that ships: a source of direct current, and each charger."""

    def __init__(self, interface: str, channel: str) -> None:
        from importlib.resources import files

        import can
        import cantools

        map_text = (files("volnik.bridge") / "maps" / "rvc.dbc").read_text(encoding="utf-8")
        self._map: Any = cantools.database.load_string(map_text, "dbc")
        self._can = can
        self._bus = can.Bus(interface=interface, channel=channel)

    def say(self, time_s: float, values: Mapping[str, float]) -> None:
        """Send the frames.

        Args:
            time_s: the instant [s since 1970]; a frame has none.
            values: by column.
        """
        who = {"Instance": INSTANCE, "Device_Priority": PRIORITY}
        self._send("DC_SOURCE_STATUS_1", {**who, "Volts": values["volts"], "Amps": values["amps"]})
        told = {"Source_Temperature": values["celsius"], "State_Of_Charge": values.get("percent_pack", 0.0)}
        self._send("DC_SOURCE_STATUS_2", {**who, **told, "Time_Remaining": 0})

    def _send(self, name: str, signals: dict[str, float]) -> None:
        frame = self._map.get_message_by_name(name)
        data = frame.encode(signals, strict=False)
        self._bus.send(self._can.Message(arbitration_id=frame.frame_id, data=data, is_extended_id=True))

    def close(self) -> None:
        """Leave the bus."""
        self._bus.shutdown()


SAYS = "text=4001, modbus=5020, topics=127.0.0.1:1883/van or can=socketcan:vcan0"


def way_of(spec: str) -> Way:
    """A way as it is typed.

    Args:
        spec: "text=PORT", "modbus=PORT", "topics=HOST:PORT/BEGIN" or "can=INTERFACE:CHANNEL".

    Raises:
        InvalidInput: where it is none, or cannot be had.
    """
    kind, _, rest = spec.partition("=")
    try:
        if kind == "text":
            return TextWay(int(rest))
        if kind == "modbus":
            return ModbusWay(int(rest))
        if kind == "topics":
            where, _, begin = rest.partition("/")
            host, _, port = where.partition(":")
            return TopicsWay(host, int(port or 1883), begin or "van")
        if kind == "can":
            interface, _, channel = rest.partition(":")
            return CanWay(interface, channel)
    except ValueError:
        pass
    except ImportError as wrong:
        lacking = f"{wrong.name} is not installed: pip install 'volnik[bridge]'."
        raise InvalidInput({"say": lacking}) from None
    raise InvalidInput({"say": f"“{spec[:60]}” is no way to speak: {SAYS}."})
