"""The roll call under way: one device at a time switched on and off, judged from the live readings.

A reload loses nothing.
"""

from __future__ import annotations

import math
import secrets
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.errors import InvalidInput
from volnik.core.prove.record import Occasion, SeenStep
from volnik.core.prove.rollcall import Verdict, expected_of
from volnik.core.prove.steps import SwitchResponse, level, readings_after, readings_wanted, seen_between
from volnik.core.rig.devices import ResolvedDevice
from volnik.services.context import AppContext
from volnik.services.live.now import Live, LiveNow
from volnik.services.prove.record import ProveView, keep_step, prove_view
from volnik.store import records

TYPED_NOISE_A = 0.02  # of figures read off a display; source: estimate

Phase = Literal["idle", "switch on", "wait on", "switch off", "wait off"]
BEFORE_S, BEFORE_INTERVALS = 40.0, 6.0  # known off before a device is called: its level then is the base


@dataclass(frozen=True, slots=True)
class Calling:
    """Where the roll call stands.

    Attributes:
        view: the rig.
        phase: what is waited for.
        device: the device called, or None.
        verdict: what the last one came to, as kept.
        had, wanted: readings after the switch, and how many are waited for.
        seen_a: the step so far [A]; NaN while none.
        time_s, amps: the readings of the last minutes.
        presses: (instant, "on" or "off").
        now: the rig live, or None.
    """

    view: ProveView
    phase: Phase
    device: ResolvedDevice | None
    verdict: dict[str, Any] | None
    had: int
    wanted: int
    seen_a: float
    time_s: Floats
    amps: Floats
    presses: tuple[tuple[float, str], ...]
    now: LiveNow | None
    display_a: float | None = None


def begin(context: AppContext, live: Live, rig_id: int, device: str, *, clamp_a: float | None = None) -> None:
    """Call a device: it should be off now.

    Raises:
        InvalidInput: when this rig has no such device, or no readings arrive.
    """
    view = prove_view(context, rig_id)
    if device not in {row.device.id for row in view.rows}:
        raise InvalidInput({"device": "This rig has no such device to call."})
    now = live.now(rig_id)
    if now is None or not now.fresh:
        raise InvalidInput({"device": "No readings arrive now: type what the monitor shows instead."})
    body: dict[str, Any] = {
        "device": device,
        "phase": "switch on",
        "began_s": now.time_s,
        "mark": secrets.token_urlsafe(12),
    }
    if clamp_a is not None:
        body["clamp_a"] = clamp_a
    if "verdict" in view.running:  # it stays in print while the next one is called
        body["verdict"] = view.running["verdict"]
    _set(context, rig_id, body)


def press(context: AppContext, live: Live, rig_id: int, what: str, *, display_a: float | None = None) -> None:
    """Someone says that the device is on now, or off; a source's own display is told with it.

    Raises:
        InvalidInput: out of turn, or for a source switched off without its display's figure.
    """
    view = prove_view(context, rig_id)
    body, now = dict(view.running), live.now(rig_id)
    row = next((row for row in view.rows if row.device.id == body.get("device")), None)
    if row is None or now is None:
        raise InvalidInput({"device": "No device is called now; choose one."})
    if what == "on" and body["phase"] == "switch on":
        body |= {"phase": "on", "on_s": now.time_s}
    elif what == "off" and body["phase"] == "on":
        if row.device.gives and not row.device.takes:
            body["display_a"] = _display(display_a)
        body |= {"phase": "off", "off_s": now.time_s}
    elif what == "stop":
        body = {}
    else:
        raise InvalidInput({"device": "That is not what is waited for; look at the card."})
    _set(context, rig_id, body)


def _display(display_a: float | None) -> float:
    """What a charger's display shows [A]; raises InvalidInput where nothing believable was typed."""
    if display_a is None or not math.isfinite(display_a) or not 0 <= display_a < 2000:
        wanted = "Type what the charger's own display shows now; its rating proves nothing."
        raise InvalidInput({"display": wanted})
    return display_a


def _set(context: AppContext, rig_id: int, body: dict[str, Any]) -> None:
    with context.change() as work:
        records.set_proving(work.session, rig_id, body)


