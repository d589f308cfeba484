"""A running Volnik with the demo yard and a headless Chromium in front of it, shared by the browser tests."""

import shutil
import socket
import tempfile
import threading
import time
import unittest
from pathlib import Path

import uvicorn
from playwright.sync_api import expect, sync_playwright

from tests.web.shops import opened
from volnik.benchrig.control import control_app
from volnik.benchrig.program import BenchPlan, begin
from volnik.main import warm
from volnik.services.live import tokens
from volnik.services.yard.document import give_out
from volnik.serving import take_port

expect.set_options(timeout=60_000)  # a busy machine takes its time; what never comes fails all the same
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
AXE = Path(__file__).parent.parent.parent / "volnik/web/static/vendor/axe-core-4.14.1/axe.min.js"


class Bench:
    """One server and one browser."""

    def __init__(self):
        warm()
        self.folder = tempfile.TemporaryDirectory()
        self.running = opened(self.folder.name, demo=True)
        listener: socket.socket = take_port(0)
        port = listener.getsockname()[1]
        self.running.hosts.add(f"127.0.0.1:{port}")
        self.address = f"http://127.0.0.1:{port}"
        self.server = uvicorn.Server(
            uvicorn.Config(self.running.app, log_level="error", timeout_graceful_shutdown=1)
        )
        self.thread = threading.Thread(target=self.server.run, kwargs={"sockets": [listener]}, daemon=True)
        self.thread.start()
        while not self.server.started:
            time.sleep(0.02)
        self.playwright = sync_playwright().start()
        self.browser = self.playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)

    def close(self):
        """Stop both."""
        self.browser.close()
        self.playwright.stop()
        self.server.should_exit = True
        self.thread.join(10)
        self.running.close()
        self.folder.cleanup()


class ServedBenchRig:
    """A bench rig of one of the demo's rigs, its control page served."""

    def __init__(self, bench, rig_id, *faults, **more):
        with tempfile.TemporaryDirectory() as folder:
            document = Path(folder) / "rig.json"
            document.write_text(give_out(bench.running.context, rig_id), encoding="utf-8")
            made = tokens.make(
                bench.running.context,
                kind="bench",
                rig_id=rig_id,
                name="bench rig",
                interval_s=more.get("interval_s", 1.0),
            )
            self.rig = begin(BenchPlan(document, bench.address, rig_id, made.secret, faults=faults, **more))
        listener = take_port(0)
        port = listener.getsockname()[1]
        self.address = f"http://127.0.0.1:{port}/"
        name = self.rig.document.rig.name
        app = control_app(self.rig, name=name, hosts={f"127.0.0.1:{port}"})
        self.server = uvicorn.Server(uvicorn.Config(app, log_level="error", timeout_graceful_shutdown=1))
        self.thread = threading.Thread(target=self.server.run, kwargs={"sockets": [listener]}, daemon=True)
        self.thread.start()
        self.rig.start()
        while not self.server.started:
            time.sleep(0.02)

    def close(self):
        """Stop it."""
        self.server.should_exit = True
        self.thread.join(10)
        self.rig.close()


def call(page, control, name, device):
    """Call a device at Prove and switch it on and off at the bench."""
    page.locator(f'[data-call="{device}"] >> visible=true').first.click()
    expect(page.get_by_role("heading", name=name, exact=True)).to_be_visible()
    page.wait_for_timeout(2500)  # some readings with it off
    switch = control.get_by_role("group", name=name, exact=True)
    switch.get_by_role("button", name="on", exact=True).click()
    expect(switch.get_by_role("button", name="on", exact=True)).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="It is on").click()
    expect(page.get_by_role("button", name="It is off")).to_be_visible()
    switch.get_by_role("button", name="off", exact=True).click()
    page.get_by_role("button", name="It is off").click()
    expect(page.locator(".roll-verdict")).to_be_visible()


class BrowserCase(unittest.TestCase):
    """A test with a fresh browser context; any console error, page error or policy violation fails it."""

    bench: Bench

    @classmethod
    def setUpClass(cls):
        cls.bench = Bench()
        cls.addClassCleanup(cls.bench.close)

    def page(self, *, width=1280, height=800, theme="day", axe=False, touch=False):
        """A page at the Yard's door; `touch` for a screen that fingers press."""
        context = self.bench.browser.new_context(
            viewport={"width": width, "height": height},
            timezone_id="Europe/London",
            base_url=self.bench.address,
            has_touch=touch,
            is_mobile=touch,
            reduced_motion="reduce",  # a colour half way between two is neither
        )
        self.addCleanup(context.close)
        context.set_default_timeout(60_000)
        if theme == "night":
            context.add_cookies([{"name": "volnik_theme", "value": "night", "url": self.bench.address}])
        context.add_init_script(
            "document.addEventListener('securitypolicyviolation', (e) => console.error('policy: ' + "
            "e.violatedDirective))"
        )
        if axe:
            context.add_init_script(path=str(AXE))
        page = context.new_page()
        page.on(
            "console",
            lambda message: (
                self.troubles.append(message.text) if message.type in ("error", "warning") else None
            ),
        )
        page.on("pageerror", lambda error: self.troubles.append(str(error)))
        return page

    def setUp(self):
        self.troubles: list[str] = []

    def tearDown(self):
        self.assertEqual(self.troubles, [])
