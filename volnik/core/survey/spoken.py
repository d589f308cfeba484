"""A line as people type it, cut into the parts that `lines` reads: "10A fused pump 6A on battery post".

Figures, hours and places stand anywhere in it, in the trade's ways of writing them. Each is put into the form
a line has with commas, "Pump, 6 A, fuse 10 A, battery post"; nothing is guessed. What is left over first is
the name.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field

_NUMBER = r"\d+(?:[.,]\d+)?"
_FREE = r"(?<![\w.,/#–−-])"  # a figure begins there, not in the middle of a type's name
_UNITS = {
    "a": ("A", 1.0),
    "amp": ("A", 1.0),
    "amps": ("A", 1.0),
    "ampere": ("A", 1.0),
    "amperes": ("A", 1.0),
    "ma": ("mA", 1.0),
    "milliamps": ("mA", 1.0),
    "w": ("W", 1.0),
    "va": ("W", 1.0),
    "watt": ("W", 1.0),
    "watts": ("W", 1.0),
    "wp": ("W", 1.0),
    "kw": ("kW", 1.0),
    "kva": ("kW", 1.0),
    "kilowatt": ("kW", 1.0),
    "kilowatts": ("kW", 1.0),
    "ah": ("Ah", 1.0),
    "m": ("m", 1.0),
    "metre": ("m", 1.0),
    "metres": ("m", 1.0),
    "meter": ("m", 1.0),
    "meters": ("m", 1.0),
    "ft": ("m", 0.3048),
    "feet": ("m", 0.3048),
    "foot": ("m", 0.3048),
    "mm²": ("mm²", 1.0),
    "mm2": ("mm²", 1.0),
    "mm": ("mm²", 1.0),
    "awg": ("AWG", 1.0),
}
_UNIT = "|".join(sorted(map(re.escape, _UNITS), key=len, reverse=True))
_SAID = {
    "fuse": "fuse",
    "fused": "fuse",
    "breaker": "fuse",
    "peak": "peak",
    "peaks": "peak",
    "surge": "surge",
    "surges": "surge",
    "start": "start",
    "starts": "start",
    "standby": "standby",
    "idle": "idle",
    "idles": "idle",
    "panel": "panel",
    "draws": "draws",
    "gives": "gives",
}


def _figure_with(words: str) -> re.Pattern[str]:
    """A figure with its unit, and the word that tells which, before or behind it."""
    return re.compile(
        rf"(?:\b({words})\s+(?:at\s+|of\s+|with\s+)?|\b(of)\s+)?"
        rf"{_FREE}(?:(\d{{1,2}})\s*[x×*]\s*)?({_NUMBER})\s*({_UNIT})(?![\w²])"
        rf"(?:\s+({words})\b(?!\s*(?:at\s+|of\s+)?\d))?"
        rf"(?:\s+for\s+({_NUMBER})\s*s\b)?(\s+(?:each|of)\b)?",
        re.I,
    )


_FIGURE = _figure_with("|".join(_SAID))
_IN_NAME = _figure_with("|".join(word for word in _SAID if word != "panel"))
"""In a name a panel is the thing itself: "Folding panel 120 W"."""
_GAUGE = re.compile(r"(?:\bawg\s*|(?<!\w)#)(\d{1,2}(?:/0)?)\b", re.I)
_ABSORBS = re.compile(rf"\babsorption\s+({_NUMBER})\s*h(?:ours?)?\b", re.I)
_A_DAY = re.compile(
    rf"{_FREE}({_NUMBER})\s*(hours?|hrs?|h|minutes?|mins?)\b(?:\s*(?:a|per|each|every|/)\s*(?:day|d)\b)?",
    re.I,
)
_ALWAYS = re.compile(r"\b(?:always on|round the clock|24/7|24 ?h(?:ours)?)(?!\w)", re.I)
_SPAN = re.compile(
    r"(?<![\w.,/-])(?:from\s+)?(\d{1,2}(?::\d\d)?)(?:\s*[-–]\s*|\s+to\s+)(\d{1,2}(?::\d\d)?)(?:\s*h)?"
    rf"(?![\w.,/:-])(?!\s*(?:v|volts?|%|{_UNIT})(?![\w²]))",
    re.I,
)
_SHARE = re.compile(
    rf"(?:\b(duty|efficiency|eff)\.?\s+)?{_FREE}({_NUMBER})\s*%"
    r"(?:\s*(duty|efficiency|efficient|of the time)\b)?",
    re.I,
)
_PAIR_V = re.compile(rf"{_FREE}(\d\d?[.,]\d+)\s*v?\s*/\s*(\d\d?[.,]\d+)\s*v?(?![\w.])", re.I)
_VOLTS = re.compile(
    rf"\b(absorption|boost|float)(?:\s+at)?\s+({_NUMBER})\s*v\b|{_FREE}(\d\d?[.,]\d+)\s*v\b", re.I
)
_NO_FUSE = re.compile(r"\b(?:no fuse|unfused|not fused|without (?:a )?fuse)\b", re.I)
_SAFETY = re.compile(r"\b(?:must not go dead|safety)\b", re.I)
_PLACE = (
    r"(?:battery|neg(?:ative)?|minus)\s*post|post|battery|chassis|frame|hull|bus ?bar|rig side"
    r"|fuse (?:panel|box|block|board)"
)
_LANDING = re.compile(
    r"\b(?:straight |direct(?:ly)? )?"
    r"(minus |neg |negative |plus |pos |positive )?(?:straight |direct(?:ly)? )?"
    rf"(?:on|to|at|via|through)\s+(?:the\s+)?((?:positive |negative )?(?:{_PLACE}))"
    r"(?=\s*(?:[,;(]|$)|\s{2})",
    re.I,
)
_BARE_PLACE = re.compile(
    r"\b((?:battery|neg(?:ative)?|minus)\s+post|bus ?bar)\b(?=\s*(?:[,(]|$|\s{2}))", re.I
)
_POLES = {"pos": "plus", "positive": "plus", "plus": "plus"}
_COUNT = re.compile(r"^(\d{1,2}) ?[x×*] |[\s(][x×*] ?(\d{1,2})(?=[\s)]|$)|^(\d{1,2})[x×*](?=[a-z])", re.I)
_NUMBERS = {"two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "eight": 8, "ten": 10}
_COUNTED = re.compile(rf"^({'|'.join(_NUMBERS)})\s+(?=[a-z]+s\b)", re.I)  # "two fans", not "two way radio"
_HOW_MANY = re.compile(r"^(\d{1,2})\s+(?=[a-z])(?!v\b|volts?\b)", re.I)
_SEVERAL = ("A", "mA", "W", "kW")  # of what is given each
_LOOSE = re.compile(
    r"^[\s@:=,–-]+|[\s@:=,–-]+$|\(\s*\)"
    r"|\s+(?:with|at|of|and|about|approx\.?|ca\.?|max\.?|each|for|from|in)\s*$",
    re.I,
)
_VOLTAGES = {"12", "24", "36", "48"}  # "12-24" is what a device stands between, not its hours
UNREAD = re.compile(rf"[-−+]?\d[\d.,–-]*\s*(?:{_UNIT}|%)(?![\w²])", re.I)
"""A figure that nothing took out of a name: a range, a minus; it becomes no name by accident."""
MOST_PART = 100  # letters between two commas; longer ones are refused, and not looked through
MOST_ALIKE = 20  # "20x lamp": more is a figure of something else


@dataclass(slots=True)
class _Heard:
    """What was taken out of a text: the parts of a line, and how many of a thing there are."""

    parts: list[str] = field(default_factory=list)
    hours: list[str] = field(default_factory=list)
    count: int = 1
    each: bool = False

    def all_parts(self) -> list[str]:
        """What was taken out, hours of the day together."""
        return [*self.parts, " ".join(self.hours)] if self.hours else self.parts

    def hear(self, pattern: re.Pattern[str], text: str, said: Callable[[re.Match[str]], str]) -> str:
        """Take out of a text what a pattern finds, as the parts it says; "" leaves it where it is.

        Args:
            pattern: of what is taken out.
            text: it is looked for in.
            said: the parts that a match says, "; " between them.
        """

        def taken(found: re.Match[str]) -> str:
            part = said(found)
            if not part:
                return found[0]
            self.parts += part.split("; ")
            return "  "

        return pattern.sub(taken, text)


def parts_of(raw: str) -> list[str]:
    """A line cut at its tabs, or else at commas and semicolons: the name, then figures and places.

    Args:
        raw: one line.
    """
    if "\t" in raw:
        return [_said(part.strip().strip('"').strip()) for part in raw.split("\t")]
    heard, name = _Heard(), ""
    cut = [part.strip().strip('"').strip() for part in re.split(r"[;,](?!\d)|,(?=\s)", _without_colon(raw))]
    if not cut[0] or max(map(len, cut)) > MOST_PART:  # to be refused as it is
        return cut
    for part in cut:
        if name:
            heard.parts += _further(part)
        else:
            name = _rest_of(" ".join(part.split()), heard, first=True)
    return [name, *(_times(part, heard.count) for part in heard.all_parts())]


def _further(part: str) -> list[str]:
    """A part behind the name: what is known in it, or the part itself where something is left over."""
    heard = _Heard()
    return [part] if _rest_of(" ".join(part.split()), heard, first=False) else heard.all_parts()


def _without_colon(raw: str) -> str:
    """A line whose colon parts a name from its figures, as from its kind, has a comma there."""
    return re.sub(r":(?=\s*\d)(?!\d)", ",", raw, count=1)


# What is taken out of a text, in this order, and the parts that a match says.
_TAKEN: tuple[tuple[re.Pattern[str], Callable[[re.Match[str]], str]], ...] = (
    (_NO_FUSE, lambda _: "no fuse"),
    (_SAFETY, lambda _: "safety"),
    (_ABSORBS, lambda found: f"absorption {found[1]} h"),
    (_ALWAYS, lambda _: "duty 100 %"),
    (_A_DAY, lambda found: _duty(found)),
    (_SHARE, lambda found: _share(found)),
    (_PAIR_V, lambda found: f"absorption {found[1]} V; float {found[2]} V"),
    (_VOLTS, lambda found: _volts(found)),
    (_GAUGE, lambda found: f"{found[1]} AWG"),
)


def _rest_of(text: str, heard: _Heard, *, first: bool) -> str:
    """What is left of a part when all that is known was taken out of it."""
    text, kind = _parted(text)
    if first:
        text = _counted(text, heard)
    text = _SPAN.sub(lambda found: _span(found, heard), text)
    for pattern, said in _TAKEN:
        text = heard.hear(pattern, text, said)
    text = heard.hear(_IN_NAME if first else _FIGURE, text, lambda found: _figure(found, heard))
    text = _tidy(_places(text, heard, first=first))
    if first and heard.each and (many := _HOW_MANY.match(text)):
        heard.count, text = int(many[1]), text[many.end() :]
    return f"{text}: {kind.strip()}" if kind and text else text


def _parted(text: str) -> tuple[str, str]:
    """A text and the kind told behind a colon, "" for none; a colon within a time of day is none."""
    if ":" not in text or re.search(r"\d:\d", text):
        return text, ""
    name, _, kind = text.partition(":")
    return name, kind


def _places(text: str, heard: _Heard, *, first: bool) -> str:
    """A text without the places its leads land on; in a name only what leaves a name behind is a place."""
    if not first or _tidy(_LANDING.sub(" ", text)):
        text = heard.hear(_LANDING, text, _landing)
    if first and _tidy(_BARE_PLACE.sub(" ", text)):
        text = heard.hear(_BARE_PLACE, text, lambda found: found[1])
    return text


def _counted(text: str, heard: _Heard) -> str:
    """A text without the count of a thing: "2x fan", "Fan x2", "two fans"; "2 x 100 W" is a figure."""
    if word := _COUNTED.match(text):
        heard.count = _NUMBERS[word[1].lower()]
        return text[word.end() :]
    for found in _COUNT.finditer(text):
        count = int(found[1] or found[2] or found[3])
        if re.match(rf"\s*{_NUMBER}\s*(?:{_UNIT})(?![\w²])", text[found.end() :], re.I) and not found[2]:
            continue
        if 1 < count <= MOST_ALIKE:
            heard.count = count
            return (text[: found.start()] + " " + text[found.end() :]).strip()
    return text


def _duty(found: re.Match[str]) -> str:
    """Hours or minutes a day as the share of its time."""
    hours = float(found[1].replace(",", ".")) / (60.0 if found[2].lower().startswith("m") else 1.0)
    return f"duty {100.0 * hours / 24.0:.6g} %" if hours <= 24.0 else ""


def _span(found: re.Match[str], heard: _Heard) -> str:
    """Take out hours of the day, unless they are the volts on both sides of a device."""
    if {found[1], found[2]} <= _VOLTAGES or max(int(at.split(":")[0]) for at in found.groups()) > 24:
        return found[0]
    heard.hours.append(f"{found[1]}-{found[2]}")
    return "  "


def _share(found: re.Match[str]) -> str:
    word = (found[1] or found[3] or "").lower()
    if word:
        word = "efficiency " if word.startswith("eff") else "duty "
    return f"{word}{found[2]} %"


def _volts(found: re.Match[str]) -> str:
    word = {"boost": "absorption"}.get((found[1] or "").lower(), (found[1] or "").lower())
    return f"{word} {found[2] or found[3]} V".strip()


def _figure(found: re.Match[str], heard: _Heard) -> str:
    """A figure in the words of a line: "10A fuse" is "fuse 10 A", "2 x 100 W" is "200 W"."""
    before, of, times, number, unit, behind, seconds, each = found.groups()
    word = _SAID.get((before or behind or "").lower(), "")
    value = float(number.replace(",", ".")) * int(times or 1)
    unit, factor = _UNITS[unit.lower()]
    heard.each = heard.each or (unit in _SEVERAL and bool(of or each))
    said = f"{word} {value * factor:g} {unit}".strip()
    return f"{said}; start {seconds} s" if seconds else said


def _landing(found: re.Match[str]) -> str:
    pole = _POLES.get((found[1] or "").strip().lower(), "")
    return f"{pole} {re.sub(r'^(?:positive|negative) ', '', found[2], flags=re.I)}".strip()


def _said(part: str) -> str:
    """A cell of a table, its unit and word order as a line has them; anything else as it is."""
    found = _FIGURE.fullmatch(part)
    return part if found is None else _figure(found, _Heard())


def _tidy(name: str) -> str:
    plain, before = re.sub(r"\s+", " ", name).strip(), ""
    while plain != before:
        before, plain = plain, re.sub(r"\s+", " ", _LOOSE.sub(" ", plain)).strip()
    return plain


def _times(part: str, count: int) -> str:
    """Amps and watts of several alike: together."""
    found = re.fullmatch(
        rf"((?:peak |surge |standby |idle |draws |gives |panel )?)({_NUMBER}) (m?A|k?W)", part
    )
    if count == 1 or found is None:
        return part
    return f"{found[1]}{count * float(found[2].replace(',', '.')):g} {found[3]}"