def calling(context: AppContext, live: Live, rig_id: int, *, who: str) -> Calling:
    """Where the roll call stands.

    A device whose readings are all there is judged, kept, and the call goes on by hand.
    """
    view, now = prove_view(context, rig_id), live.now(rig_id)
    body = dict(view.running)
    row = next((row for row in view.rows if row.device.id == body.get("device")), None)
    if row is None or "phase" not in body:
        time_s, amps = live.recent(rig_id, since_s=-90.0)
        return Calling(view, "idle", None, body.get("verdict"), 0, 0, math.nan, time_s, amps, (), now)
    # The level before it was switched on is the base of its step; a slow bridge needs longer for one.
    before_s = max(BEFORE_S, BEFORE_INTERVALS * (now.bridge.interval_s if now is not None else 1.0))
    time_s, amps = live.recent(rig_id, since_s=float(body["began_s"]) - before_s)
    presses = tuple(
        (float(body[key]), word) for key, word in (("on_s", "on"), ("off_s", "off")) if key in body
    )
    wanted = readings_wanted(time_s)
    here = Calling(
        view,
        "switch on",
        row.device,
        body.get("verdict"),
        0,
        wanted,
        _so_far(time_s, amps, body),
        time_s,
        amps,
        presses,
        now,
    )
    if body["phase"] == "switch on":
        return here
    if body["phase"] == "on":
        had = readings_after(time_s, float(body["on_s"]))
        phase: Phase = "switch off" if had >= wanted else "wait on"
        return replace(here, phase=phase, verdict=None, had=min(had, wanted))
    had = readings_after(time_s, float(body["off_s"]))
    if had < wanted:
        return replace(here, phase="wait off", verdict=None, had=had, display_a=body.get("display_a"))
    verdict = _judge(context, here, body, rig_id, who)
    # Kept before it is shown: a phone that goes to sleep here finds the verdict, and nothing is judged twice.
    _set(context, rig_id, {"verdict": verdict})
    view = prove_view(context, rig_id)
    return Calling(view, "idle", None, verdict, 0, 0, math.nan, time_s, amps, presses, now)


def _so_far(time_s: Floats, amps: Floats, body: dict[str, Any]) -> float:
    if not len(time_s) or "on_s" not in body:
        return math.nan
    before, had = level(time_s, amps, until_s=float(body["began_s"]))
    after, got = level(time_s, amps, until_s=float(time_s[-1]), span_s=4.0)
    return after - before if had and got else math.nan


def _judge(context: AppContext, here: Calling, body: dict[str, Any], rig_id: int, who: str) -> dict[str, Any]:
    """Judge the device that is called by its readings, and keep it."""
    device = here.device
    assert device is not None
    source = device.gives and not device.takes
    expected = (float(body["display_a"]),) if source else expected_of(device, here.view.volts)
    seen: SwitchResponse = seen_between(
        here.time_s,
        here.amps,
        on_s=float(body["on_s"]),
        off_s=float(body["off_s"]),
        began_s=float(body["began_s"]),
        expected_a=expected if any(expected) else (0.1,),
    )
    beside = {
        "on_a": round(seen.on_a, 3),
        "off_a": round(seen.off_a, 3),
        "others": [[round(change.time_s, 1), round(change.delta_a, 2)] for change in seen.others],
    }
    step = SeenStep(
        seen.amps,
        seen.noise_a,
        expected if any(expected) else (0.0,),
        body.get("clamp_a"),
        seen.agrees,
        beside,
    )
    occasion = Occasion("live", who, float(body["on_s"]), str(body["mark"]))
    return _kept(device.id, keep_step(context, rig_id, device.id, step, occasion))


def _kept(device: str, verdict: Verdict) -> dict[str, Any]:
    """A verdict as it stands on the card until the next call."""
    return {
        "device": device,
        "word": verdict.word,
        "level": verdict.level,
        "sentence": verdict.sentence,
        "next": verdict.next,
        "at": verdict.at,
    }


@dataclass(frozen=True, slots=True)
class TypedStep:
    """What the monitor showed before a device was on, with it on, and after, as typed [A].

    `display_a` is a source's own display, `clamp_a` a clamp meter beside the monitor.
    """

    before_a: float
    on_a: float
    after_a: float | None = None
    display_a: float | None = None
    clamp_a: float | None = None


def typed(context: AppContext, rig_id: int, device: str, shown: TypedStep, occasion: Occasion) -> Verdict:
    """A device switched on and off where no readings arrive."""
    on = shown.on_a - shown.before_a
    off = on if shown.after_a is None else shown.on_a - shown.after_a
    view = prove_view(context, rig_id)
    source = any(row.device.id == device and not row.device.takes for row in view.rows)
    beside = {"before_a": shown.before_a, "with_a": shown.on_a}
    if shown.after_a is not None:
        beside["after_a"] = shown.after_a
    step = SeenStep(
        0.5 * (on + off),
        TYPED_NOISE_A,
        (shown.display_a,) if source and shown.display_a is not None else None,
        shown.clamp_a,
        bool(np.isclose(on, off, atol=0.3, rtol=0.25)),
        beside,
    )
    verdict = keep_step(context, rig_id, device, step, occasion)
    _set(context, rig_id, {"verdict": _kept(device, verdict)})
    return verdict
