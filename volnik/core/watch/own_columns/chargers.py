"""A charger's own volts and amps beside the bank's: ohms of the way between, and what loads take straight."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.columns import of_kind
from volnik.core.findings import Finding

WORKS_A = 1.0  # from which a charger's readings tell of its way
LEAST = 30  # readings while it works
REACH_A = 5.0  # by which its amps have to differ, so that two meters' difference can be parted off
METERS_V = 0.03  # by which two sound meters differ; source: estimate
ZERO_A = 0.3  # by which two meters of amps differ at least; source: estimate
ZERO_SHARE = 0.02
STEP_A = 1.0  # of a charger between two readings, from which it tells
STEP_S = 120.0  # between these readings at most
MOVED_V = 0.01  # by which the battery's volts have to go along; source: a monitor's steps
LEAST_STEPS = 8
MOST_UNSEEN = 0.3  # of a charger, under which it is as good as not seen; source: estimate
LOST = 0.03  # of the bank's volts lost on the way, from which it is told; as findings of Path do


@dataclass(frozen=True, slots=True)
class Way:
    """The way from a charger to the battery, out and back, as its own figures show it.

    Attributes:
        name: of its column of volts.
        milliohm, low, high: its resistance, and between what it lies [mΩ].
        lost_v: on it at the greatest amps seen [V].
        amps: those [A].
        meters_v: by which the two meters differ with no current, NaN where it cannot be parted off [V].
        bank_v: of the bank meanwhile [V].
    """

    name: str
    milliohm: float
    low: float
    high: float
    lost_v: float
    amps: float
    meters_v: float
    bank_v: float

    @property
    def loses_much(self) -> bool:
        """Whether it surely loses more than a charger's cables should."""
        return self.low * self.amps / 1000.0 > LOST * self.bank_v


def way_of(name: str, charger_v: Floats, charger_a: Floats, bank_v: Floats) -> Way | None:
    """The way of a charger; None where its readings do not tell it.

    The charger's volts less the bank's are its amps times ohms, and what the meters differ by.

    Args:
        name: of its column of volts.
        charger_v, charger_a: its own figures, NaN where not given, shape (n,) [V, A].
        bank_v: of the bank, shape (n,) [V].
    """
    works = np.isfinite(charger_v) & np.isfinite(bank_v) & (np.nan_to_num(charger_a) >= WORKS_A)
    if works.sum() < LEAST:
        return None
    amps, lost = charger_a[works], charger_v[works] - bank_v[works]
    most = float(np.percentile(amps, 99.0))
    volts = float(np.median(bank_v[works]))
    if np.percentile(amps, 95.0) - np.percentile(amps, 5.0) >= REACH_A:
        (ohm, meters), spread = np.polyfit(amps, lost, 1, cov=True)
        doubt = 2.0 * math.sqrt(max(spread[0, 0], 0.0)) + 0.002 / most
    else:
        ohm, meters = float(np.median(lost / amps)), math.nan
        doubt = METERS_V / float(np.median(amps))
    low, high = 1000.0 * (ohm - doubt), 1000.0 * (ohm + doubt)
    return Way(name, 1000.0 * float(ohm), low, high, float(ohm) * most, most, float(meters), volts)


def way_words(way: Way) -> str:
    """What a way loses.

    Args:
        way: it.
    """
    told = f"{_mohm(way)} out and back: {way.lost_v:.2f} V on the way at {way.amps:.0f} A"
    if math.isnan(way.meters_v):
        return f"{told}; its amps hardly changed, so the two meters' own difference is in it"
    return f"{told}; the two meters differ by {1000.0 * way.meters_v:.0f} mV with no current"


def _mohm(way: Way) -> str:
    """Between what its resistance lies."""
    low, high = f"{max(way.low, 0.0):.0f}", f"{way.high:.0f}"
    return f"about {high} mΩ" if low == high else f"{low} to {high} mΩ"


def way_findings(ways: list[Way]) -> list[Finding]:
    """The ways that surely lose more than a charger's cables should.

    Args:
        ways: of all chargers.
    """
    return [
        Finding(
            "watch.W05",
            "advise",
            f"From charger to battery {way.lost_v:.2f} V are lost at {way.amps:.0f} A: {_mohm(way)}.",
            "The charger sees more volts than the battery has and ends its charge too early.",
            "Powered down, look at each joint of its cables; or give it the battery's own volts, if it can "
            "listen.",
            "watch",
            about=(way.name,),
        )
        for way in ways
        if way.loses_much
    ]


