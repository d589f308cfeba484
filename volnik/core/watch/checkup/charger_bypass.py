"""A charger that bypasses the shunt.

The bank is filled again and again by charge that was never seen to go in.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.watch.checkup import zero_offset
from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Bools, Facts

SHORT = 0.5  # in over out from full to full: half is missing, no other cause does that; source: trials
PARTLY = 0.88  # below it one charger of several may be missing; source: trials
HOLDS_NEVER, LITTLE_IN = 2.0, 0.3  # of the capacity as set, more than any holds; of what went out
NEVER_IN = 0.01  # of the time amps go in: nothing that charges is seen
HELD_OUT = 0.25  # of the time at charging volts that a draw is shown; loads and a charger at once show less
LEAST_HELD = 3  # bins: fewer may be a surge while the charger ramps up
PART_A = {"lfp": 0.35, "lead": 0.65}  # below it a zero that is off makes the same picture
DRAWN_SHARE = 0.003  # of capacity, [A]: what is drawn at charging volts beyond a lamp
LEAST_DRAWN_A = 0.3  # and never less, for noise and a zero that is off


def held_while_drawn(facts: Facts) -> tuple[Bools, Bools]:
    """Bins in which the bank is held at charging volts, and of these the ones in which the shunt shows a
    lasting draw, shape (m,) each.

    A bank cannot be held there while it is drawn from: something gives what the shunt does not see.

    Args:
        facts: what the log gives to look at.
    """
    bins = facts.bins
    level = (
        facts.charging_v + 0.1 if np.isnan(facts.full_v) else max(facts.charging_v + 0.1, facts.full_v - 0.35)
    )
    held = bins.volts >= level
    drawn = held & (bins.amps < -max(LEAST_DRAWN_A, DRAWN_SHARE * facts.capacity_ah))
    lasting = drawn & (np.concatenate(([False], drawn[:-1])) | np.concatenate((drawn[1:], [False])))
    return held, lasting


@dataclass(frozen=True, slots=True)
class _Signs:
    """What speaks for charge that comes in unseen.

    Attributes:
        plain: far less came in than went out.
        one_of_several: a draw stands while charging volts hold.
        part: more went out than came in, and no shift of the zero explains it.
        silent: hardly anything ever goes in.
    """

    plain: bool
    one_of_several: bool
    part: bool
    silent: bool

    @property
    def any(self) -> bool:
        """Whether one of them speaks."""
        return self.plain or self.one_of_several or self.part or self.silent


def check(facts: Facts) -> Outcome:
    """In over out from full to full; amps that hardly ever go in; held at charging volts while drawn from.

    Args:
        facts: what the log gives to look at.
    """
    held, drawn = held_while_drawn(facts)
    enough = facts.out_ah > 0.05 * facts.capacity_ah
    if facts.net_out_ah > HOLDS_NEVER * facts.capacity_ah and _hardly_in(facts):
        return _more_than_it_holds(facts)
    if not enough and drawn.sum() < LEAST_HELD:
        unsure = Unsure("charger_bypass", "The log does not lead from one full charge to another.")
        return unsure if len(facts.fulls) < 2 else None
    share = float(drawn.sum() / max(1, held.sum()))
    ratio = facts.in_ah / facts.out_ah if facts.out_ah > 0 else 1.0
    missing_a = (facts.out_ah - 0.99 * facts.in_ah) / facts.cycle_h if facts.cycle_h > 0 else 0.0
    signs = _signs(facts, drawn, share, ratio, missing_a) if enough else _Signs(False, False, False, False)
    if not signs.any:
        return None
    strength = 0.55 + 0.32 * signs.plain + 0.1 * signs.part + 0.15 * (share > HELD_OUT) + 0.15 * signs.silent
    return Cause(
        "charger_bypass",
        min(0.98, strength),
        f"From one full charge to the next {facts.out_ah:.0f} Ah went out and only {facts.in_ah:.0f} "
        "Ah were seen to come in; "
        f"{100 * share:.0f} % of the time at charging volts the shunt shows a draw. About "
        f"{missing_a * 24:.0f} Ah a day come in unseen.",
        "Switch on each charger in turn at a steady load: does the shunt see its amps? Begin with "
        "the one that runs when the marked stretches were.",
        "A charger whose amps the shunt sees is cleared.",
        {},
        _marks(facts, drawn),
        {"missing_ah_day": missing_a * 24.0, "in_over_out": ratio, "held_share": share},
    )


def _hardly_in(facts: Facts) -> bool:
    """Whether next to nothing was seen to come in, of what was seen to go out."""
    went_in = float((np.maximum(facts.readings.amps, 0.0) * facts.hours).sum())
    return went_in < LITTLE_IN * (facts.net_out_ah + went_in)


def _more_than_it_holds(facts: Facts) -> Cause:
    """More went out than any bank of that name holds: it was charged, unseen."""
    times = facts.net_out_ah / facts.capacity_ah
    return Cause(
        "charger_bypass",
        0.85,
        f"{facts.net_out_ah:.0f} Ah more went out than were seen to come in, {times:.1f} times the "
        f"{facts.capacity_ah:.0f} Ah set: it is charged, and the shunt does not see it.",
        "Switch on each charger in turn at a steady load: does the shunt see its amps?",
        "A charger whose amps the shunt sees is cleared; a capacity set to under half of the real one too.",
        {},
        (),
        {
            "missing_ah_day": facts.net_out_ah / max(facts.days_read, 1.0),
            "in_over_out": 0.0,
            "held_share": 0.0,
        },
    )


def _signs(facts: Facts, drawn: Bools, share: float, ratio: float, missing_a: float) -> _Signs:
    """Weigh a log in which enough went out."""
    shift, steady = zero_offset.held_current(facts)
    like_shift = steady and abs(shift + missing_a) < max(0.25, 0.4 * missing_a)
    held_out = share > HELD_OUT and drawn.sum() >= LEAST_HELD and _moves(facts, drawn) and not like_shift
    # More out than in by far, and no shift of the zero that would explain it: one charger of several is not
    # seen.
    much = missing_a > PART_A[facts.kind] and len(facts.whole_cycles) >= 2 and not like_shift
    went_in = float(np.mean(facts.readings.amps > 0.005 * facts.capacity_ah))
    return _Signs(
        # A zero that is off by a lot makes that picture too, where a charger is seen to charge.
        plain=ratio < SHORT and missing_a > 0.3 and not (like_shift and went_in >= NEVER_IN),
        one_of_several=held_out and missing_a > 0.25 and ratio < 0.92,
        part=much and ratio < PARTLY,
        silent=went_in < NEVER_IN and len(facts.fulls) >= 2,
    )


def _moves(facts: Facts, drawn: Bools) -> bool:
    """Whether the draw swings, as one does that a charger would take over.

    A mere shift of the zero does not.
    """
    if not drawn.any():
        return False
    swings = float(np.median(facts.bins.sway_a[drawn]))
    return swings > max(3.0 * facts.noise_a, 0.1) or float(np.ptp(facts.bins.amps[drawn])) > 1.0


def _marks(facts: Facts, chosen: Bools) -> tuple[Mark, ...]:
    starts = facts.bins.start_s[chosen]
    marks: list[Mark] = []
    for start in starts:
        if marks and start - marks[-1].end_s < 3600.0:
            marks[-1] = Mark(marks[-1].start_s, float(start) + 600.0, marks[-1].word)
        else:
            marks.append(Mark(float(start), float(start) + 600.0, "charging volts, yet amps go out"))
    longest = sorted(marks, key=lambda mark: mark.start_s - mark.end_s)[:12]
    return tuple(sorted(longest, key=lambda mark: mark.start_s))
