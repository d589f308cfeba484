"""One wheel with everything in it: installed away from the source, it starts the demo from any folder."""

import os
import re
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from pathlib import Path

import volnik
from tests.web.shops import opened
from volnik.tasks.bench_yard import free_port

SOURCE = Path(volnik.__file__).parents[1]
LONGEST_S = 120.0


def pip(*arguments):
    """Run pip, without the network."""
    command = [sys.executable, "-m", "pip", "-q", "--disable-pip-version-check", *arguments]
    subprocess.run(command, check=True, cwd=SOURCE, capture_output=True, timeout=LONGEST_S)


class Wheel(unittest.TestCase):
    def test_the_demo_runs_from_an_installed_wheel_in_any_folder(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        made, placed, home = (Path(folder.name) / name for name in ("dist", "placed", "home"))
        home.mkdir()
        pip("wheel", "--no-deps", "--no-build-isolation", "-w", str(made), ".")
        pip("install", "--no-deps", "--no-index", "--target", str(placed), str(next(made.glob("*.whl"))))
        self.assertFalse((placed / "tests").exists())
        where = self.run_volnik(placed, home, "-c", "import volnik; print(volnik.__file__)")
        self.assertTrue(where.communicate(timeout=60)[0].startswith(str(placed)))
        # the yard as it is, so that what is compiled anew there need not make it anew
        opened(home / "data" / "volnik" / "demo", demo=True).close()
        demo = self.run_volnik(
            placed, home, "-m", "volnik.cli", "demo", "--no-bench", "--port", str(free_port(0, 0))
        )
        self.addCleanup(demo.stdout.close)
        self.addCleanup(demo.wait, 30)
        self.addCleanup(demo.terminate)
        address = self.address_of(demo)
        self.assertIn("Vet Van Two", self.read(address))
        self.assertIn(".tour", self.read(f"{address}static/css/frame.css"))
        # its data lies where the platform keeps it, not in the folder it was started in
        self.assertTrue(list((home / "data").rglob("*.sqlite*")))

    def run_volnik(self, placed, home, *arguments):
        env = {
            **os.environ,
            "PYTHONPATH": str(placed),
            "HOME": str(home),
            "XDG_DATA_HOME": str(home / "data"),
        }
        return subprocess.Popen(
            [sys.executable, *arguments],
            cwd=home,
            env=env,
            text=True,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
        )

    def read(self, address):
        """What stands at an address, once it answers: it is printed a moment before."""
        until = time.monotonic() + LONGEST_S
        while True:
            try:
                with urllib.request.urlopen(address, timeout=30) as answer:
                    return answer.read().decode()
            except OSError:
                if time.monotonic() > until:
                    raise
                time.sleep(0.1)

    def address_of(self, demo):
        """The address the program prints, once it answers there."""
        until = time.monotonic() + LONGEST_S
        while time.monotonic() < until:
            line = demo.stdout.readline()
            if found := re.search(r"http://127\.0\.0\.1:\d+/", line):
                return found[0]
        raise AssertionError("the demo never said where it listens")
