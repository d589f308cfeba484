"""Second opinions: several counters' percentages weighed by the Ah each counts, beside the shunt's.

Source: docs/domain/opinions.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Annotated

from pydantic import Field

from volnik.core.values import Plain

STALE_DAYS = (
    14.0  # a counter that was not full for so long has drifted; source: trade practice, twice a month
)
DRIFT_A_DAY = 0.004  # of charge a day since its last full; source: estimate
AT_FULL = 0.02  # of capacity: what two counters may differ by at full; source: estimate
FAR_APART = 0.2  # of charge: remarked whatever their age; source: the shop's judgement
SPREAD = 1.5  # strings that share well do not part by more than this many times their own doubt


class Opinion(Plain):
    """What one counter says: whose, charge [%], Ah it counts, when it was last full [s since 1970] or None,
    amps through it or None [A].
    """

    name: Annotated[str, Field(min_length=1, max_length=60)]
    soc_pct: Annotated[float, Field(ge=0, le=100)]
    capacity_ah: Annotated[float, Field(gt=0, le=100_000)]
    full_s: float | None = None
    amps: Annotated[float, Field(ge=-5000, le=5000)] | None = None


@dataclass(frozen=True, slots=True)
class Weighed:
    """One counter weighed: the opinion, days since its last full (NaN unknown), its doubt [0..1], its share
    of the current or NaN.
    """

    opinion: Opinion
    days: float
    uncertainty: float
    share: float


@dataclass(frozen=True, slots=True)
class Reconciled:
    """All of them together.

    Attributes:
        each: by name.
        soc: weighed by Ah [0..1].
        uncertainty: of it [0..1].
        whole: whether their Ah add up to the bank's.
        off: shunt's charge less theirs [0..1], NaN when the shunt's is unknown.
        agree: whether the two bands meet.
        imbalance: greatest less least of the strings [0..1].
        share_off: how far the largest share of current is from its part of the Ah, NaN without amps.
        sentences: what follows, gravest first.
    """

    each: tuple[Weighed, ...]
    soc: float
    uncertainty: float
    whole: bool
    off: float
    agree: bool
    imbalance: float
    share_off: float
    sentences: tuple[str, ...]


def reconcile(
    opinions: list[Opinion],
    *,
    bank_ah: float,
    shunt_soc: float,
    shunt_half: float,
    at_s: float,
    cut_out_pct: float | None = None,
    reserve_pct: float = math.nan,
) -> Reconciled:
    """Weigh several counters against the shunt: Σ soc·Ah / Σ Ah, each dated by its last full.

    Args:
        opinions: what each counter says.
        bank_ah: the whole bank's capacity [Ah].
        shunt_soc, shunt_half: the shunt's charge and half its band, 0..1; NaN while unknown.
        at_s: when they were read [s].
        cut_out_pct: charge at which the battery's own protection opens, by its own counter [%], or None.
        reserve_pct: as set; NaN while unknown [%].

    Raises:
        ValueError: without any opinion.
    """
    if not opinions:
        raise ValueError("there is no opinion to weigh")
    total = sum(opinion.capacity_ah for opinion in opinions)
    soc = sum(opinion.soc_pct / 100.0 * opinion.capacity_ah for opinion in opinions) / total
    each = _weighed(opinions, at_s)
    # Counters of one make drift alike: their doubts do not average out.
    uncertainty = sum(weighed.uncertainty * weighed.opinion.capacity_ah for weighed in each) / total
    off = math.nan if math.isnan(shunt_soc) else shunt_soc - soc
    socs = [opinion.soc_pct / 100.0 for opinion in opinions]
    found = Reconciled(
        each,
        soc,
        uncertainty,
        abs(total / bank_ah - 1.0) < 0.1,
        off,
        not math.isnan(off) and abs(off) <= uncertainty + shunt_half,
        max(socs) - min(socs),
        max(abs(weighed.share - weighed.opinion.capacity_ah / total) for weighed in each),
        (),
    )
    sentences = [*_words(found, total, bank_ah), _early_cut_out(found, cut_out_pct, reserve_pct)]
    return replace(found, sentences=tuple(filter(None, sentences)))


def _weighed(opinions: list[Opinion], at_s: float) -> tuple[Weighed, ...]:
    """Each counter with the days since it was full, what it may be off by, and its share of the current."""
    amps = sum(opinion.amps or 0.0 for opinion in opinions)
    has_amps = all(opinion.amps is not None for opinion in opinions) and abs(amps) > 1.0
    found = []
    for opinion in opinions:
        days = math.nan if opinion.full_s is None else max(0.0, (at_s - opinion.full_s) / 86400.0)
        uncertainty = AT_FULL + DRIFT_A_DAY * (2.0 * STALE_DAYS if math.isnan(days) else days)
        share = (opinion.amps or 0.0) / amps if has_amps else math.nan
        found.append(Weighed(opinion, days, uncertainty, share))
    return tuple(found)


def _words(found: Reconciled, total: float, bank_ah: float) -> list[str]:
    """What the comparison says, gravest first."""
    return [
        _missing_string(found, total, bank_ah),
        _stale(found.each),
        _against_shunt(found),
        _strings_apart(found),
        _uneven_current(found, total),
    ]


def _early_cut_out(found: Reconciled, cut_out_pct: float | None, reserve_pct: float) -> str:
    """What the disagreement means for the reserve: the battery opens by its own counter, not the shunt's."""
    if cut_out_pct is None or math.isnan(found.off) or math.isnan(reserve_pct):
        return ""
    opens = cut_out_pct + 100 * found.off
    if opens <= reserve_pct:
        return ""
    return (
        f"The battery switches itself off at {cut_out_pct:g} % by its own counter, when the shunt still says "
        f"{opens:.0f} %: above the reserve of {reserve_pct:g} %. Until they agree, keep {opens + 5:.0f} %."
    )


