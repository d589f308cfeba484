"""Modbus devices: values by hand, a stand-in that answers, refuses and goes away; lines by a serial line."""

import asyncio
import os
import pty
import socket
import struct
import threading
import time
import unittest

from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from tests.bridge.test_parts import ear_of, text_source
from volnik.bridge.plan import Register
from volnik.bridge.sources.modbus import value_of


class StandIn:
    """A Modbus device over TCP in a thread: 13.21 V at 10, -4.5 A as a float at 20, nothing beyond."""

    def __init__(self, port):
        self.port, self.ready = port, threading.Event()
        self.loop = asyncio.new_event_loop()
        self.thread = threading.Thread(target=self.run, daemon=True)
        self.thread.start()
        self.ready.wait(10)

    def run(self):
        """Answer until it is stopped."""
        asyncio.set_event_loop(self.loop)
        self.loop.run_until_complete(self.serve())
        self.loop.run_until_complete(self.loop.shutdown_asyncgens())
        self.loop.close()

    async def serve(self):
        """The server itself."""
        high, low = struct.unpack(">HH", struct.pack(">f", -4.5))
        data = [
            SimData(10, values=[1321], datatype=DataType.REGISTERS),
            SimData(20, values=[high, low], datatype=DataType.REGISTERS),
        ]
        self.server = ModbusTcpServer(SimDevice(1, simdata=data), address=("127.0.0.1", self.port))
        await self.server.listen()
        self.ready.set()
        self.stopped = asyncio.Event()
        await self.stopped.wait()
        await self.server.shutdown()

    def stop(self):
        """Hang up."""
        self.loop.call_soon_threadsafe(self.stopped.set)
        self.thread.join(10)


class Heard(unittest.TestCase):
    def wait(self, seen, what):
        for _ in range(300):
            if seen():
                return
            time.sleep(0.05)
        self.fail(what)

    def test_values_by_hand(self):
        for kind, words, order, wanted in (
            ("u16", [1321], "big", 1321.0),
            ("i16", [0xFFD3], "big", -45.0),
            ("u32", [0x0001, 0x86A0], "big", 100_000.0),
            ("u32", [0x86A0, 0x0001], "little", 100_000.0),
            ("i32", [0xFFFF, 0xFFFE], "big", -2.0),
            ("f32", [0xC090, 0x0000], "big", -4.5),  # sign 1, exponent 2, 1.125
        ):
            register = Register(address=0, column="volts", type=kind, words=order)
            self.assertEqual(value_of(register, words), wanted)
        scaled = Register(address=0, column="amps", type="i16", scale=-0.1, offset=1.0)
        self.assertAlmostEqual(value_of(scaled, [45]), -3.5)

    def test_a_device_is_asked_its_refusals_told_and_called_again_once_it_is_back(self):
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        registers = [
            {"address": 10, "column": "volts", "scale": 0.01},
            {"address": 20, "column": "amps", "type": "f32"},
            {"address": 90, "column": "celsius"},
        ]
        listen = f"tcp://127.0.0.1:{port}"
        given = {"kind": "modbus", "listen": listen, "every_s": 0.1, "registers": registers}
        device = StandIn(port)
        ear = ear_of(self, given)
        self.wait(lambda: ear.gathered.reading(ear.clock.now()) is not None, "no figures came")
        row = ear.gathered.reading(ear.clock.now())
        self.assertEqual((round(row[1], 6), row[2], row[3]), (13.21, -4.5, None))
        self.assertIn("register 90", ear.trouble)
        device.stop()
        self.wait(lambda: "register" not in ear.trouble, "its end was not told")
        device = StandIn(port)
        self.addCleanup(device.stop)
        self.wait(lambda: "register 90" in ear.trouble, "it was not called again")

    def test_lines_over_a_serial_line(self):
        here, there = pty.openpty()
        self.addCleanup(os.close, there)
        self.addCleanup(os.close, here)
        ear = ear_of(self, text_source(listen=f"serial:{os.ttyname(there)}?baud=19200"))

        def heard():
            os.write(here, b"V=13.21 I=-4.50\nV=13")
            os.write(here, b".20 I=-4.60\n")
            return ear.gathered.reading(ear.clock.now()) is not None

        self.wait(heard, "no line came")
        self.assertIn(ear.gathered.reading(ear.clock.now())[1], (13.21, 13.2))
