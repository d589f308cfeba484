"""What a stranger on the network can cost: heads, bodies, connections, wrong codes."""

import contextlib
import socket
import tempfile
import threading
import time
import unittest
from dataclasses import replace
from unittest import mock

import httpx2
import uvicorn

from tests.web.shops import opened, visitor
from volnik.core import limits
from volnik.core.errors import InvalidInput
from volnik.services.doors.pairing import Pairing
from volnik.serving import take_port
from volnik.web import protocol
from volnik.web.protocol import Crowd, PatientProtocol


@contextlib.contextmanager
def served():
    """A running server and its port; patience is a fifth of a second."""
    quick = {name: replace(getattr(limits, name), value=0.4) for name in ("HEAD_S", "BODY_START_S")}
    with (
        tempfile.TemporaryDirectory() as folder,
        mock.patch.multiple(protocol, LOOK_S=0.1, **quick),
        contextlib.closing(opened(folder)) as running,
    ):
        listener = take_port(0)
        port = listener.getsockname()[1]
        running.hosts.add(f"127.0.0.1:{port}")
        config = uvicorn.Config(
            running.app,
            http=PatientProtocol,
            h11_max_incomplete_event_size=int(limits.HEAD),
            log_level="critical",
        )
        server = uvicorn.Server(config)
        thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]})
        thread.start()
        try:
            while not server.started:
                time.sleep(0.01)
            yield port
        finally:
            server.should_exit = True
            thread.join(10)


def said(connection):
    """All that a connection answers until it is closed."""
    connection.settimeout(10)
    with contextlib.suppress(ConnectionError):
        found = b""
        while more := connection.recv(1 << 16):
            found += more
        return found
    return found


