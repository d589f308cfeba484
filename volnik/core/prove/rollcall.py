"""The roll call: what each device should move the shunt by, and what follows from what it did move.

Limits: docs/domain/prove.md.
"""

from __future__ import annotations

import math
import statistics
from dataclasses import dataclass
from typing import Literal

from volnik.core.findings import Level
from volnik.core.path.analysis import WiringAnalysis as Drawing
from volnik.core.path.shares import Share
from volnik.core.prove.steps import CLEAR
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.studs import lower
from volnik.core.rig.wiring import other_end

Word = Literal[
    "counted",
    "more than listed",
    "partly",
    "not counted",
    "reversed",
    "too small to tell",
    "clamp wanted",
    "once more",
]
COUNTED, ABSENT, MORE = 0.7, 0.1, 1.3  # seen over expected; source: trade practice and estimate
PARTIAL_LOW, PARTIAL_HIGH = 0.05, 0.95  # share: within it the drawing itself expects a part; source: estimate
SCALE_LOW, SCALE_HIGH = 0.9, 1.1  # listed amps are no better than this: within it the shunt is as set
RIGHT_WAY_LEAST = 2  # others that moved the shunt the right way, from which one sign is asked about
SCALE_ALIKE, SCALE_LEAST = 0.07, 3  # one common factor: so near to each other, on so many devices
TOLD = {
    1.5: "a 75 mV shunt entered as 50 mV",
    1 / 1.5: "a 50 mV shunt entered as 75 mV",
    2.0: "twice its rating in amps",
    0.5: "half its rating in amps",
}


@dataclass(frozen=True, slots=True)
class Verdict:
    """What follows from a measurement.

    Attributes:
        word: in short.
        level: None when all is well.
        sentence: with the figures.
        next: what to do, or "".
        ratio: seen over expected; NaN where it makes no sense.
        at: cable or stud it points at, or "".
        proven: whether it shows the device counted.
    """

    word: str
    level: Level | None
    sentence: str
    next: str = ""
    ratio: float = math.nan
    at: str = ""
    proven: bool = False


def expected_of(device: ResolvedDevice, volts: float) -> tuple[float, ...]:
    """What a load should move the shunt by, negative: running, and its start phase where it has one [A].

    Survey's watts over the volts seen, I = P / (V eff); amps as listed.

    Args:
        device: with its figures filled in.
    """
    running = device.running_a
    if device.watts is not None:
        running = device.watts / (volts * (device.number("efficiency") or 1.0))
    start = device.number("start_a")
    return (-running, -start) if start > running else (-running,)


def called(drawing: Drawing) -> list[ResolvedDevice]:
    """The devices to be called: all on the bank that draw or give, loads first, then sources, each in the
    order of the Survey.

    Args:
        drawing: the drawing it is judged against.
    """
    here = [
        device
        for device in drawing.devices
        if device.id in drawing.shares
        and drawing.shares[device.id].expected == 1.0
        and (device.takes or device.gives)
        and not device.preset.is_link
    ]
    return sorted(here, key=lambda device: device.gives and not device.takes)


def judge_step(
    device: ResolvedDevice,
    *,
    expected_a: tuple[float, ...],
    seen_a: float,
    noise_a: float,
    drawing: Drawing,
    clamp_a: float | None = None,
    agrees: bool = True,
) -> Verdict:
    """The verdict on one device.

    Args:
        expected_a: what it may move the shunt by, + charges [A]; the likest is taken.
        seen_a: what it did [A].
        clamp_a: what a clamp on its own lead reads, without sign [A], or None.
        agrees: whether on and off told the same.
        noise_a: of the amps [A].
        drawing: the drawing it is judged against.
    """
    name = device.device.name
    share = drawing.shares.get(device.id)
    sign = -1.0 if expected_a[0] < 0 else 1.0
    # A clamp on its own lead knows better than any list; of a list's phases the likest is meant.
    expected = sign * clamp_a if clamp_a else min(expected_a, key=lambda wanted: abs(seen_a - wanted))
    if abs(expected) < CLEAR * noise_a:
        return Verdict(
            "too small to tell",
            "advise",
            f"{name}: {abs(expected):.2f} A cannot be seen in noise of {noise_a:.2f} A.",
            "Look at it with a clamp meter that reads milliamps, or trust the drawing.",
        )
    if not agrees:
        return Verdict(
            "once more",
            "advise",
            f"{name}: on and off do not tell the same; something else switched meanwhile.",
            "Switch it on and off once more, with other loads at rest.",
        )
    ratio = seen_a / expected
    # Where the drawing says that a part passes by, the shunt alone cannot tell part from wrong: a clamp can.
    partial = share is not None and not math.isnan(share.value) and PARTIAL_LOW < share.value < PARTIAL_HIGH
    if partial and clamp_a is None:
        assert share is not None
        return Verdict(
            "clamp wanted",
            "fix",
            f"{name}: the shunt saw {abs(seen_a):.2f} A of {abs(expected):.2f} A; by the drawing it "
            f"sees {100 * share.value:.0f} %.",
            "Put a clamp on its own lead and type what it reads.",
            ratio,
            f"path.{device.id}",
        )
    found = _by_ratio(name, ratio, seen_a, expected, clamped=clamp_a is not None)
    return _against_drawing(found, device, share, drawing)


