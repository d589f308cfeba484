"""Devices typed or pasted one a line: "Heater, 2 A, peak 9 A, battery post, fuse 15 A, 4 mm², 1.5 m".

The first part is the name, from which the kind is told (or "Name: kind"); the others may stand in any order,
parted by comma, semicolon or tab. A first line of headings lends its words and units to bare numbers below
it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, Literal

from pydantic import ValidationError

from volnik.core.path.edits import ChangeRefused, Drawing, apply
from volnik.core.path.fitted import device_cables, fitted
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import block_names, highest_post, preset_of
from volnik.core.rig.wiring import Bar, Cable, Pole, Wiring
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.conductors import read_size
from volnik.core.shelf.presets import Preset
from volnik.core.survey.spoken import MOST_PART, UNREAD, parts_of
from volnik.core.values import problems_of, unique_name

MOST_DEVICES = 200  # of a rig, as its drawing holds them
MOST_LINES = 200  # a large boat has 60; each is drawn and solved at once
_NUMBER = r"([-−+]?\d+(?:[.,]\d+)?)"
_FIGURE = re.compile(rf"(?:([a-z][a-z -]*?)\s+)?{_NUMBER}\s*(mv(?:/°c)?|kw|w|ma|ah|a|%|v|m|h|s)", re.I)
_HOURS = re.compile(r"(\d{1,2})(?::(\d\d))?\s*(?:-|–|to)\s*(\d{1,2})(?::(\d\d))?(?:\s*h)?", re.I)
_WORDS: dict[tuple[str, str], tuple[str, float]] = {
    ("peak", "a"): ("surge_a", 1),
    ("surge", "a"): ("surge_a", 1),
    ("start", "a"): ("start_a", 1),
    ("start", "s"): ("start_s", 1),
    ("standby", "a"): ("standby_a", 1),
    ("idle", "a"): ("standby_a", 1),
    ("duty", "%"): ("duty", 0.01),
    ("efficiency", "%"): ("efficiency", 0.01),
    ("eff", "%"): ("efficiency", 0.01),
    ("absorption", "v"): ("absorption_v", 1),
    ("float", "v"): ("float_v", 1),
    ("absorption", "h"): ("absorption_h", 1),
    ("end", "a"): ("end_a", 1),
    ("slope", "mv"): ("slope_mv_c", 1),
    ("slope", "mv/°c"): ("slope_mv_c", 1),
    ("panel", "w"): ("panel_w", 1),
    ("gives", "a"): ("most_a", 1),
    ("draws", "a"): ("current_a", 1),
}
# What a field is called in a line, for what is wrong with it.
_CALLED = {name: word for (word, _), (name, _) in reversed(_WORDS.items())} | {
    "current_a": "current",
    "most_a": "current",
    "power_w": "power",
    "standby_a": "standby",
    "slope_mv_c": "slope, in mV/°C a cell (−24 of a 12 V lead bank is −4 a cell),",
}
_UNITS = {"kw": (1000.0, "w"), "ma": (0.001, "a")}
BLOCK_WORDS = ("fuse panel", "fuse block", "fuse box", "fuse board")
BAR_WORDS = ("busbar", "bus", "bus bar", "panel", *BLOCK_WORDS)
SHUNT_WORDS = (
    "rig",
    "rig side",
    "shunt",
    "shunt rig",
    "shunt rig side",
    "bank side",
    "shunt bank",
    "shunt bank side",
)
_UNKNOWN = {"?", "unknown", "not looked", "-"}


@dataclass(slots=True)
class Line:
    """One line read: the device and where its cables land.

    Attributes:
        number: line number, from 1.
        name, kind: of the device.
        figures: by name of the device's field.
        minus, plus: studs its cables land on; None where not known.
        size: cross-section as designated.
        length_m: one way [m].
        fuse_a: in its positive [A].
        unfused: whether the line says that there is none.
        shunt_mv: what a shunt drops at its amps [mV].
        watts: figures in amps that were told in watts, by name of the device's field [W].
    """

    number: int
    name: str
    kind: str
    figures: dict[str, Any] = field(default_factory=dict)
    minus: StudRef | None = None
    plus: StudRef | None = None
    size: str = ""
    length_m: float | None = None
    fuse_a: float | None = None
    unfused: bool = False
    shunt_mv: float | None = None
    watts: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Entered:
    """What a text of lines led to: devices and found wiring with them, ids of the new ones, and problems by
    line number.
    """

    devices: tuple[Device, ...]
    wiring: Wiring
    added: tuple[str, ...]
    problems: dict[int, str]


def kind_of(name: str, presets: dict[str, Preset]) -> str:
    """The kind a name tells by the last word of the trade in it, which names the thing itself: an engine room
    fan is a fan. What stands behind "to" or "for" is what it serves: a charger to the starter battery is a
    charger. "load" where none is known.

    Args:
        presets: kinds of devices by key.
    """
    served = _SERVES.split(name, maxsplit=1)
    kind = _last_word(served[0], presets) if len(served) > 1 else "load"
    return kind if kind != "load" else _last_word(name, presets)


_SERVES = re.compile(r"\b(?:to|for|from|in|under|behind|beside)\b", re.I)


def _last_word(name: str, presets: dict[str, Preset]) -> str:
    text = f" {_plain(name)} "
    best, kind = (-1, 0), "load"
    for preset in presets.values():
        for word in (*preset.words, preset.name, preset.key):
            plain = _plain(word)
            at = text.rfind(f" {plain} ")
            if at >= 0 and (at + len(plain), len(plain)) > best:
                best, kind = (at + len(plain), len(plain)), preset.key
    return kind


@lru_cache(maxsize=2000)
def _plain(words: str) -> str:
    """Words in small letters with single blanks between; each is asked for again with every line."""
    return re.sub(r"[^a-z0-9]+", " ", words.lower()).strip()


def read_lines(text: str, presets: dict[str, Preset]) -> tuple[list[tuple[Line, list[str]]], dict[int, str]]:
    """Lines of a text with what is left of each as landing words, and problems by line number.

    Args:
        presets: kinds of devices by key.
    """
    found: list[tuple[Line, list[str]]] = []
    problems: dict[int, str] = {}
    headings: list[str] = []
    for number, raw in enumerate(text.replace("\r", "").split("\n")[: MOST_LINES + 1], 1):
        if not raw.strip():
            continue
        if number > MOST_LINES:
            problems[number] = f"At most {MOST_LINES} lines at once; paste the rest after these."
            break
        parts = parts_of(raw)
        if not found and not headings and _are_headings(parts):
            headings = [part[:MOST_PART] for part in parts]
            continue
        try:
            _check_lengths(parts)
            name, *others = _with_headings(parts, headings)
            found.append(_read(number, [name, *filter(None, others)], presets))
        except ValueError as wrong:
            problems[number] = str(wrong)
    return found, problems


def _are_headings(parts: list[str]) -> bool:
    if len(parts) < 2 or any(ch.isdigit() for part in parts for ch in part):
        return False
    return parts[0].lower() in ("device", "name", "item", "load", "what")


def _with_headings(parts: list[str], headings: list[str]) -> list[str]:
    """Bare numbers lent the words and units of the heading they stand under."""
    if not headings:
        return parts
    above = dict(enumerate(headings))
    return [parts[0], *(_with_heading(part, above.get(at, "")) for at, part in enumerate(parts[1:], 1))]


def _check_lengths(parts: list[str]) -> None:
    """Refuse what no one types: patterns over a part of thousands of letters would hold up everyone else."""
    if max(map(len, parts)) > MOST_PART:
        raise ValueError(f"A name or figure has at most {MOST_PART} letters; part them by commas.")


def _with_heading(part: str, heading: str) -> str:
    if not re.fullmatch(_NUMBER, part):
        return part
    unit = re.search(r"\(?\b(mV|kW|W|A|%|V|m|h|s|mm²|mm2|AWG)\)?\s*$", heading.strip(), re.I)
    words = (heading[: unit.start()] if unit else heading).strip(" (")
    return (
        f"{words} {part} {unit[1] if unit else ''}".strip()
        if words.lower() not in ("current", "power", "length", "size", "cable")
        else f"{part} {unit[1] if unit else ''}"
    )


def _read(number: int, parts: list[str], presets: dict[str, Preset]) -> tuple[Line, list[str]]:
    name, _, stated = parts[0].partition(":")
    name = name.strip()
    if not name:
        raise ValueError("Begin with the device's name.")
    if unread := UNREAD.search(name):
        raise ValueError(f"“{unread[0]}” in the name cannot be read: one figure and its unit, such as 3 A.")
    kind = kind_of(stated or name, presets)
    preset = presets[kind] if kind in presets else presets["load"]
    line = Line(number, name[:60], kind)
    landings = []
    for part in parts[1:]:
        if not _figure(part, line, preset):
            landings.append(part)
    return line, landings


def _figure(part: str, line: Line, preset: Preset) -> bool:
    """Take one part of a line as a figure of its device; False where it is none, so that it names a landing.

    Raises:
        ValueError: when it has digits and cannot be read.
    """
    plain = part.lower().replace("−", "-").strip()
    if _flag(plain, line):
        return True
    size = read_size(part)
    if size is not None:
        line.size = size[1]
        return True
    spans = _HOURS.findall(plain)
    if spans and not _HOURS.sub("", plain).strip(" ,and"):
        line.figures["hours"] = tuple((_hour(a, b), _hour(c, d)) for a, b, c, d in spans)
        return True
    found = _FIGURE.fullmatch(plain)
    if found is None:
        _refuse_digits(part, plain)
        return False
    word, value, unit = (found[1] or "").strip(), float(found[2].replace(",", ".")), found[3]
    factor, unit = _UNITS.get(unit, (1.0, unit))
    _put(line, preset, part, word, round(value * factor, 9), unit=unit)
    return True


def _flag(plain: str, line: Line) -> bool:
    """Take words that stand for themselves."""
    if plain in ("no fuse", "unfused"):
        line.unfused = True
    elif plain in ("together", "alone"):
        line.figures["together"] = plain == "together"
    elif plain in ("safety", "must not go dead"):
        line.figures["safety"] = True
    else:
        return False
    return True


def _hour(hours: str, minutes: str) -> float:
    return int(hours) + int(minutes or 0) / 60


def _refuse_digits(part: str, plain: str) -> None:
    if re.fullmatch(_NUMBER, plain):
        raise ValueError(f"“{part}” needs a unit: A, W, m, mm², %.")
    if re.search(r"\d", plain) and not re.fullmatch(r"(plus )?[a-p]\d{1,2}( post)?", plain):
        raise ValueError(
            f"“{part}” cannot be read; write it such as 25 A, peak 60 A, fuse 15 A, 6 mm², 2 m, 7-21."
        )


def _put(line: Line, preset: Preset, part: str, word: str, value: float, *, unit: str) -> None:
    """Put a figure where its word and unit say; a bare one where the kind of device has it."""
    if (word, unit) in _OF_LINE:
        name, rule = _OF_LINE[word, unit]
        setattr(line, name, _positive(value, rule))
    elif _is_system_volts(preset, word, unit, value):
        line.name = f"{line.name} {part}"[:60]
    elif unit == "w" and (word, "a") in _WORDS:
        line.watts[_WORDS[word, "a"][0]] = value
    elif (word, unit) in _BARE and (name := _BARE[word, unit](preset)):
        line.figures[name] = round(value * (0.01 if unit == "%" else 1.0), 9)
    elif (word, unit) in _WORDS:
        name, factor = _WORDS[word, unit]
        line.figures[name] = round(value * factor, 9)
    else:
        raise ValueError(
            f"“{part}” cannot be read; known words are peak, start, standby, duty, efficiency, absorption, "
            "float, end, slope, panel, fuse."
        )


# Figures of the line itself, not of its device: its field, and what it must be.
_OF_LINE = {
    ("fuse", "a"): ("fuse_a", "A fuse has more than 0 A"),
    ("", "mv"): ("shunt_mv", "A shunt drops more than 0 mV"),
    ("", "m"): ("length_m", "A cable is longer than 0 m"),
}


def _is_system_volts(preset: Preset, word: str, unit: str, value: float) -> bool:
    """Whether volts are only those of the system, as 12.8 V, which are no figure of a load."""
    return (word, unit) == ("", "v") and not preset.is_source and not value.is_integer()


# The figure that a number with this unit alone is, by the kind of device; "" where it has none.
_BARE: dict[tuple[str, str], Callable[[Preset], str]] = {
    ("", "ah"): lambda preset: "capacity_ah" if preset.is_battery else "",
    ("", "a"): lambda preset: _bare_amps(preset),
    ("", "%"): lambda preset: "efficiency" if preset.is_inverter or preset.is_source else "duty",
    ("", "v"): lambda preset: "absorption_v" if preset.is_source else "",
    ("", "w"): lambda preset: "panel_w" if preset.panel_w is not None else "power_w",
}


def _bare_amps(preset: Preset) -> str:
    """The figure that amps without a word are: what a source gives, a relay is rated for, a load draws."""
    if preset.closes_with_engine:
        return "rated_a"
    return "most_a" if preset.is_source else "current_a"


def _positive(value: float, rule: str) -> float:
    if value <= 0:
        raise ValueError(f"{rule}, got {value:g}.")
    return value


def enter(
    text: str, bank: Bank, devices: tuple[Device, ...], wiring: Wiring, presets: dict[str, Preset]
) -> Entered:
    """The devices and the found wiring with the lines of a text put in.

    A line at fault is left out and told.

    Args:
        bank: as described.
        presets: kinds of devices by key.
    """
    lines, problems = read_lines(text, presets)
    kept, added = list(devices), []
    for line, landings in lines:
        if len(kept) >= MOST_DEVICES:
            problems[line.number] = f"A rig has at most {MOST_DEVICES} devices."
            continue
        try:
            if _is_shunt(line):
                wiring = _with_shunt(line, landings, _Site(bank, kept, presets), wiring)
                continue
            device, wiring = _enter(line, landings, bank, kept, wiring, presets=presets)
        except ValidationError as wrong:
            problems[line.number] = " ".join(
                f"{_CALLED.get(field, field)} {message}"
                for field, message in ((key.split(".")[0], text) for key, text in problems_of(wrong).items())
            )
            continue
        except ValueError as wrong:
            problems[line.number] = str(wrong)
            continue
        if device is not None:
            kept.append(device)
            added.append(device.id)
    wiring = _far_ends(kept, wiring, presets)
    return Entered(
        tuple(kept), fitted(wiring, bank, kept, presets), tuple(added), dict(sorted(problems.items()))
    )


def _is_shunt(line: Line) -> bool:
    """Whether a line tells of a shunt that is fitted already."""
    return re.fullmatch(r"(?:the |old |fitted |battery )?shunt", line.name.lower()) is not None


def _with_shunt(line: Line, landings: list[str], site: _Site, wiring: Wiring) -> Wiring:
    """The drawing with a fitted shunt: "Shunt, 500 A, 50 mV, battery post"; its link lands where it says.

    Raises:
        ValueError: without its rating, or when one is drawn.
    """
    amps, millivolts = line.figures.get("current_a"), line.shunt_mv
    if not amps or not millivolts:
        raise ValueError("Say what is printed on the shunt, such as Shunt, 500 A, 50 mV.")
    post: StudRef | None = None
    for words in landings:
        post, wiring = site.landing(words, "minus", wiring)
    drawing = Drawing(site.bank, tuple(site.devices), site.presets, wiring)
    shunt = {"amps": amps, "mv": millivolts}
    try:
        return apply(drawing, [{"op": "find_shunt", "shunt": shunt, "link": post}])
    except ChangeRefused as wrong:
        raise ValueError(" ".join(wrong.problems.values())) from None


def _enter(
    line: Line,
    landings: list[str],
    bank: Bank,
    devices: list[Device],
    wiring: Wiring,
    *,
    presets: dict[str, Preset],
) -> tuple[Device | None, Wiring]:
    """Put one line in: the device, or None for a bond, and the drawing with it."""
    preset = presets.get(line.kind) or presets["load"]
    site = _Site(bank, devices, presets)
    wiring = _land(line, landings, site, preset, wiring)
    if preset.is_bond:
        return None, _with_bond(line, preset, wiring)
    line.figures |= {name: round(watts / _usual_v(bank), 2) for name, watts in line.watts.items()}
    device = Device(id=_new_id(line, devices, wiring), kind=line.kind, name=line.name, **line.figures)
    cables = device_cables(
        device,
        preset,
        minus=None if preset.joins_positives else line.minus,
        plus=line.plus if preset.is_battery else line.plus or site.plus_home(preset, wiring),
        far=site.starter_plus if preset.far else None,
        size=line.size,
        length_m=line.length_m,
        fuse_a=None if line.unfused else line.fuse_a,
    )
    for cable in cables:
        wiring = wiring.with_cable(cable)
    return device, wiring


def _usual_v(bank: Bank) -> float:
    """Volts at which watts are told as amps; of a chemistry of the shop's own, those of lead."""
    return bank.nominal_v(CHEMISTRIES.get(bank.chemistry, CHEMISTRIES["agm"]))


