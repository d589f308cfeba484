"""A line as people type it, cut into the parts that `lines` reads: "2x fan 0.5 amps on battery post".

Nothing is guessed here: words are put into the form a line has with commas, "Fan, 1 A, battery post".
"""

from __future__ import annotations

import re

_NUMBER = r"\d+(?:[.,]\d+)?"
_UNITS = {
    "a": "A",
    "amp": "A",
    "amps": "A",
    "ampere": "A",
    "amperes": "A",
    "ma": "mA",
    "milliamps": "mA",
    "w": "W",
    "watt": "W",
    "watts": "W",
    "wp": "W",
    "kw": "kW",
    "kilowatt": "kW",
    "kilowatts": "kW",
    "ah": "Ah",
    "m": "m",
    "metre": "m",
    "metres": "m",
    "meter": "m",
    "meters": "m",
    "mm²": "mm²",
    "mm2": "mm²",
    "mm": "mm²",
    "awg": "AWG",
}
_WORDS = "fuse|breaker|peak|surge|start|standby|idle|panel|panels|draws|gives"
_UNIT = "|".join(sorted(map(re.escape, _UNITS), key=len, reverse=True))
_AMOUNT = re.compile(
    rf"(?:\b({_WORDS})\s+)?(?<![\w.,/-])(?:(\d{{1,2}})\s*[x×*]\s*)?({_NUMBER})\s*({_UNIT})\b"
    rf"(?:\s+({_WORDS})\b(?!\s*\d))?",
    re.I,
)
_COUNT = re.compile(r"^(\d{1,2}) ?[x×*] | [x×*] ?(\d{1,2})$|^(\d{1,2})[x×*](?=[a-z])", re.I)
_NO_FUSE = re.compile(r"\b(no fuse|unfused|not fused|without (?:a )?fuse)\b", re.I)
_LANDING = re.compile(
    r"\b(?:minus |negative )?(?:on|to|at|via|through)\s+(?:the\s+)?"
    r"((?:battery|neg(?:ative)?|minus)?\s*post|battery|chassis|frame|hull|bus ?bar)\s*$",
    re.I,
)
_LOOSE = re.compile(r"^[\s@:=–-]+|[\s@=–-]+$|\s+(?:with|at|of|and|about|approx\.?|ca\.?|max\.?)\s*$", re.I)
_SAME = {"breaker": "fuse", "panels": "panel"}
MOST_ALIKE = 20  # "20x lamp": more is a figure of something else


def parts_of(raw: str) -> list[str]:
    """A line cut at its tabs, or else at commas and semicolons, its figures taken out of its name.

    Args:
        raw: one line.
    """
    pattern = r"\t" if "\t" in raw else r"[;,](?!\d)|,(?=\s)"
    name, *others = [part.strip().strip('"').strip() for part in re.split(pattern, raw)]
    count, name = _counted(" ".join(name.split()))
    name, loose = _taken_out(name)
    said = [_said(part) for part in others]
    return [name, *(_times(part, count) for part in (*loose, *said))]


def _counted(name: str) -> tuple[int, str]:
    """How many of a thing a name begins or ends with: "2x fan", "Fan x2"."""
    found = _COUNT.search(name)
    if found is None:
        return 1, name
    count = int(found[1] or found[2] or found[3])
    if not 1 < count <= MOST_ALIKE:
        return 1, name
    return count, (name[: found.start()] + name[found.end() :]).strip()


def _taken_out(name: str) -> tuple[str, list[str]]:
    """A name without the figures and places in it, and those as parts of their own."""
    found: list[str] = []
    rest, kind = (name, "") if ":" not in name else name.split(":", 1)
    if _NO_FUSE.search(rest):
        found.append("no fuse")
        rest = _NO_FUSE.sub(" ", rest)
    landing = _LANDING.search(rest)
    if landing is not None and rest[: landing.start()].strip():
        found.append(landing[1].strip())
        rest = rest[: landing.start()]
    found = [*(_figure(each) for each in _AMOUNT.finditer(rest)), *found]
    rest = _tidy(_AMOUNT.sub(" ", rest))
    if not rest:  # nothing but figures: the line stays as it is, to be refused by itself
        return name, []
    return (f"{rest}: {kind.strip()}" if kind else rest), found


def _tidy(name: str) -> str:
    plain, before = re.sub(r"\(\s*\)", " ", name), ""
    while plain != before:
        before, plain = plain, _LOOSE.sub("", re.sub(r"\s+", " ", plain)).strip()
    return plain


def _figure(found: re.Match[str]) -> str:
    """A figure in the words of a line: "10A fuse" is "fuse 10 A", "2 x 100 W" is "200 W"."""
    word = (found[1] or found[5] or "").lower()
    word = _SAME.get(word, word)
    value = found[3]
    if found[2]:
        value = f"{int(found[2]) * float(value.replace(',', '.')):g}"
    return f"{word} {value} {_UNITS[found[4].lower()]}".strip()


def _said(part: str) -> str:
    """A part between commas, its unit and word order as a line has them; anything else as it is."""
    found = _AMOUNT.fullmatch(part.strip())
    return part if found is None else _figure(found)


def _times(part: str, count: int) -> str:
    """Amps and watts of several alike: together."""
    found = re.fullmatch(
        rf"((?:peak |surge |standby |idle |draws |gives |panel )?)({_NUMBER}) (m?A|k?W)", part
    )
    if count == 1 or found is None:
        return part
    return f"{found[1]}{count * float(found[2].replace(',', '.')):g} {found[3]}"
