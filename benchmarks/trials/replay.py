"""The recommended numbers held against days they were not simulated with.

A healthy rig of the independent simulator is described as the Survey would describe it, the numbers
recommended for that description are counted over its log, and the count is held against the true charge.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from benchmarks.trials.independent import Draft, Outside, outside
from tests.core.path.rigs import analysed, bank, sound
from volnik.core.arrays import Floats
from volnik.core.count.log import LogCounter, gap_limit_s
from volnik.core.numbers.reasons import noise_of, reasons, recommended_numbers
from volnik.core.numbers.recommend import recommend
from volnik.core.numbers.schools import school_points
from volnik.core.rig.devices import Device
from volnik.core.rig.use import Use
from volnik.core.settings import Numbers
from volnik.core.shelf.schools import SCHOOLS
from volnik.core.simulation.vehicle import Vehicle, vehicle_of

DAYS = 42
SEED = 7000  # no threshold was set on seeds from here
FULL, EARLY = 0.97, 0.95  # true charge that is full; under which a reset came too early
USUAL_V = 13.0  # of a 12 V bank under its loads
DRIVES = Use(drive_days=3, drive_h=1.5, shore_nights=3)  # as often as the simulator's chargers run
FRESH_S = 3.0 * 86400.0
RIGS = 60
CHEMISTRIES_TRIED = ("lfp", "agm", "gel", "flooded")
DOC = Path(__file__).parents[2] / "docs" / "domain" / "trials_replay.md"
HEAD = (
    "chemistry",
    "recommended",
    "resets too early",
    "two resets a month",
    "error, %",
    "nine of ten under, %",
    "with weeks not full, %",
    "nine of ten under, %",
)
TEXT = """# Trials of the recommended numbers

Written by `make trials` (benchmarks/trials/replay.py): {rigs} healthy rigs a chemistry, {days} days each,
of the independent simulator. Each is described as the Survey would describe it, and the numbers recommended
for that description, before any log, are counted over its log. Too early: below 95 % of true charge. Error:
root mean square of the count against the true charge, of readings up to three days after a full reset, the
middle rig and nine of ten; then of all readings: in weeks without a full charge the custom in efficiency and
exponent adds up, 1 to 2 % a day on lithium and 4 to 6 on lead, until they are set by the bank's own log.

