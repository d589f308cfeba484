"""The amp ledger: coulomb counting told as book-keeping since the count was last set."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.count.state import CountState


@dataclass(frozen=True, slots=True)
class Ledger:
    """What moved the count between two states [Ah, Wh].

    The lines balance: brought + out + peukert + efficiency + clamp - in = balance.
    """

    brought_ah: float
    out_ah: float
    peukert_ah: float
    in_ah: float
    efficiency_ah: float
    clamp_ah: float
    balance_ah: float
    in_wh: float
    out_wh: float

    @property
    def known(self) -> bool:
        """Whether the balance is known."""
        return not math.isnan(self.balance_ah)


def ledger(opening: CountState, now: CountState) -> Ledger:
    """The ledger from one state of a count to a later one, with no setting of the count between them.

    Args:
        opening: where the ledger begins.
        now: where it ends.
    """
    return Ledger(
        brought_ah=opening.deficit_ah,
        out_ah=now.out_ah - opening.out_ah,
        peukert_ah=now.peukert_loss_ah - opening.peukert_loss_ah,
        in_ah=now.in_ah - opening.in_ah,
        efficiency_ah=now.efficiency_loss_ah - opening.efficiency_loss_ah,
        clamp_ah=now.clamp_ah - opening.clamp_ah,
        balance_ah=now.deficit_ah,
        in_wh=now.in_wh - opening.in_wh,
        out_wh=now.out_wh - opening.out_wh,
    )
