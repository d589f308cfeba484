"""Second opinions: several counters' percentages weighed by the Ah each counts, beside the shunt's.

Source: docs/domain/opinions.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from volnik.core.values import Plain

STALE_DAYS = (
    14.0  # a counter that was not full for so long has drifted; source: trade practice, twice a month
)
DRIFT_A_DAY = 0.004  # of charge a day since its last full; source: estimate
AT_FULL = 0.02
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
        doubt: of it [0..1].
        whole: whether their Ah add up to the bank's.
        off: shunt's charge less theirs [0..1], NaN when the shunt's is unknown.
        agree: whether the two bands meet.
        imbalance: greatest less least of the strings [0..1].
        share_off: how far the largest share of current is from its part of the Ah, NaN without amps.
        told: sentences, gravest first.
    """

    each: tuple[Weighed, ...]
    soc: float
    uncertainty: float
    whole: bool
    off: float
    agree: bool
    imbalance: float
    share_off: float
    message: tuple[str, ...]


def reconcile(
    opinions: list[Opinion], *, bank_ah: float, shunt_soc: float, shunt_half: float, at_s: float
) -> Reconciled:
    """Weigh several counters against the shunt: Σ soc·Ah / Σ Ah, each dated by its last full.

    Raises:
        ValueError: without any opinion.
    """
    if not opinions:
        raise ValueError("there is no opinion to weigh")
    total = sum(opinion.capacity_ah for opinion in opinions)
    soc = sum(opinion.soc_pct / 100.0 * opinion.capacity_ah for opinion in opinions) / total
    amps = sum(opinion.amps or 0.0 for opinion in opinions)
    has_amps = all(opinion.amps is not None for opinion in opinions) and abs(amps) > 1.0
    each = []
    for opinion in opinions:
        days = math.nan if opinion.full_s is None else max(0.0, (at_s - opinion.full_s) / 86400.0)
        uncertainty = AT_FULL + DRIFT_A_DAY * (2.0 * STALE_DAYS if math.isnan(days) else days)
        each.append(
            Weighed(opinion, days, uncertainty, (opinion.amps or 0.0) / amps if has_amps else math.nan)
        )
    # Counters of one make drift alike: their doubts do not average out.
    uncertainty = sum(opinion.uncertainty * opinion.opinion.capacity_ah for opinion in each) / total
    off = math.nan if math.isnan(shunt_soc) else shunt_soc - soc
    agree = not math.isnan(off) and abs(off) <= uncertainty + shunt_half
    socs = [opinion.soc_pct / 100.0 for opinion in opinions]
    imbalance = max(socs) - min(socs)
    share_off = (
        max((abs(opinion.share - opinion.opinion.capacity_ah / total) for opinion in each), default=math.nan)
        if has_amps
        else math.nan
    )
    return Reconciled(
        tuple(each),
        soc,
        uncertainty,
        abs(total / bank_ah - 1.0) < 0.1,
        off,
        agree,
        imbalance,
        share_off,
        tuple(_words(each, total, bank_ah, off, agree, imbalance, share_off, shunt_half)),
    )


def _words(
    each: list[Weighed],
    total: float,
    bank_ah: float,
    off: float,
    agree: bool,
    imbalance: float,
    share_off: float,
    half: float,
) -> list[str]:
    message = []
    if abs(total / bank_ah - 1.0) >= 0.1:
        message.append(
            f"They count {total:.0f} Ah together, the bank holds {bank_ah:.0f} Ah: a string is "
            "missing here, or its Ah are set wrongly."
        )
    stale = [opinion for opinion in each if math.isnan(opinion.days) or opinion.days > STALE_DAYS]
    if stale:
        message.append(
            f"{', '.join(opinion.opinion.name for opinion in stale)} {'has' if len(stale) == 1 else 'have'} "
            "not been full for a fortnight, or nobody knows when: a drifted counter is no witness."
        )
    if not math.isnan(off):
        message.append(
            f"The shunt stands {100 * abs(off):.0f} points {'above' if off > 0 else 'below'} them: "
            + (
                "inside what both can be off by."
                if agree
                else (
                    "more than both can be off by. Fill the bank, reset all at once, and compare again; "
                    "until then the shunt on the whole bank is the one to go by."
                )
            )
        )
    if imbalance > SPREAD * max(opinion.uncertainty for opinion in each):
        message.append(
            f"The strings stand {100 * imbalance:.0f} points apart: one works harder, or its counter "
            "was reset elsewhere. The nearest to the shunt is not therefore right."
        )
    if share_off == share_off and share_off > 0.1:
        worst = max(each, key=lambda opinion: abs(opinion.share - opinion.opinion.capacity_ah / total))
        message.append(
            f"{worst.opinion.name} carries {100 * worst.share:.0f} % of the current with "
            f"{100 * worst.opinion.capacity_ah / total:.0f} % of the Ah: look at its leads and "
            "joints."
        )
    return message
