"""Registers of a Modbus device, asked for in turn over TCP or a serial line, mapped to columns."""

from __future__ import annotations

import math
import struct
import threading
from typing import Any

from pymodbus.client import ModbusSerialClient, ModbusTcpClient
from pymodbus.exceptions import ModbusException

from volnik.bridge.again import wait_s
from volnik.bridge.plan import ModbusSource, Register
from volnik.bridge.sources.heard import Ear

FORMATS = {"u16": "H", "i16": "h", "u32": "I", "i32": "i", "f32": "f"}
WORDS = {"u16": 1, "i16": 1, "u32": 2, "i32": 2, "f32": 2}


def value_of(register: Register, words: list[int]) -> float:
    """The value of some registers.

    Args:
        register: what they hold.
        words: 16 bits each, in the order they were read.
    """
    order = words if register.words == "big" else words[::-1]
    (raw,) = struct.unpack(">" + FORMATS[register.type], struct.pack(f">{len(order)}H", *order))
    return float(raw) * register.scale + register.offset


class ModbusListening:
    """A device that is asked, in a thread of its own."""

    def __init__(self, source: ModbusSource, ear: Ear) -> None:
        self.source, self.ear = source, ear
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name="modbus", daemon=True)
        ear.trouble = f"{source.listen} was not reached yet"

    def start(self) -> None:
        """Begin; it is called again, ever more seldom, where it does not answer."""
        self._thread.start()

    def close(self) -> None:
        """End."""
        self._ended.set()
        if self._thread.is_alive():
            self._thread.join(10.0)

    def _client(self) -> ModbusTcpClient | ModbusSerialClient:
        way, _, rest = self.source.listen.partition(":")
        if way == "tcp":
            host, _, port = rest.removeprefix("//").partition(":")
            return ModbusTcpClient(host, port=int(port or 502), timeout=3.0, retries=1)
        device, _, baud = rest.partition("?baud=")
        return ModbusSerialClient(device, baudrate=int(baud or 9600), timeout=1.0, retries=1)

    def _run(self) -> None:
        tried = 0
        while not self._ended.is_set():
            client: Any = self._client()
            try:
                if client.connect():
                    tried = 0
                    self._ask(client)
                else:
                    self.ear.trouble = f"{self.source.listen} does not answer"
            except (ModbusException, OSError) as wrong:
                self.ear.trouble = f"{self.source.listen}: {wrong}"
            finally:
                client.close()
            self._ended.wait(wait_s(tried))
            tried += 1

    def _ask(self, client: Any) -> None:
        """Ask for every register, time and again.

        Raises:
            ModbusException: where the device no longer answers.
        """
        while not self._ended.is_set():
            troubles = [
                trouble for register in self.source.registers if (trouble := self._read(client, register))
            ]
            self.ear.trouble = "; ".join(troubles)
            self._ended.wait(self.source.every_s)

    def _read(self, client: Any, register: Register) -> str:
        """Read one; returns what is wrong with it, "" for nothing."""
        read = client.read_holding_registers if register.table == "holding" else client.read_input_registers
        answer = read(register.address, count=WORDS[register.type], device_id=self.source.unit)
        if answer.isError():
            return f"register {register.address}: {answer}"
        value = value_of(register, list(answer.registers))
        if not math.isfinite(value):
            return f"register {register.address} holds no number"
        self.ear.figure(register.column, value)
        return ""