def _by_ratio(name: str, ratio: float, seen_a: float, expected: float, *, clamped: bool) -> Verdict:
    message = f"{abs(seen_a):.2f} A of {abs(expected):.2f} A {'by clamp' if clamped else 'expected'}"
    if ratio > MORE:
        return Verdict(
            "more than listed",
            "advise",
            f"{name}: counted, and draws more than listed: {message}.",
            "Correct its figure at Survey, so that hours to go and fuses rest on what it draws.",
            ratio,
            proven=True,
        )
    if ratio >= COUNTED:
        return Verdict("counted", None, f"{name}: counted, {message}.", "", ratio, proven=True)
    if ratio >= ABSENT:
        return Verdict(
            "partly",
            "fix",
            f"{name}: partly counted, or rated differently: {message}.",
            "Look for a second way of its current round the shunt."
            if clamped
            else "Put a clamp on its own lead and type what it reads.",
            ratio,
        )
    if ratio > -ABSENT:
        return Verdict(
            "not counted",
            "stop",
            f"{name}: not counted, the shunt saw {abs(seen_a):.2f} A of {abs(expected):.2f} A.",
            "Its negative reaches the battery without crossing the shunt.",
            ratio,
        )
    return Verdict(
        "reversed",
        "stop",
        f"{name}: counted the wrong way round, {seen_a:+.2f} A instead of {expected:+.2f} A.".replace(
            "-", "−"
        ),
        "The shunt is turned round: its battery side and rig side are exchanged.",
        ratio,
    )


def _against_drawing(
    found: Verdict, device: ResolvedDevice, share: Share | None, drawing: Drawing
) -> Verdict:
    """A verdict that contradicts the path drawing points at the drawing or the wire."""
    if share is None or math.isnan(share.value):
        return found
    minus = f"{device.id}.minus"
    cable = next(iter(drawing.by_stud.get(minus, [])), None)
    lands = "" if cable is None else lower(drawing.studs[other_end(cable, minus)].name)
    at = "" if cable is None else cable.id
    # The wire decides, not the drawing: where they differ both are named, and the wire is followed.
    if share.value >= PARTIAL_HIGH and found.word in ("not counted", "partly", "reversed"):
        more = (
            (
                f" The drawing has its negative on the {lands}, where it would be counted: follow the "
                "wire, or correct the drawing."
            )
            if lands
            else ""
        )
        return Verdict(found.word, found.level, found.sentence, found.next + more, found.ratio, at)
    if share.value <= PARTIAL_LOW and found.proven:
        more = (
            f" The drawing has its negative on the {lands}, where it would not be counted: the drawing "
            "is wrong, correct it at Path."
        )
        return Verdict(
            found.word, "advise", found.sentence, (found.next + more).strip(), found.ratio, at, True
        )
    return found


def was_minus_left_out(verdict: Verdict, proven: int) -> Verdict:
    """A device that reads the wrong way round though others did not: the typing is asked before the shunt.

    Args:
        verdict: on the device.
        proven: how many others moved the shunt the right way.
    """
    if verdict.word != "reversed" or proven < RIGHT_WAY_LEAST:
        return verdict
    return Verdict(
        "sign",
        "fix",
        f"{verdict.sentence} {proven} others moved it the right way.",
        "Was the minus left out? Type it once more. Else look at this device's own cable.",
        verdict.ratio,
        verdict.at,
    )


def common_scale(ratios: dict[str, float]) -> Verdict | None:
    """One common ratio over most devices: the monitor was told another shunt than is fitted.

    None when there is none.

    Args:
        ratios: seen over expected of each device that was seen at all.
    """
    known = [ratio for ratio in ratios.values() if not math.isnan(ratio) and ratio > ABSENT]
    if len(known) < SCALE_LEAST:
        return None
    middle = statistics.median(known)
    alike = [value for value in known if abs(value / middle - 1.0) <= SCALE_ALIKE]
    if SCALE_LOW <= middle <= SCALE_HIGH or len(alike) < max(SCALE_LEAST, math.ceil(0.6 * len(known))):
        return None
    likely = min(TOLD, key=lambda value: abs(value / middle - 1.0))
    hint = f" It looks like {TOLD[likely]}." if abs(likely / middle - 1.0) < 0.08 else ""
    return Verdict(
        "scale",
        "stop",
        f"{len(alike)} of {len(known)} devices are off by one factor: the shunt shows {middle:.2f} "
        f"times what flows.{hint}",
        "Correct the shunt's amps and millivolts in the monitor, then call the devices again.",
        middle,
        "path.shunt",
    )
