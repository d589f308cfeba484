"""The monitor's own history page, typed: held against the battery, against itself and against the log.

Limits: docs/domain/history.md.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from volnik.core.errors import InvalidInput
from volnik.core.findings import Level
from volnik.core.shelf.chemistries import Chemistry

FLAT_V = {True: 1.75, False: 2.5}
"""Volts a cell, lead or lithium, under which a battery was drawn flat; source: trade practice."""
FLAT_TOLD = {True: "1.75 V", False: "2.5 V"}
LONG_DAYS = 30.0  # since full, after which a count is worth little; source: trade practice
FEW_CYCLES = 3.0  # full cycles' worth taken out, by which a full must have been found; source: estimate
BESIDE = 0.05  # of the Ah out by the log that may be missing in the monitor's; source: as its counter's limit


@dataclass(frozen=True, slots=True)
class OwnField:
    """One figure of such a page: key, what it is, unit, and the most it can be."""

    key: str
    label: str
    unit: str
    most: float


FIELDS = (
    OwnField("deepest_ah", "deepest ever", "Ah", 100_000.0),
    OwnField("last_ah", "last discharge", "Ah", 100_000.0),
    OwnField("mean_ah", "on average", "Ah", 100_000.0),
    OwnField("total_ah", "taken out in all", "Ah", 10_000_000.0),
    OwnField("low_v", "lowest volts", "V", 200.0),
    OwnField("high_v", "highest volts", "V", 200.0),
    OwnField("fulls", "times full", "", 100_000.0),
    OwnField("since_full_days", "since full", "days", 100_000.0),
)


@dataclass(frozen=True, slots=True)
class OwnHistory:
    """What a monitor's page says; NaN for what it does not show. Ah, volts, times, days as named."""

    deepest_ah: float = math.nan
    last_ah: float = math.nan
    mean_ah: float = math.nan
    total_ah: float = math.nan
    low_v: float = math.nan
    high_v: float = math.nan
    fulls: float = math.nan
    since_full_days: float = math.nan

    def to_dict(self) -> dict[str, float]:
        """What is known, by name."""
        given = {field.key: float(getattr(self, field.key)) for field in FIELDS}
        return {key: value for key, value in given.items() if not math.isnan(value)}


@dataclass(frozen=True, slots=True)
class Beside:
    """What it is held against.

    Attributes:
        chemistry: of the bank.
        cells: in series.
        capacity_ah: as set [Ah], NaN for unknown.
        logged_ah: out by the log of this battery [Ah], NaN for none.
        before: the page as it was typed last, or None.
    """

    chemistry: Chemistry
    cells: int
    capacity_ah: float
    logged_ah: float
    before: OwnHistory | None = None


@dataclass(frozen=True, slots=True)
class OwnRemark:
    """What a figure of it says: how grave, and the sentence."""

    level: Level | None
    sentence: str


def own_history(figures: Mapping[str, float | None]) -> OwnHistory:
    """A page as typed.

    Args:
        figures: by key, None for what was left empty.

    Raises:
        InvalidInput: naming each figure that cannot be, or all where nothing was typed.
    """
    given = {field.key: figures.get(field.key) for field in FIELDS}
    problems = {
        field.key: f"It lies between 0 and {field.most:g} {field.unit}.".replace(" .", ".")
        for field in FIELDS
        if (value := given[field.key]) is not None and not 0.0 <= value <= field.most
    }
    if not problems and all(value is None for value in given.values()):
        problems["deepest_ah"] = "Type at least one figure of its page."
    if problems:
        raise InvalidInput(problems)
    return OwnHistory(**{key: math.nan if value is None else value for key, value in given.items()})


def judge(own: OwnHistory, beside: Beside) -> list[OwnRemark]:
    """What a monitor's own history says of battery, settings and use, worst first.

    Args:
        own: as typed.
        beside: what it is held against.
    """
    remarks = [
        *_depths(own, beside),
        *_volts(own, beside),
        *_fulls(own, beside),
        *_against_log(own, beside),
        *_since_last(own, beside.before),
    ]
    order = {"stop": 0, "fix": 1, "advise": 2, None: 3}
    return sorted(remarks, key=lambda remark: order[remark.level])


def _depths(own: OwnHistory, beside: Beside) -> list[OwnRemark]:
    found = []
    capacity = beside.capacity_ah
    if own.deepest_ah > 1.02 * capacity:
        found.append(
            OwnRemark(
                "fix",
                f"Deepest {own.deepest_ah:g} Ah is more than the whole battery of {capacity:g} Ah: its "
                "capacity is set too small, or the count ran on for weeks without a full.",
            )
        )
    elif own.deepest_ah > 0.0 and capacity > 0.0:
        share = 100.0 * own.deepest_ah / capacity
        level: Level | None = "advise" if share > 85.0 else None
        found.append(OwnRemark(level, f"Deepest {own.deepest_ah:g} Ah, {share:.0f} % of the battery."))
    for name, value in (("last", own.last_ah), ("average", own.mean_ah)):
        if value > own.deepest_ah:
            found.append(
                OwnRemark(
                    "advise", f"The {name} of {value:g} Ah is deeper than the deepest: read both again."
                )
            )
    return found


def _volts(own: OwnHistory, beside: Beside) -> list[OwnRemark]:
    lead = beside.chemistry.is_lead
    found = []
    if own.low_v < FLAT_V[lead] * beside.cells:
        found.append(
            OwnRemark(
                "fix",
                f"Lowest {own.low_v:g} V is under {FLAT_TOLD[lead]} a cell: it was drawn flat. Charge at "
                "once whenever that happens, and let the cut-off open earlier.",
            )
        )
    harm_v = beside.chemistry.harm_v * beside.cells
    if own.high_v > harm_v + 1e-9:
        found.append(
            OwnRemark(
                "fix",
                f"Highest {own.high_v:g} V passes the {harm_v:.1f} V this battery must not: find the charger "
                "that did it.",
            )
        )
    return found


def _fulls(own: OwnHistory, beside: Beside) -> list[OwnRemark]:
    found = []
    if own.fulls == 0.0 and own.total_ah > FEW_CYCLES * beside.capacity_ah:
        found.append(
            OwnRemark(
                "fix",
                f"Never full in {own.total_ah:g} Ah: its percentage rests on nothing. See whether its "
                "numbers can be met, then charge until full.",
            )
        )
    if own.since_full_days > LONG_DAYS:
        found.append(
            OwnRemark("advise", f"Not full for {own.since_full_days:g} days: charge until full first.")
        )
    return found


def _against_log(own: OwnHistory, beside: Beside) -> list[OwnRemark]:
    if math.isnan(own.total_ah) or math.isnan(beside.logged_ah) or beside.logged_ah <= 0.0:
        return []
    said = f"{own.total_ah:g} Ah in all, {beside.logged_ah:.0f} Ah of them in the log"
    if own.total_ah < (1.0 - BESIDE) * beside.logged_ah:
        return [
            OwnRemark(
                "advise",
                f"{said.replace(' of them', '')}: it was cleared since, lost its supply, or its amps are not "
                "those of the log.",
            )
        ]
    return [OwnRemark(None, f"{said}.")]


def _since_last(own: OwnHistory, before: OwnHistory | None) -> list[OwnRemark]:
    """What changed since it was typed last."""
    if before is None:
        return []
    more = own.total_ah - before.total_ah
    if more < 0.0:
        return [OwnRemark("advise", "It has counted less than last time: its history was cleared between.")]
    return [OwnRemark(None, f"{more:g} Ah since it was read last.")] if more > 0.0 else []
