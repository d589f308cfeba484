"""The application over a temporary house, behind a test client that carries the form token."""

import atexit
import logging
import os
import re
import shutil
import tempfile
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path

from fastapi.routing import APIRoute
from fastapi.testclient import TestClient

from volnik.main import build

NOW = "2026-11-20T15:40:00Z"
DEMO = "VOLNIK_TESTS_DEMO"  # names the folder with the demo yard, where it is made already


class Visitor(TestClient):
    """A browser that reads the token off a page before it posts."""

    def request(self, *given, **more):
        """A request; the lines a template is broken into are put together, as a browser shows them."""
        answer = super().request(*given, **more)
        if "text/html" in answer.headers.get("content-type", ""):
            parts = re.split(rb"(<textarea.*?</textarea>)", answer.content, flags=re.DOTALL)
            parts[::2] = [re.sub(rb"\s*\n\s*", b" ", part) for part in parts[::2]]
            answer._content = b"".join(parts)
        return answer

    def token(self, page="/"):
        """The form token a page carries."""
        return re.search(r'name="form-token" content="([^"]+)"', self.get(page).text).group(1)

    def submit(self, address, data, *, page="/"):
        """A form sent as a browser without scripts sends it."""
        given = {"_token": self.token(page), **data}
        return self.post(address, data=given, headers={"referer": page}, follow_redirects=False)

    def change(self, address, data=None, *, page="/", **more):
        """POST with the token of `page`; where that starts a job, the answer is what the job led to."""
        answer = self.post(
            address,
            data=data or {},
            headers={"x-form-token": self.token(page)},
            follow_redirects=False,
            **more,
        )
        started = re.match(r"/jobs/([\w-]+)", answer.headers.get("location", ""))
        if started is None:
            return answer
        jobs = self.running.jobs
        jobs.settle(jobs.job(started.group(1)), 60)
        return self.get(answer.headers["location"], follow_redirects=False)


@lru_cache(maxsize=1)
def _demo():
    """A folder with the demo yard, made once for all processes; every test works on a copy."""
    if DEMO in os.environ:
        return Path(os.environ[DEMO])
    folder = tempfile.TemporaryDirectory()
    atexit.register(folder.cleanup)
    build(Path(folder.name), demo=True, now=NOW).close()
    return Path(folder.name)


def opened(folder, *, demo=False):
    """A Volnik over `folder`, with the demo yard if asked."""
    if demo:
        shutil.copytree(_demo(), folder, dirs_exist_ok=True)
    return build(Path(folder), demo=demo, now=NOW)


@contextmanager
def visitor(*, demo=False):
    """A visitor of a fresh Volnik."""
    with tempfile.TemporaryDirectory() as folder:
        running = opened(folder, demo=demo)
        running.hosts.add("testserver")
        try:
            with Visitor(running.app, raise_server_exceptions=False) as client:
                client.running = running
                yield client
        finally:
            running.close()


def notices(case):
    """What the program says from here on, line by line, while a test runs."""
    said, log = [], logging.getLogger("volnik")
    handler = logging.Handler()
    handler.emit = lambda record: said.append(record.getMessage())
    case.addCleanup(log.setLevel, log.level)
    case.addCleanup(log.removeHandler, handler)
    log.addHandler(handler)
    log.setLevel(logging.INFO)
    return said


def routes_of(app):
    """Every route of the application's routers, with its path and methods."""
    for included in app.routes:
        for route in getattr(getattr(included, "original_router", None), "routes", ()):
            if isinstance(route, APIRoute):
                yield route