class Slow(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.port = cls.enterClassContext(served())

    def _open(self):
        connection = socket.create_connection(("127.0.0.1", self.port))
        self.addCleanup(connection.close)
        return connection

    def _head(self, line, **more):
        fields = "connection: close\r\n" + "".join(
            f"{name.replace('_', '-')}: {value}\r\n" for name, value in more.items()
        )
        return f"{line} HTTP/1.1\r\nhost: 127.0.0.1:{self.port}\r\n{fields}\r\n".encode()

    def test_what_is_never_finished_is_closed(self):
        for name, begun in (
            ("nothing", b""),
            ("half a head", b"GET / HTTP/1.1\r\nhost: x\r\n"),
            ("half a body", self._head("POST /pair", content_length=1000) + b"code=1"),
            (
                "half a second head",
                self._head("GET /static/css/tokens.css").replace(b"close", b"keep-alive") + b"GET / HTT",
            ),
        ):
            with self.subTest(name):
                connection = self._open()
                connection.sendall(begun)
                said(connection)  # ends, or the test does after ten seconds

    def test_a_head_sent_letter_by_letter_is_closed(self):
        connection = self._open()
        with self.assertRaises(OSError):
            for _ in range(200):
                connection.sendall(b"a")
                time.sleep(0.05)

    def test_a_head_or_an_address_too_long_is_refused(self):
        for name, head, code in (
            ("address", self._head("GET /" + "a" * 9000), b"414"),
            ("cookies", self._head("GET /", cookie="a" * 40_000), b"4"),
            ("endless", b"GET / HTTP/1.1\r\n" + b"a: b\r\n" * 300_000, b"4"),
        ):
            with self.subTest(name):
                connection = self._open()
                with contextlib.suppress(ConnectionError):
                    connection.sendall(head)
                answer = said(connection)
                self.assertTrue(answer[:12].startswith(b"HTTP/1.1 " + code) or answer == b"", answer[:80])

    def test_who_is_slow_but_sound_is_answered(self):
        with httpx2.Client(base_url=f"http://127.0.0.1:{self.port}") as client:
            for _ in range(3):  # a kept connection, longer than patience lasts
                self.assertEqual(client.get("/doors").status_code, 200)
                time.sleep(0.6)
            body = (
                part
                for part in (b'[{"time":1795180000,', b'"volts":13,', b'"amps":1}]')
                if not time.sleep(0.1)
            )
            headers = {"authorization": "Bearer x"}
            self.assertEqual(
                client.post("/api/rigs/1/readings", content=body, headers=headers).status_code, 403
            )

    def test_one_address_has_so_many_connections_and_others_still_come_in(self):
        with mock.patch.object(protocol, "is_network_address", return_value=True):
            held = [self._open() for _ in range(int(limits.CONNECTIONS))]
            for connection in held:
                connection.sendall(b"G")
            time.sleep(0.1)
            self.assertIn(b"503", said(self._open()))
        with httpx2.Client() as own:
            self.assertEqual(own.get(f"http://127.0.0.1:{self.port}/doors").status_code, 200)

    def test_what_has_gone_makes_room(self):
        crowd = Crowd()
        self.assertTrue(all(crowd.let_in("192.0.2.1") for _ in range(int(limits.CONNECTIONS))))
        self.assertFalse(crowd.let_in("192.0.2.1"))
        self.assertTrue(crowd.let_in("192.0.2.2"))
        crowd.gone("192.0.2.1")
        self.assertTrue(crowd.let_in("192.0.2.1"))
        others = sum(crowd.let_in(f"198.51.100.{at // 30}") for at in range(400))
        self.assertEqual(others + int(limits.CONNECTIONS) + 1, int(limits.CONNECTIONS_ALL))


class WrongCodes(unittest.TestCase):
    def setUp(self):
        self.now = 0.0
        client = self.enterContext(visitor())
        self.pairing = Pairing(client.running.context, "s" * 40, clock=lambda: self.now)
        self.code = self.pairing.code().text

    def _try(self, code, address="192.0.2.1"):
        try:
            return self.pairing.pair(code, "phone", address=address)
        except InvalidInput as wrong:
            return wrong.problems["code"]

    def test_a_stranger_waits_longer_each_time_and_the_owner_comes_in(self):
        waits = []
        for _ in range(int(limits.CODE_TRIES) + 3):
            self._try("WRONGONE")
            waits.append(self.pairing._tries["192.0.2.1"].until - self.now)
            self.now += max(waits[-1], 0.0)
        # by hand: two free tries, then 10 s, doubled each time
        self.assertEqual([max(0, round(wait)) for wait in waits], [0, 0, 10, 20, 40, 80])
        self.assertNotIn("wrong", self._try(self.code, "192.0.2.7"))

    def test_while_it_waits_not_even_the_right_code_is_looked_at(self):
        for _ in range(int(limits.CODE_TRIES)):
            self._try("WRONGONE")
        self.assertIn("try again in 10 s", self._try(self.code))
        self.now += 10
        self.assertNotIn("code", self._try(self.code).lower()[:4])

    def test_a_code_is_burnt_by_many_addresses_and_the_laptop_is_told(self):
        for number in range(int(limits.CODE_WRONG)):
            self._try("WRONGONE", f"192.0.2.{number}")
        self.assertIn("wrong or ran out", self._try(self.code, "192.0.2.99"))
        self.assertNotEqual(self.pairing.code().text, self.code)
        self.assertEqual(self.pairing.burnt_by, "192.0.2.39")

    def test_letters_of_any_script_are_a_wrong_code(self):
        for odd in ("É" * 8, "²²²²²²²²", "\x00", "", "ｱｱｱｱ", "😀"):
            with self.subTest(odd):
                self.now += 2000
                self.assertIn("wrong or ran out", self._try(odd))

    def test_doors_tell_of_a_burnt_code(self):
        with visitor() as client:
            client.running.app.state.web.lan = True
            client.running.app.state.web.pairing.burnt_by = "192.0.2.9"
            client.running.app.state.web.addresses = lambda: ["192.0.2.1:8370"]
            self.assertIn("was burnt: 192.0.2.9", client.get("/doors").text)
