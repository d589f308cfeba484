"""The network behind TLS: one port, in plain on this machine and in secret on every other address."""

import contextlib
import hashlib
import socket
import ssl
import tempfile
import threading
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

import httpx2

from tests.web.shops import opened
from volnik import serving
from volnik.core.limits import Limit
from volnik.serving import PortTaken, take_port, take_ports
from volnik.tasks.certificate import own_certificate

SHAKE_S = 2.0
ELSEWHERE = "127.0.0.2"  # another address of this machine than its own: it reaches what the network reaches


@contextlib.contextmanager
def served():
    """A running Volnik that lets the network in: listeners, certificate, what it runs on."""
    with tempfile.TemporaryDirectory() as folder, contextlib.closing(opened(folder)) as running:
        listeners = take_ports(0, lan=True, tls=True)
        certificate = own_certificate(Path(folder), ["192.168.7.2"])
        running.hosts |= {f"127.0.0.1:{listeners.port}", f"{ELSEWHERE}:{listeners.port}"}
        first = []

        class Noted(serving._First):
            def __init__(self, config):
                super().__init__(config)
                first.append(self)

        shake = Limit("shaking hands", SHAKE_S, "s", "for the test")
        with mock.patch.object(serving, "_First", Noted), mock.patch.object(serving, "HEAD_S", shake):
            thread = threading.Thread(target=serving.run, args=(running.app, listeners, certificate))
            thread.start()
            try:
                while not (first and first[0].started):
                    pass
                yield listeners, certificate, running
            finally:
                first[0].should_exit = True
                thread.join(15)


class InSecret(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.listeners, cls.certificate, cls.running = cls.enterClassContext(served())

    def _secret(self):
        trusted = ssl.create_default_context(cafile=str(self.certificate.certificate))
        trusted.check_hostname = False
        return httpx2.Client(verify=trusted)

    def test_this_machine_talks_in_plain_and_the_network_in_secret(self):
        port = self.listeners.port
        with httpx2.Client() as plain, self._secret() as secret:
            self.assertEqual(plain.get(f"http://127.0.0.1:{port}/doors").status_code, 200)
            self.assertEqual(secret.get(f"https://{ELSEWHERE}:{port}/pair").status_code, 200)
            with self.assertRaises(httpx2.TransportError):
                plain.get(f"http://{ELSEWHERE}:{port}/pair")

    def test_the_certificate_is_the_one_whose_fingerprint_is_shown(self):
        context = ssl.create_default_context()
        context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
        with (
            socket.create_connection((ELSEWHERE, self.listeners.port)) as raw,
            context.wrap_socket(raw) as met,
        ):
            digest = hashlib.sha256(met.getpeercert(binary_form=True)).hexdigest()
        self.assertEqual(digest.upper(), self.certificate.fingerprint.replace(":", ""))

    def test_plain_http_is_led_on_and_nothing_is_taken_there(self):
        at = f"http://{ELSEWHERE}:{self.listeners.port + 1}"
        with httpx2.Client() as plain:
            led = plain.get(f"{at}/pair?code=ABC", headers={"host": "evil.invalid"})
            self.assertEqual(led.status_code, 307)
            self.assertEqual(
                led.headers["location"], f"https://{ELSEWHERE}:{self.listeners.port}/pair?code=ABC"
            )
            self.assertEqual(plain.post(f"{at}/pair", data={"code": "x"}).status_code, 421)

    def test_who_opens_a_connection_and_says_nothing_is_closed_in_time_and_others_are_answered(self):
        at = (ELSEWHERE, self.listeners.port)
        with contextlib.ExitStack() as held:
            silent = [held.enter_context(socket.create_connection(at)) for _ in range(60)]
            with httpx2.Client() as plain, self._secret() as secret:
                self.assertEqual(plain.get(f"http://127.0.0.1:{at[1]}/doors").status_code, 200)
                self.assertEqual(secret.get(f"https://{at[0]}:{at[1]}/pair").status_code, 200)
            for one in silent:
                one.settimeout(SHAKE_S + 8)
                self.assertEqual(one.recv(1), b"")

    def test_a_cookie_given_in_secret_travels_only_so(self):
        code = self.running.app.state.web.pairing.code().text
        with self._secret() as secret:
            base = f"https://{ELSEWHERE}:{self.listeners.port}"
            page = secret.get(f"{base}/pair")
            token = page.text.split('name="form-token" content="')[1].split('"')[0]
            sent = secret.post(
                f"{base}/pair", data={"code": code, "name": "Ann"}, headers={"x-form-token": token}
            )
            self.assertIn("Secure", sent.headers["set-cookie"])


class Ports(unittest.TestCase):
    def test_a_port_that_another_program_has_is_told_with_and_without_the_network(self):
        with contextlib.closing(take_port(0)) as other:
            other.listen()
            for lan in (False, True):
                with self.subTest(lan=lan), self.assertRaisesRegex(PortTaken, "Choose another with --port"):
                    take_ports(other.getsockname()[1], lan=lan, tls=True).close()

    def test_without_tls_all_is_one_plain_port(self):
        found = take_ports(0, lan=True, tls=False)
        self.addCleanup(found.close)
        self.assertIsNone(found.network)
        self.assertEqual(found.own.getsockname()[0], "0.0.0.0")


class Certificates(unittest.TestCase):
    def test_made_once_kept_from_others_and_renewed_before_it_runs_out(self):
        with tempfile.TemporaryDirectory() as folder:
            at, now = Path(folder), datetime(2026, 11, 28, tzinfo=UTC)
            first = own_certificate(at, ["192.168.7.2"], now=now)
            self.assertEqual(first.key.stat().st_mode & 0o077, 0)
            for days, same in ((0, True), (760, True), (780, False)):
                with self.subTest(days):
                    later = own_certificate(at, [], now=now + timedelta(days=days))
                    self.assertIs(later.fingerprint == first.fingerprint, same)

    def test_one_that_a_kill_or_a_hand_broke_is_made_anew(self):
        with tempfile.TemporaryDirectory() as folder:
            at = Path(folder)
            first = own_certificate(at, [])
            for name, body in (("tls.key", b""), ("tls.crt", b"no certificate")):
                with self.subTest(name):
                    (at / name).write_bytes(body)
                    self.assertNotEqual(own_certificate(at, []).fingerprint, first.fingerprint)