def _land(line: Line, landings: list[str], site: _Site, preset: Preset, wiring: Wiring) -> Wiring:
    """Read where a line's leads land, into the line; the drawing with what had to be put in for it."""
    for words in landings:
        pole, _, rest = words.lower().partition(" ")
        if pole == "plus" and rest:
            line.plus, wiring = site.landing(rest, "plus", wiring)
        elif words.lower() not in _UNKNOWN:
            line.minus, wiring = site.landing(words, "minus", wiring)
            line.plus = line.plus or site.plus_beside(line.minus, preset)
    return wiring


def _new_id(line: Line, devices: list[Device], wiring: Wiring) -> str:
    """An id of its own for the device of a line, made of its name."""
    taken = {"shunt", "monitor", *(device.id for device in devices), *(bar.id for bar in wiring.bars)}
    plain = re.sub(r"[^a-z0-9]+", "_", line.name.lower()).strip("_")[:30]
    return unique_name(plain or line.kind, taken)


def _with_bond(line: Line, preset: Preset, wiring: Wiring) -> Wiring:
    """The drawing with a bond of the chassis or hull, where the line says what it is bonded to."""
    surface = preset.surface or "chassis"
    ground, wiring = _ground(surface, wiring)
    if line.minus is None:
        return wiring
    if line.minus == ground:
        raise ValueError(f"Say where the {surface} is bonded to: battery post, rig side, busbar.")
    made = unique_name(f"{surface}_bond", [cable.id for cable in wiring.cables])
    return wiring.with_cable(Cable(id=made, a=ground, b=line.minus, size=line.size, length_m=line.length_m))