def _missing_string(found: Reconciled, total: float, bank_ah: float) -> str:
    if found.whole:
        return ""
    return (
        f"They count {total:.0f} Ah together, the battery holds {bank_ah:.0f} Ah: a string is "
        "missing here, or its Ah are set wrongly."
    )


def _stale(each: tuple[Weighed, ...]) -> str:
    stale = [weighed for weighed in each if math.isnan(weighed.days) or weighed.days > STALE_DAYS]
    if not stale:
        return ""
    names = ", ".join(weighed.opinion.name for weighed in stale)
    return (
        f"{names} {'has' if len(stale) == 1 else 'have'} not been full for a fortnight, or nobody "
        "knows when: "
        "a drifted counter is no witness."
    )


def _against_shunt(found: Reconciled) -> str:
    if math.isnan(found.off):
        return ""
    side = "above" if found.off > 0 else "below"
    if abs(found.off) >= FAR_APART:
        return (
            f"The shunt is {100 * abs(found.off):.0f} points {side} them: so far apart one of them is wrong, "
            "however old they are. Fill the battery, reset all at once, and compare again."
        )
    verdict = (
        "inside what both can be off by."
        if found.agree
        else "more than both can be off by. Fill the battery, reset all at once, and compare again; "
        "until then the shunt on the whole battery is the one to go by."
    )
    return f"The shunt is {100 * abs(found.off):.0f} points {side} them: {verdict}"


def _strings_apart(found: Reconciled) -> str:
    doubt = SPREAD * max(weighed.uncertainty for weighed in found.each)
    if found.imbalance <= min(doubt, FAR_APART - 1e-9):
        return ""
    return (
        f"The strings are {100 * found.imbalance:.0f} points apart: one works harder, or its counter "
        "was reset elsewhere. The nearest to the shunt is not therefore right."
    )


def _uneven_current(found: Reconciled, total: float) -> str:
    if math.isnan(found.share_off) or found.share_off <= 0.1:
        return ""
    worst = max(found.each, key=lambda weighed: abs(weighed.share - weighed.opinion.capacity_ah / total))
    return (
        f"{worst.opinion.name} carries {100 * worst.share:.0f} % of the current with "
        f"{100 * worst.opinion.capacity_ah / total:.0f} % of the Ah: look at its leads and "
        "joints."
    )
