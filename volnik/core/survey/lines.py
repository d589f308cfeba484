"""Devices typed or pasted one a line: "Heater, 2 A, peak 9 A, battery post, fuse 15 A, 4 mm², 1.5 m".

The first part is the name, from which the kind is told (or "Name: kind"); the others may stand in any order,
parted by comma, semicolon or tab. A first line of headings lends its words and units to bare numbers below
it.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any

from pydantic import ValidationError

from volnik.core.path.fitted import device_cables, fitted
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device
from volnik.core.rig.studs import block_names, highest_post
from volnik.core.rig.wiring import Bar, Cable, Wiring
from volnik.core.shelf.conductors import read_size
from volnik.core.shelf.presets import Preset
from volnik.core.values import problems_of, unique_name

MOST_LINES = 200
MOST_PART = 100  # letters between two commas
_NUMBER = r"([-−+]?\d+(?:[.,]\d+)?)"
_FIGURE = re.compile(rf"(?:([a-z][a-z -]*?)\s+)?{_NUMBER}\s*(mv(?:/°c)?|kw|w|ma|a|%|v|m|h|s)", re.I)
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
_UNKNOWN = {"?", "unknown", "not looked", "-"}


@dataclass(slots=True)
class Line:
    """One line read: the device and where its cables land.

    Attributes:
        number: line number, from 1. minus, plus, far: studs, None where not known; ground: a chassis or hull
            to be drawn.
        bond: the line is a bond, not a device: its landing.
    """

    number: int
    name: str
    kind: str
    figures: dict[str, Any] = field(default_factory=dict)
    minus: str | None = None
    plus: str | None = None
    size: str = ""
    length_m: float | None = None
    fuse_a: float | None = None
    unfused: bool = False


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
    """The kind a name tells, by its longest known word; "load" where none is known."""
    text = f" {re.sub(r'[^a-z0-9]+', ' ', name.lower())} "
    best, kind = 0, "load"
    for preset in presets.values():
        for word in (*preset.words, preset.name, preset.key):
            plain = re.sub(r"[^a-z0-9]+", " ", word.lower()).strip()
            if f" {plain} " in text and len(plain) > best:
                best, kind = len(plain), preset.key
    return kind


def read_lines(text: str, presets: dict[str, Preset]) -> tuple[list[tuple[Line, list[str]]], dict[int, str]]:
    """Lines of a text with what is left of each as landing words, and problems by line number."""
    found: list[tuple[Line, list[str]]] = []
    problems: dict[int, str] = {}
    headings: list[str] = []
    for number, raw in enumerate(text.replace("\r", "").split("\n")[: MOST_LINES + 1], 1):
        if not raw.strip():
            continue
        if number > MOST_LINES:
            problems[number] = f"At most {MOST_LINES} lines at once; paste the rest after these."
            break
        parts = [
            part.strip().strip('"') for part in re.split(r"\t" if "\t" in raw else r"[;,](?!\d)|,(?=\s)", raw)
        ]
        if (
            not found
            and not headings
            and parts[0].lower() in ("device", "name", "item", "load", "what")
            and len(parts) > 1
            and not re.search(r"\d", raw)
        ):
            headings = [part[:MOST_PART] for part in parts]
            continue
        if headings and max(map(len, parts)) <= MOST_PART:
            parts = [
                parts[0],
                *(
                    _with_heading(part, headings[at] if at < len(headings) else "")
                    for at, part in enumerate(parts[1:], 1)
                ),
            ]
        try:
            _check_lengths(parts)
            found.append(_read(number, [parts[0], *(part for part in parts[1:] if part)], presets))
        except ValueError as wrong:
            problems[number] = str(wrong)
    return found, problems


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
    kind = kind_of(stated or name, presets)
    preset = presets[kind] if kind in presets else presets["load"]
    line = Line(number, name[:60], kind)
    landings = []
    for part in parts[1:]:
        if not _figure(part, line, preset):
            landings.append(part)
    return line, landings


def _figure(part: str, line: Line, preset: Preset) -> bool:
    plain = part.lower().replace("−", "-").strip()
    if plain in ("no fuse", "unfused"):
        line.unfused = True
        return True
    if plain in ("together", "alone"):
        line.figures["together"] = plain == "together"
        return True
    if plain in ("safety", "must not go dead"):
        line.figures["safety"] = True
        return True
    size = read_size(part)
    if size is not None:
        line.size = size[1]
        return True
    spans = _HOURS.findall(plain)
    if spans and not _HOURS.sub("", plain).strip(" ,and"):
        hours = tuple((int(a) + int(b or 0) / 60, int(c) + int(d or 0) / 60) for a, b, c, d in spans)
        line.figures["hours"] = hours
        return True
    found = _FIGURE.fullmatch(plain)
    if found is None:
        if re.fullmatch(_NUMBER, plain):
            raise ValueError(f"“{part}” needs a unit: A, W, m, mm², %.")
        if re.search(r"\d", plain) and not re.fullmatch(r"(plus )?[a-p]\d{1,2}", plain):
            raise ValueError(
                f"“{part}” cannot be read; write it such as 25 A, peak 60 A, fuse 15 A, 6 mm², 2 m, 7-21."
            )
        return False
    word, value, unit = (found[1] or "").strip(), float(found[2].replace(",", ".")), found[3]
    if unit in ("kw", "ma"):
        value, unit = (value * 1000, "w") if unit == "kw" else (value / 1000, "a")
    if word == "fuse" and unit == "a":
        if value <= 0:
            raise ValueError(f"A fuse has more than 0 A, got {value:g}.")
        line.fuse_a = value
    elif not word and unit == "m":
        if value <= 0:
            raise ValueError(f"A cable is longer than 0 m, got {value:g}.")
        line.length_m = value
    elif not word and unit == "a":
        line.figures["most_a" if preset.role == "source" else "current_a"] = value
    elif not word and unit == "w":
        line.figures["panel_w" if preset.key == "solar" else "power_w"] = value
    elif (word, unit) in _WORDS:
        name, factor = _WORDS[word, unit]
        line.figures[name] = round(value * factor, 9)
    else:
        raise ValueError(
            f"“{part}” cannot be read; known words are peak, start, standby, duty, efficiency, "
            "absorption, float, end, slope, panel, fuse."
        )
    return True


def enter(
    text: str, bank: Bank, devices: tuple[Device, ...], wiring: Wiring, presets: dict[str, Preset]
) -> Entered:
    """The devices and the found wiring with the lines of a text put in.

    A line at fault is left out and told.
    """
    lines, problems = read_lines(text, presets)
    kept, added = list(devices), []
    for line, landings in lines:
        try:
            device, wiring = _enter(line, landings, bank, kept, wiring, presets)
        except ValidationError as wrong:
            problems[line.number] = " ".join(
                f"{key.split('.')[0]} {message}" for key, message in problems_of(wrong).items()
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


def _enter(
    line: Line,
    landings: list[str],
    bank: Bank,
    devices: list[Device],
    wiring: Wiring,
    presets: dict[str, Preset],
) -> tuple[Device | None, Wiring]:
    preset = presets.get(line.kind) or presets["load"]
    for words in landings:
        pole, _, rest = words.lower().partition(" ")
        if pole == "plus" and rest:
            line.plus, wiring = landing(rest, "plus", bank, devices, wiring, presets)
        elif words.lower() not in _UNKNOWN:
            line.minus, wiring = landing(words, "minus", bank, devices, wiring, presets)
            if (
                line.minus.endswith(".minus")
                and line.plus is None
                and not preset.far
                and any(
                    device.id == line.minus.split(".")[0] and device.kind in ("starter", "second_bank")
                    for device in devices
                )
            ):
                line.plus = line.minus.replace(".minus", ".plus")
    if preset.role == "bond":
        surface = preset.surface or "chassis"
        ground, wiring = _ground(surface, wiring)
        if line.minus is None:
            return None, wiring
        taken = [cable.id for cable in wiring.cables]
        if line.minus == ground:
            raise ValueError(f"Say where the {surface} is bonded to: battery post, rig side, busbar.")
        return None, wiring.with_cable(
            Cable(
                id=unique_name(f"{surface}_bond", taken),
                a=ground,
                b=line.minus,
                size=line.size,
                length_m=line.length_m,
            )
        )
    made = unique_name(
        re.sub(r"[^a-z0-9]+", "_", line.name.lower()).strip("_")[:30] or line.kind,
        {"shunt", "monitor", *(device.id for device in devices), *(bar.id for bar in wiring.bars)},
    )
    device = Device(id=made, kind=line.kind, name=line.name, **line.figures)
    starter = next((device for device in devices if device.kind == "starter"), None)
    plus, far = line.plus, None
    if preset.far:
        far = f"{starter.id}.plus" if starter else None
    if plus is None and preset.role != "battery":
        on_starter = line.kind in ("alternator", "cranking") and starter is not None
        plus = f"{starter.id}.plus" if on_starter and starter else _plus_home(bank, wiring)
    fuse = None if line.unfused else line.fuse_a
    cables = device_cables(
        device,
        preset,
        minus=line.minus,
        plus=plus if preset.role != "battery" else line.plus,
        far=far,
        size=line.size,
        length_m=line.length_m,
        fuse_a=fuse,
    )
    if line.kind == "combine":
        cables = [cable for cable in cables if not cable.id.endswith("_minus")]
    for cable in cables:
        wiring = wiring.with_cable(cable)
    return device, wiring


def _far_ends(devices: list[Device], wiring: Wiring, presets: dict[str, Preset]) -> Wiring:
    """The other positives that nobody has landed yet, joined to the starter battery, whichever line
    named it.
    """
    starter = next((device for device in devices if device.kind == "starter"), None)
    if starter is None:
        return wiring
    for device in devices:
        far = f"{device.id}.far"
        if (presets.get(device.kind) or presets["load"]).far and not wiring.at(far):
            wiring = wiring.with_cable(Cable(id=f"{device.id}_far", a=far, b=f"{starter.id}.plus"))
    return wiring


def _plus_home(bank: Bank, wiring: Wiring) -> str:
    return next((bar.id for bar in wiring.bars if bar.pole == "plus"), highest_post(bank))


def _ground(surface: str, wiring: Wiring) -> tuple[str, Wiring]:
    if not any(bar.id == surface for bar in wiring.bars):
        wiring = wiring.changed(bars=(*wiring.bars, Bar(id=surface, kind=surface, name=surface.capitalize())))  # type: ignore[arg-type]
    return surface, wiring


def landing(
    words: str, pole: str, bank: Bank, devices: list[Device], wiring: Wiring, presets: dict[str, Preset]
) -> tuple[str, Wiring]:
    """The stud that words name, and the drawing, with a busbar, chassis or hull put in where they name one
    that is not there yet.

    Raises:
        ValueError: when nothing is called so.
    """
    text = re.sub(r"\b(the|on|to|at|negative|minus|stud)\b", " ", words.lower())
    text = re.sub(r"\s+", " ", text).strip() or words.lower().strip()
    rows = block_names(bank)
    post = (
        f"{(rows[-1] if bank.takeoff == 'diagonal' else rows[0])[-1]}.minus"
        if pole == "minus"
        else highest_post(bank)
    )
    blocks = {name.lower(): name for row in rows for name in row}
    if text in ("battery", "post", "battery post", "bank", "bank post", "batt"):
        return post, wiring
    if text in blocks or text.removesuffix(" post") in blocks:
        return f"{blocks[text.removesuffix(' post')]}.{pole}", wiring
    if text in (
        "rig",
        "rig side",
        "shunt",
        "shunt rig",
        "shunt rig side",
        "bank side",
        "shunt bank",
        "shunt bank side",
    ):
        if wiring.shunt is None:
            raise ValueError(
                f"No shunt is drawn yet, so nothing lands on “{words}”; say battery post, busbar, chassis."
            )
        return ("shunt.bank" if "bank" in text else "shunt.rig"), wiring
    if text in ("chassis", "frame", "hull", "bonding"):
        return _ground("hull" if text in ("hull", "bonding") else "chassis", wiring)
    for bar in wiring.bars:
        if bar.pole == pole and text in (bar.name.lower(), bar.id):
            return bar.id, wiring
    if text in ("busbar", "bus", "bus bar", "fuse panel", "panel"):
        there = next((bar for bar in wiring.bars if bar.pole == pole and bar.kind == "busbar"), None)
        if there is not None:
            return there.id, wiring
        made = Bar(
            id=f"{pole}_busbar",
            kind="busbar",
            pole=pole,  # type: ignore[arg-type]
            name=f"{'Negative' if pole == 'minus' else 'Positive'} busbar",
        )
        feed = "shunt.rig" if pole == "minus" and wiring.shunt is not None else post
        wiring = wiring.changed(bars=(*wiring.bars, made))
        return made.id, wiring.with_cable(Cable(id=f"feed_{made.id}", a=feed, b=made.id))
    for device in devices:
        if text in (device.name.lower(), device.id, device.id.replace("_", " ")) or (
            text in ("starter", "starter battery", "starter post") and device.kind == "starter"
        ):
            return f"{device.id}.{pole}", wiring
    raise ValueError(
        f"Nothing here is called “{words}”; say battery post, rig side, busbar, chassis, hull, "
        f"starter, a block such as {rows[0][0]}, or a device's name."
    )