def _far_ends(devices: list[Device], wiring: Wiring, presets: dict[str, Preset]) -> Wiring:
    """The other positives that nobody has landed yet, joined to the starter battery.

    Whichever line named it.
    """
    starter = starter_of(devices, presets)
    if starter is None:
        return wiring
    for device in devices:
        far = StudRef.of(device.id, "far")
        if preset_of(device, presets).far and not wiring.at(far):
            wiring = wiring.with_cable(Cable(id=f"{device.id}_far", a=far, b=StudRef.of(starter.id, "plus")))
    return wiring


def starter_of(devices: Iterable[Device], presets: dict[str, Preset]) -> Device | None:
    """The first starter battery among devices, or None.

    Args:
        presets: kinds of devices by key.
    """
    return next((device for device in devices if preset_of(device, presets).is_starter_battery), None)


@dataclass(frozen=True, slots=True)
class _Site:
    """What landings are named by: the bank, and the devices entered so far."""

    bank: Bank
    devices: list[Device]
    presets: dict[str, Preset]

    @property
    def starter_plus(self) -> StudRef | None:
        """The plus of the starter battery, or None without one."""
        starter = starter_of(self.devices, self.presets)
        return None if starter is None else StudRef.of(starter.id, "plus")

    def plus_home(self, preset: Preset, wiring: Wiring) -> StudRef:
        """Where a positive lands that nobody named.

        What turns an engine or is turned by one hangs on the starter battery where there is one; all else on
        the positive busbar, or the highest post.

        Args:
            preset: of the device.
            wiring: as drawn.
        """
        on_starter = "engine" in preset.traits or "cranks" in preset.traits
        if on_starter and self.starter_plus is not None:
            return self.starter_plus
        bar = next((bar.id for bar in wiring.bars if bar.pole == "plus"), None)
        return StudRef(highest_post(self.bank)) if bar is None else StudRef.of(bar)

    def plus_beside(self, minus: StudRef, preset: Preset) -> StudRef | None:
        """The plus of another battery on whose minus a device lands, or None.

        Args:
            preset: of the device.
        """
        if minus.pole != "minus" or preset.far:
            return None
        owner = next((device for device in self.devices if device.id == minus.owner), None)
        on_battery = owner is not None and preset_of(owner, self.presets).is_battery
        return StudRef.of(minus.owner, "plus") if on_battery else None

    def post(self, pole: Pole) -> StudRef:
        """The post of the bank that "battery post" means.

        Args:
            pole: minus or plus.
        """
        if pole == "plus":
            return StudRef(highest_post(self.bank))
        rows = block_names(self.bank)
        row = rows[-1] if self.bank.takeoff == "diagonal" else rows[0]
        return StudRef.of(row[-1], "minus")

    def landing(self, words: str, pole: Pole, wiring: Wiring) -> tuple[StudRef, Wiring]:
        """The stud that words name, and the drawing.

        A busbar, chassis or hull is put in where they name one that is not there yet.

        Args:
            pole: minus or plus.
            wiring: as drawn.

        Raises:
            ValueError: when nothing is called so.
        """
        # "on the negative post" means the same as "post"; which pole it is the line has said.
        text = re.sub(r"\b(the|on|to|at|negative|minus|stud)\b", " ", words.lower())
        text = re.sub(r"\s+", " ", text).strip() or words.lower().strip()
        if text in ("battery", "post", "battery post", "bank", "bank post", "batt"):
            return self.post(pole), wiring
        if text in SHUNT_WORDS:
            if wiring.shunt is None:
                raise ValueError(
                    f"No shunt is drawn yet, so nothing lands on “{words}”; say battery post, "
                    "busbar, chassis."
                )
            return StudRef.of("shunt", "bank" if "bank" in text else "rig"), wiring
        if text in ("chassis", "frame", "hull", "bonding"):
            return _ground("hull" if text in ("hull", "bonding") else "chassis", wiring)
        # What stands here comes before a word of the trade: a bar may be called "Fuse panel".
        named = self._block_or_bar(text, pole, wiring)
        if named is None and text in BAR_WORDS:
            return self._busbar(pole, wiring, is_block=pole == "plus" and text in BLOCK_WORDS)
        named = named or self._device(text, pole)
        if named is not None:
            return named, wiring
        block = block_names(self.bank)[0][0]
        raise ValueError(
            f"Nothing here is called “{words}”; say battery post, rig side, busbar, chassis, hull, starter, "
            f"a block such as {block}, or a device's name."
        )

    def _block_or_bar(self, text: str, pole: Pole, wiring: Wiring) -> StudRef | None:
        """The stud of a block or bar called so, or None."""
        blocks = {name.lower(): name for row in block_names(self.bank) for name in row}
        if (block := blocks.get(text.removesuffix(" post"))) is not None:
            return StudRef.of(block, pole)
        for bar in wiring.bars:
            if bar.pole == pole and text in (bar.name.lower(), bar.id):
                return StudRef.of(bar.id)
        return None

    def _device(self, text: str, pole: Pole) -> StudRef | None:
        """The stud of a device called so, or None."""
        starter = text in ("starter", "starter battery", "starter post")
        for device in self.devices:
            names = (device.name.lower(), device.id, device.id.replace("_", " "))
            if text in names or (starter and preset_of(device, self.presets).is_starter_battery):
                return StudRef.of(device.id, pole)
        return None

    def _busbar(self, pole: Pole, wiring: Wiring, *, is_block: bool) -> tuple[StudRef, Wiring]:
        """The busbar of that pole, or its fuse block, put in where there is none yet."""
        kind: Literal["fuse_block", "busbar"] = "fuse_block" if is_block else "busbar"
        there = next((bar for bar in wiring.bars if bar.pole == pole and bar.kind == kind), None)
        if there is not None:
            return StudRef.of(there.id), wiring
        side = "Negative" if pole == "minus" else "Positive"
        name = "Fuse block" if is_block else f"{side} busbar"
        made = Bar(id="fuse_block" if is_block else f"{pole}_busbar", kind=kind, pole=pole, name=name)
        on_shunt = pole == "minus" and wiring.shunt is not None
        feed = StudRef("shunt.rig") if on_shunt else self.post(pole)
        bar = StudRef.of(made.id)
        wiring = wiring.changed(bars=(*wiring.bars, made))
        return bar, wiring.with_cable(Cable(id=f"feed_{made.id}", a=feed, b=bar))


def _ground(surface: Literal["chassis", "hull"], wiring: Wiring) -> tuple[StudRef, Wiring]:
    if not any(bar.id == surface for bar in wiring.bars):
        bar = Bar(id=surface, kind=surface, name=surface.capitalize())
        wiring = wiring.changed(bars=(*wiring.bars, bar))
    return StudRef.of(surface), wiring
