"""What Prove shows while devices are called: the verdict on the rig, and what is to be done next."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from volnik.core.prove.record import RollCallRow
from volnik.core.rig.devices import ResolvedDevice
from volnik.services.prove.record import ProveView
from volnik.services.prove.rollcall import Calling
from volnik.web.page import number, tidy_number

WAITING = ("wait on", "wait off")
CLAMP_HELPS = ("partly", "clamp wanted")
ALL_DONE = "Installed, devices tested, numbers set, first full witnessed."


@dataclass(frozen=True, slots=True)
class ProofVerdict:
    """The verdict on the rig.

    Attributes:
        proven, count: devices shown to be counted, of all.
        heading: the verdict.
        level: how grave, "" where nothing is wrong.
        next: what to do about it, or that nothing is left to do.
        pick: the device to look at in the drawing, "" for none.
        open: title and sentence of what the record still lacks, where nothing is wrong.
    """

    proven: int
    count: int
    heading: str
    level: str
    next: str
    pick: str
    open: list[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class Called:
    """The device under test.

    Attributes:
        name: as it is called.
        lead: what to do now.
        press: what is told when it is done, "on" or "off", "" while readings are waited for.
        asks_display: whether the source's own display is typed with it.
        safety: whether it must not go dead for long.
        had, wanted: readings after the switch, of those waited for.
    """

    name: str
    lead: str
    press: str
    asks_display: bool
    safety: bool
    had: int
    wanted: int


@dataclass(frozen=True, slots=True)
class CallResult:
    """What the last call came to; `pick` is the device to look at in the drawing, "" for none."""

    device: str
    level: str
    sentence: str
    next: str
    pick: str
    asks_clamp: bool
    again: bool


@dataclass(frozen=True, slots=True)
class NextCall:
    """The device to be called next, and what to see to meanwhile.

    Attributes:
        device, name, heading, hint: which, and in words.
        by_itself: whether it may be called without a press: nothing was measured at it yet.
    """

    device: str
    name: str
    heading: str
    hint: str
    by_itself: bool


@dataclass(frozen=True, slots=True)
class Spoken:
    """What is said aloud where someone proves by ear.

    Attributes:
        key: changes when there is something new to say.
        words: said.
        tone: "good", "bad", "" for a mere prompt.
    """

    key: str
    words: str
    tone: str = ""


@dataclass(frozen=True, slots=True)
class Keypad:
    """A device proved from what the display shows, typed.

    Attributes:
        device, name: which.
        lead: what to do.
        baseline: amps shown with it off, as last typed, "" before.
        gives: whether it charges: its own display is typed with it.
    """

    device: str
    name: str
    lead: str
    baseline: str
    gives: bool


@dataclass(frozen=True, slots=True)
class ProveDesk:
    """The desk of the roll call.

    Attributes:
        verdict: on the rig.
        called: the device under test, or None.
        result: of the last call, or None.
        following: the device to call next, or None.
        live: whether readings come in now;
        bench: whether a simulated rig sends them.
        any_rows: whether there is any device to call.
        seen_so_far: the step so far, "" while nothing is waited for.
        spoken: what is said aloud.
        keypad: the device to be typed next, or None.
    """

    verdict: ProofVerdict
    called: Called | None
    result: CallResult | None
    following: NextCall | None
    live: bool
    bench: bool
    any_rows: bool
    seen_so_far: str
    spoken: Spoken
    keypad: Keypad | None

    @property
    def calls_next(self) -> str:
        """The device that is called without a press, "" for none."""
        return self.following.device if self.live and self.following and self.following.by_itself else ""


def prove_desk(calling: Calling, *, chosen: str = "") -> ProveDesk:
    """The desk as it is shown.

    Args:
        calling: where the roll call stands.
        chosen: a device picked to be typed, "" for the next one.
    """
    live = calling.now is not None and calling.now.fresh
    waits = calling.phase == "switch off" and not math.isnan(calling.seen_a)
    return ProveDesk(
        _verdict(calling.view),
        None if calling.device is None else _called(calling, calling.device),
        None if calling.verdict is None else _result(calling.verdict, live),
        _following(calling),
        live,
        live and calling.now is not None and calling.now.bridge.kind == "bench",
        bool(calling.view.rows),
        f"{number(calling.seen_a, 2, sign=True)} A" if waits else "",
        _spoken(calling),
        _keypad(calling, chosen),
    )


def _spoken(calling: Calling) -> Spoken:
    device, kept = calling.device, len(calling.view.every)
    if device is not None:
        words = {"switch on": f"{device.device.name}. On.", "switch off": "Off."}.get(calling.phase, "")
        if calling.phase == "switch off" and device.gives and not device.takes:
            words = "Type its display, then off."
        return Spoken(f"{device.id} {calling.phase} {kept}", words)
    if calling.verdict is None:
        return Spoken("", "")
    name = _name_of(calling, str(calling.verdict.get("device", "")))
    words = f"{name} {calling.verdict.get('word', '')}."
    if _following(calling) is None:
        words += " All called."
    return Spoken(f"result {kept}", words, "bad" if calling.verdict.get("level") else "good")


def _name_of(calling: Calling, device_id: str) -> str:
    names = (row.device.name for row in calling.view.rows if row.device.id == device_id)
    return next(names, "It")


def _keypad(calling: Calling, chosen: str) -> Keypad | None:
    """The device to be typed: the picked one, the next one, else the first."""
    following = _following(calling)
    wanted = chosen or (following.device if following else "")
    rows = calling.view.rows
    row = next((row for row in rows if row.device.id == wanted), rows[0] if rows else None)
    if row is None:
        return None
    device = row.device
    gives = device.gives and not device.takes
    lead = (
        "Let it charge; type what the monitor shows."
        if gives
        else "Switch it on; type what the monitor shows."
    )
    return Keypad(device.id, device.device.name, lead, baseline(calling.view), gives)


def baseline(view: ProveView) -> str:
    """Amps the monitor showed with the last typed device off, "" before any was typed."""
    for proof in view.every:
        if proof.check == "rollcall" and proof.source == "typed":
            shown = proof.body.get("after_a", proof.body.get("before_a"))
            return "" if shown is None else tidy_number(shown)
    return ""


def _proof_of(row: RollCallRow | None) -> dict[str, Any]:
    return {} if row is None or row.proof is None else row.proof.body


def _verdict(view: ProveView) -> ProofVerdict:
    proven, count = view.proven, len(view.rows)
    if view.scale is not None:
        return ProofVerdict(proven, count, view.scale.sentence, "stop", view.scale.next, "", [])
    bad = next((row for row in view.rows if row.proof is not None and not row.proven), None)
    heading = _heading(proven, count, bad)
    body = _proof_of(bad)
    if bad is None or not body.get("next"):
        left = [(state.title, state.message) for state in view.states if not state.done]
        return ProofVerdict(proven, count, heading, "", "" if left else ALL_DONE, "", left)
    pick = bad.device.id if body.get("at") else ""
    return ProofVerdict(proven, count, heading, str(body.get("level") or ""), str(body["next"]), pick, [])


def _heading(proven: int, count: int, bad: RollCallRow | None) -> str:
    if not count:
        return "No devices on the battery are listed: Survey names them."
    if proven == count:
        return "Every device is counted."
    if bad is not None and bad.proof is not None:
        return str(bad.proof.body.get("sentence", ""))
    left = "1 device is" if count - proven == 1 else f"{count - proven} devices are"
    return f"{left} not tested yet: an untested one can spoil the count."


def _called(calling: Calling, device: ResolvedDevice) -> Called:
    source = device.gives and not device.takes
    return Called(
        device.device.name,
        _lead(calling, source=source),
        {"switch on": "on", "switch off": "off"}.get(calling.phase, ""),
        source and calling.phase == "switch off",
        device.safety,
        calling.had,
        calling.wanted,
    )


def _lead(calling: Calling, *, source: bool) -> str:
    """What to do now."""
    counted = f"{calling.had} of {calling.wanted}"
    if calling.phase == "switch on":
        if source:
            now = "It should give nothing now. Let it charge: plug it in, uncover it or start the engine."
        else:
            now = "It should be off now. Switch it on."
        return f"{now} Then say so."
    if calling.phase == "wait on":
        return f"Waiting until its start-up is over: {counted} readings."
    if calling.phase == "switch off":
        return "Type what its own display shows now, then end its charging." if source else "Switch it off."
    return f"Waiting for the readings after: {counted}."


def _result(verdict: dict[str, Any], live: bool) -> CallResult:
    clamp = live and verdict.get("word") in CLAMP_HELPS
    return CallResult(
        str(verdict.get("device", "")),
        str(verdict.get("level") or ""),
        str(verdict.get("sentence", "")),
        str(verdict.get("next", "")),
        str(verdict.get("device", "")) if verdict.get("at") else "",
        clamp,
        live and not clamp and verdict.get("word") != "counted",
    )


def _following(calling: Calling) -> NextCall | None:
    row = _next_row(calling)
    if row is None:
        return None
    device = row.device
    if device.gives and not device.takes:
        hint = "A full battery takes little: have a load of 20 to 40 A on while sources are called."
    else:
        hint = "Other loads may run, a fridge may cycle: only steps at your presses count."
    name = device.device.name
    heading = f"{'Next' if calling.verdict else 'Begin'}: {name}"
    return NextCall(device.id, name, heading, hint, not _was_called(row))


def _was_called(row: RollCallRow) -> bool:
    """Whether something was measured at it that still holds."""
    return row.proof is not None and not row.reopened


def _next_row(calling: Calling) -> RollCallRow | None:
    """The next device: of those never called the first after the last one, else one that was not proven."""
    rows = calling.view.rows
    last = "" if calling.verdict is None else str(calling.verdict.get("device", ""))
    at = next((place for place, row in enumerate(rows) if row.device.id == last), -1)
    turned = [*rows[at + 1 :], *rows[: at + 1]]
    never = (row for row in turned if not _was_called(row))
    others = (row for row in turned if not row.proven and row.device.id != last)
    return next(never, next(others, None))
