"""What Prove shows while devices are called: the verdict on the rig, and what is to be done next."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from volnik.core.prove.record import RollCallRow
from volnik.core.rig.devices import ResolvedDevice
from volnik.services.prove.record import ProveView
from volnik.services.prove.rollcall import Calling
from volnik.web.page import number

WAITING = ("wait on", "wait off")
CLAMP_HELPS = ("partly", "clamp wanted")
ALL_DONE = "Installed, paths proven, numbers set, first full witnessed."


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
    """The device to be called next, and what to see to meanwhile."""

    device: str
    name: str
    heading: str
    hint: str


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
    """

    verdict: ProofVerdict
    called: Called | None
    result: CallResult | None
    following: NextCall | None
    live: bool
    bench: bool
    any_rows: bool
    seen_so_far: str


def prove_desk(calling: Calling) -> ProveDesk:
    """The desk as it is shown."""
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
    )


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
        return "No devices on the bank are listed: Survey names them."
    if proven == count:
        return "Every device is counted."
    if bad is not None and bad.proof is not None:
        return str(bad.proof.body.get("sentence", ""))
    left = "1 device is" if count - proven == 1 else f"{count - proven} devices are"
    return f"{left} not proven yet: an untested one can spoil the count."


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
    row = next((row for row in calling.view.rows if not row.proven), None)
    if row is None:
        return None
    device = row.device
    if device.gives and not device.takes:
        hint = "A full bank takes little: have a load of 20 to 40 A on while sources are called."
    else:
        hint = "Other loads may run, a fridge may cycle: only steps at your presses count."
    name = device.device.name
    return NextCall(device.id, name, f"{'Next' if calling.verdict else 'Begin'}: {name}", hint)
