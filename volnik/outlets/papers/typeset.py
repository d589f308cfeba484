"""A paper as PDF by typst: own fonts embedded, tagged, the same bytes for the same words and time."""

from __future__ import annotations

import json
import re
import tempfile
import unicodedata
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import segno
import typst

import volnik
from volnik.core.papers.paper import Paper, Size

TEMPLATE = Path(__file__).parent / "paper.typ"
FONTS = Path(volnik.__file__).parent / "web/static/vendor/atkinson-hyperlegible-next-0.4.1"
PREVIEW_PPI = 110.0
SIZES_PT = (11.5, 10.5, 9.5, 8.5)  # what must fit one page is set smaller until it does
SMALL_PT = 9.5  # of papers of several pages
VARIABLE = re.compile(r"var\(--[a-z-]+,\s*([^()]+)\)")
MOST_USUAL = 0x24F  # Latin with its marks
SELDOM = re.compile(r"[^\x00-\u024f\u2010-\u2044\u2192\u2248\u2264\u2265\u2126\u03a9\u22c5]")
"""Letters the fonts may lack."""

LACKING = re.compile(r'the text `"(.)')
NOT_SHOWN = "“?” stands for letters that this font does not have."
COUNTED_PPI = 12.0  # enough to count pages by


def typeset(paper: Paper, size: Size, foot: str, made_s: float, shop: str) -> bytes:
    """A paper as PDF/UA-1.

    Args:
        foot: words at the foot of each page.
        made_s: when it was made [s]; in whole seconds it is the PDF's own time.
        shop: who made it.
    """
    return _pdf(paper, _inputs(paper, size, foot, made_s, shop), made_s)


def pages(paper: Paper, size: Size, foot: str, made_s: float, shop: str) -> list[bytes]:
    """The pages of a paper as PNG pictures, in order; arguments as of `typeset`."""
    return _compiled(paper, _inputs(paper, size, foot, made_s, shop), format="png", ppi=PREVIEW_PPI)


def _inputs(paper: Paper, size: Size, foot: str, made_s: float, shop: str) -> dict[str, str]:
    day = datetime.fromtimestamp(made_s, UTC)
    told: dict[str, Any] = {
        **paper.to_dict(),
        "size": size,
        "lang": paper.language.split("-"),
        "foot": foot,
        "shop": shop or "volnik",
        "day": [day.year, day.month, day.day],
        "pt": SIZES_PT[0] if paper.left else SMALL_PT,
        "drawing": plain_svg(paper.drawing),
        "code": _code(paper),
    }
    told = _with_letters_there_are(paper, told)
    if paper.left:
        told["pt"] = next((pt for pt in SIZES_PT if _fits(paper, {**told, "pt": pt})), SIZES_PT[-1])
    return {"paper": json.dumps(told)}


def _pdf(paper: Paper, inputs: dict[str, str], made_s: float) -> bytes:
    return _compiled(paper, inputs, format="pdf", pdf_standards=["ua-1"], timestamp=int(made_s))[0]


def _with_letters_there_are(paper: Paper, told: dict[str, Any]) -> dict[str, Any]:
    """The content with a question mark for every letter that no font has, and a word of it at the foot.

    Only what lies beyond the usual letters is tried: typst names a letter it cannot show, its whole script is
    left out.
    """
    words, left_out = json.dumps(told, ensure_ascii=False), ""
    while SELDOM.search(words):
        try:
            _pdf(paper, {"paper": words}, 0.0)
            break
        except typst.TypstError as wrong:
            lacking = LACKING.search(str(wrong))
            if lacking is None:
                raise
            left_out = lacking[1]
        script = _script(left_out)
        words = "".join("?" if _script(letter) == script else letter for letter in words)
    kept: dict[str, Any] = json.loads(words)
    return {**kept, "foot": f"{kept['foot']} {NOT_SHOWN}"} if left_out else kept


def _script(letter: str) -> str:
    """The writing a letter belongs to, as Unicode names it; plain letters belong to none."""
    return unicodedata.name(letter, letter).split()[0] if ord(letter) > MOST_USUAL else ""


def plain_svg(drawing: str) -> str:
    """A drawing whose colours stand by themselves: style variables become what they fall back on."""
    return VARIABLE.sub(r"\1", drawing)


def _code(paper: Paper) -> str:
    """The code of a paper as SVG, "" for none."""
    page = next((part.lines[0] for part in paper.parts if part.kind == "code"), "")
    if not page:
        return ""
    return str(segno.make(page, error="m").svg_inline(border=1, scale=4))


def _fits(paper: Paper, told: dict[str, Any]) -> bool:
    """Whether a paper set in a size fits one page."""
    return len(_compiled(paper, {"paper": json.dumps(told)}, format="png", ppi=COUNTED_PPI)) == 1


def _compiled(paper: Paper, inputs: dict[str, str], **how: Any) -> list[bytes]:
    """A paper set in type, a file or one for each page; its photos lie beside the template meanwhile."""
    with tempfile.TemporaryDirectory() as folder:
        template = Path(folder) / TEMPLATE.name
        template.write_bytes(TEMPLATE.read_bytes())
        for at, photo in enumerate(paper.photos):
            (template.parent / f"photo-{at}.jpg").write_bytes(photo.body)
        made: Any = typst.compile(
            template, root=folder, font_paths=[FONTS], ignore_system_fonts=True, sys_inputs=inputs, **how
        )
    return [bytes(page) for page in made] if isinstance(made, list) else [bytes(made)]