{table}
"""
KINDS = {"solar": "solar", "mains": "mains", "engine": "dcdc"}


@dataclass(frozen=True, slots=True)
class Replayed:
    """What came of a rig: whether anything is recommended, resets and those too early, times it was full,
    root mean square error of the count [0..1] of readings up to three days after a full reset, and of all;
    NaN without any.
    """

    chemistry: str
    stands: bool
    resets: int
    early: int
    filled: int
    error: float
    whole_error: float


def described(rig: Draft) -> Vehicle:
    """The rig as the Survey would tell it.

    Args:
        rig: as it was drawn.
    """
    devices = (*_loads(rig), *_chargers(rig))
    held = bank(rig.chemistry, rig.blocks, 1, rig.cap)  # type: ignore[no-untyped-call]
    plan = analysed(sound(devices, held))  # type: ignore[no-untyped-call]
    warm_c = float(np.mean(rig.warm))
    use = DRIVES.changed(summer_c=warm_c + 4.0, winter_c=warm_c - 4.0)
    return vehicle_of(plan, use=use, latitude=45.0)


def _loads(rig: Draft) -> Iterator[Device]:
    for name, watts in rig.loads.items():
        on = watts > 0.0
        amps = float(watts.max()) * rig.scale / USUAL_V
        yield Device(id=name, kind="load", name=name, current_a=round(amps, 2), duty=float(on.mean()))


def _chargers(rig: Draft) -> Iterator[Device]:
    float_v = (13.6 if rig.lead else 13.5) * rig.blocks
    for name, most in zip(rig.names, rig.most, strict=True):
        amps = round(float(most.max()), 1)
        yield Device(
            id=name,
            kind=KINDS[name],
            name=name,
            most_a=amps,
            absorption_v=round(rig.absorb * rig.blocks, 1),
            float_v=float_v,
            panel_w=round(amps * USUAL_V * rig.blocks) if name == "solar" else None,
        )


def numbers_for(rig: Draft, log: Outside) -> Numbers | None:
    """The recommended numbers, None where nothing is recommended.

    Args:
        rig: as it was drawn.
        log: of it, for what the meter's noise is.
    """
    vehicle = described(rig)
    found = recommend(vehicle, holds=(vehicle.chemistry.hold_s,))
    if not found.stands:
        return None
    why = reasons(vehicle, found, school_points(vehicle, SCHOOLS), noise_a=noise_of(log.readings.amps))
    return recommended_numbers(vehicle, why)


def replayed(seed: int, chemistry: str) -> Replayed:
    """One rig, its numbers and what they make of its log."""
    rig = Draft.drawn(seed, chemistry, DAYS)
    log = outside(seed, chemistry, days=DAYS)
    numbers = numbers_for(rig, log)
    truth = np.minimum(log.charge, 1.0)
    filled = int(np.sum((truth[1:] >= FULL) & (truth[:-1] < FULL)))
    if numbers is None:
        return Replayed(chemistry, False, 0, 0, filled, float("nan"), float("nan"))
    times = log.readings.time_s
    counter = LogCounter.opened(numbers)
    made = counter.feed(times, log.readings.volts, log.readings.amps, gap_s=gap_limit_s(times))
    at = np.searchsorted(times, [reset.time_s for reset in made.resets]).clip(0, len(times) - 1)
    off = truth - (1.0 - made.deficit_ah / numbers.capacity_ah)
    latest = np.searchsorted(at, np.arange(len(times)), side="right") - 1
    fresh = (latest >= 0) & (times - times[at[latest]] < FRESH_S)
    early = int(np.sum(truth[at] < EARLY))
    return Replayed(chemistry, True, len(at), early, filled, _rms(off[fresh]), _rms(off))


def _rms(off: Floats) -> float:
    known = off[np.isfinite(off)]
    return float(np.sqrt(np.mean(known**2))) if len(known) else float("nan")


def lines(made: list[Replayed]) -> list[str]:
    """What came of them, a row a chemistry.

    Args:
        made: of all chemistries.
    """
    found = ["| " + " | ".join(HEAD) + " |", "|" + "---|" * len(HEAD)]
    for chemistry in CHEMISTRIES_TRIED:
        some = [each for each in made if each.chemistry == chemistry]
        set_up = [each for each in some if each.stands]
        fresh, whole = (
            100.0 * np.array([getattr(each, name) for each in set_up]) for name in ("error", "whole_error")
        )
        often = sum(each.resets >= 2 * DAYS / 30 for each in set_up)
        cells = (
            chemistry,
            f"{len(set_up)} of {len(some)}",
            f"{sum(each.early for each in set_up)} of {sum(each.resets for each in set_up)}",
            f"{often} of {len(set_up)}",
            f"{np.nanmedian(fresh):.1f}",
            f"{np.nanquantile(fresh, 0.9):.1f}",
            f"{np.nanmedian(whole):.1f}",
            f"{np.nanquantile(whole, 0.9):.1f}",
        )
        found.append("| " + " | ".join(cells) + " |")
    return found


def main() -> None:
    """`make trials`, this part of it: writes docs/domain/trials_replay.md."""
    asked = [(SEED + at, chemistry) for chemistry in CHEMISTRIES_TRIED for at in range(RIGS)]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        made = list(pool.map(replayed, *zip(*asked, strict=True)))
    DOC.write_text(TEXT.format(rigs=RIGS, days=DAYS, table="\n".join(lines(made))), encoding="utf-8")
    print("\n".join(lines(made)))  # noqa: T201 - a command's answer


if __name__ == "__main__":
    main()
