"""`volnik papers`: a paper from an archive, the same bytes for the same archive, and what it refuses."""

import io
import tempfile
import unittest
from pathlib import Path

from pypdf import PdfReader
from typer.testing import CliRunner

from tests.web.shops import visitor
from volnik.cli import app


class Papers(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        with visitor(demo=True) as shop:
            for rig, name in ((1, "bookbus"), (6, "dome")):
                went = shop.change(f"/rigs/{rig}/archive/file", page=f"/rigs/{rig}/survey")
                body = shop.get(went.headers["location"]).content
                (cls.folder / f"{name}.zip").write_bytes(body)

    def run_it(self, name, *more, out="paper.pdf"):
        arguments = ["papers", str(self.folder / name), "--out", str(self.folder / out), *more]
        return CliRunner().invoke(app, arguments)

    def test_the_same_archive_gives_the_same_bytes_in_the_shops_name(self):
        for out in ("one.pdf", "two.pdf"):
            self.assertEqual(self.run_it("bookbus.zip", "--shop", "Saltreach", out=out).exit_code, 0)
        one, two = ((self.folder / name).read_bytes() for name in ("one.pdf", "two.pdf"))
        self.assertEqual(one, two)
        text = PdfReader(io.BytesIO(one)).pages[0].extract_text()
        self.assertIn("Saltreach", text)
        self.assertIn("Bookbus: how full is the battery?", text)

    def test_an_event_and_what_cannot_be_made_is_said(self):
        made = self.run_it(
            "bookbus.zip", "--paper", "event", "--from", "2026-11-15T12:00", "--to", "2026-11-16T12:00"
        )
        self.assertEqual(made.exit_code, 0, made.output)
        text = PdfReader(io.BytesIO((self.folder / "paper.pdf").read_bytes())).pages[0].extract_text()
        self.assertIn("Sun, 15 Nov 2026 12:00", text)
        for name, more, words in (
            ("dome.zip", (), "cannot be believed"),
            ("bookbus.zip", ("--paper", "poem"), "Choose of owner, shop, labels, event"),
            ("bookbus.zip", ("--lang", "xx"), "no papers in “xx”"),
            ("one.txt", (), "No such file"),
        ):
            with self.subTest(words):
                refused = self.run_it(name, *more)
                self.assertEqual(refused.exit_code, 2)
                self.assertIn(words, refused.output)