def chargers_of(columns: Mapping[str, Floats], bank_v: Floats) -> list[Way]:
    """The ways of all chargers that tell both volts and amps.

    Args:
        columns: of a log by name, shape (n,) each.
        bank_v: of the bank, shape (n,) [V].
    """
    found = []
    for volts in of_kind(columns, "charger_volts"):
        amps = volts.name.replace("charger_volts", "charger_amps", 1)
        if amps in columns and (way := way_of(volts.name, columns[volts.name], columns[amps], bank_v)):
            found.append(way)
    return found


def hidden_now(values: Mapping[str, float]) -> str:
    """What loads take straight from the chargers, in words; "" while none works or none tells.

    Args:
        values: of a reading by column.
    """
    amps = [values[found.name] for found in of_kind(values, "charger_amps")]
    given = sum(each for each in amps if math.isfinite(each))
    if given < WORKS_A or not math.isfinite(values.get("amps", math.nan)):
        return ""
    arrives = values["amps"]
    hidden = given - arrives
    doubt = ZERO_A + ZERO_SHARE * given
    told = f"chargers give {given:.1f} A, {arrives:.1f} A arrive"
    if hidden > doubt:
        return f"{told}: {hidden:.1f} A go straight to loads now, or past the shunt"
    if hidden < -doubt:
        return f"{told}: something else gives {-hidden:.1f} A more, or a meter is off"
    return f"{told}: no load that shows"


@dataclass(frozen=True, slots=True)
class Seen:
    """How much of a charger's amps the shunt sees, by the steps of its own figures.

    Attributes:
        name: of its column of amps.
        share: 1 for all of it, 0 for nothing.
        low, high: between what it lies.
        steps: it rests on.
    """

    name: str
    share: float
    low: float
    high: float
    steps: int


def seen_of(time_s: Floats, chargers: Mapping[str, Floats], amps: Floats, volts: Floats) -> list[Seen]:
    """How much of each charger the shunt sees; those are left out of which too few steps tell.

    All of them at once, for suns rise together: shunt step = Σ share x charger step, by least squares.
    Only steps that move the battery's volts the same way: a charger that merely follows a load at its end of
    charge moves neither volts nor, wired rightly, the shunt.

    Args:
        time_s: instants, shape (n,) [s].
        chargers: their own amps by column, NaN where not given, shape (n,) each [A].
        amps, volts: of the shunt, shape (n,) [A, V].
    """
    if not chargers:
        return []
    steps = np.nan_to_num(np.diff(np.stack(list(chargers.values()))))
    seen, moved, whole = np.diff(amps), np.diff(volts), steps.sum(axis=0)
    tells = (np.abs(steps).max(axis=0) >= STEP_A) & (np.diff(time_s) <= STEP_S)
    tells &= np.isfinite(seen) & (moved * np.sign(whole) >= MOVED_V)
    enough = (np.abs(steps[:, tells]) >= STEP_A).sum(axis=1) >= LEAST_STEPS
    if not enough.any():
        return []
    x, y = steps[enough][:, tells].T, seen[tells]
    inverse = np.linalg.pinv(x.T @ x)
    shares = inverse @ (x.T @ y)
    rest = (y - x @ shares)[:, None] * x
    doubts = 2.0 * np.sqrt(np.diag(inverse @ (rest.T @ rest) @ inverse)) + 0.02
    names = [name for name, known in zip(chargers, enough, strict=True) if known]
    counts = (np.abs(x) >= STEP_A).sum(axis=0)
    return [
        Seen(name, float(share), float(share - doubt), float(share + doubt), int(count))
        for name, share, doubt, count in zip(names, shares, doubts, counts, strict=True)
    ]


def seen_words(seen: Seen, words: str) -> str:
    """How much of a charger the shunt sees, in words.

    Args:
        seen: it.
        words: what the charger is called.
    """
    told = (
        f"The shunt sees {100.0 * max(0.0, seen.share):.0f} % of what the {words} says, by {seen.steps} steps"
    )
    if seen.low > MOST_UNSEEN and seen.high < 1.0 - MOST_UNSEEN:
        return f"{told}: a part passes by, or its figure is of another side, such as the panel's."
    if seen.low > 1.0 + MOST_UNSEEN:
        return f"{told}: another charger that tells nothing steps with it, or its figure is the panel's."
    return f"{told}."


def seen_findings(every: list[tuple[Seen, str]]) -> list[Finding]:
    """The chargers of which the shunt surely sees nothing.

    Args:
        every: each with what the charger is called.
    """
    return [
        Finding(
            "watch.W08",
            "fix",
            f"The shunt sees next to nothing of the {words}: its amps stepped {seen.steps} times, the "
            "battery's volts with them.",
            "What it charges is never counted: the percentage falls behind.",
            f"Find the minus of the {words} and move it to the rig side of the shunt; if it is there, the "
            "column is another charger's.",
            "watch",
            about=(seen.name,),
        )
        for seen, words in every
        if seen.high < MOST_UNSEEN
    ]
