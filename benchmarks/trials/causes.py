"""The check-up on two families of rigs that share no law, each fault from the start and part-way.

`make trials` runs it at length and writes docs/domain/trials_causes.md; `make bench` runs it short. A fault
counts only where it does harm: a setting that leaves the count within 1.5 % of the truth is none.
"""

from __future__ import annotations

import argparse
import multiprocessing
import time
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from benchmarks.trials import independent
from benchmarks.trials.rigs import FAULTS, Trial, trial
from volnik.core.count.log import LogCounter, gap_limit_s
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.watch.checkup.facts import KnownLoad, RigFacts
from volnik.core.watch.checkup.registry import checkup

DOC = Path(__file__).parents[2] / "docs" / "domain" / "trials_causes.md"
SEED = 5000  # what was set, was set on seeds below 900 of both simulators
CHEMISTRIES = {"own": ("lfp", "flooded", "agm", "gel"), "independent": ("lfp", "flooded", "agm", "gel")}
FAULTS_OF = {"own": FAULTS, "independent": independent.FAULTS}
PARTLY = independent.PARTLY
STARTS_LATE = {"own": tuple(each for each in PARTLY if each != "sense_restarts"), "independent": PARTLY}
HARMS = 0.015  # mean error of the count, from which a wrong setting is one
SETTINGS = ("early_resets", "efficiency", "dead_band")
DATED_S = 2.0 * 86_400.0
GOALS = {("lfp", False): 0.85, ("lead", False): 0.65, ("lfp", True): 0.70, ("lead", True): 0.50}
MOST_ACCUSED, MOST_WRONG = 0.005, 0.02


@dataclass(frozen=True, slots=True)
class Log:
    """A log with what is wrong in it: its truth [0..1], and when the fault began [s]."""

    readings: Readings
    numbers: Numbers
    plan: RigFacts
    charge: np.ndarray
    begun_s: float


@dataclass(frozen=True, slots=True)
class Asked:
    """One trial: which rig, what is wrong, whether from part-way on."""

    family: str
    seed: int
    chemistry: str
    fault: str
    partly: bool


@dataclass(frozen=True, slots=True)
class Answer:
    """What the check-up said first: the cause, "" for none; whether its date is right; harmless or not."""

    asked: Asked
    named: str
    dated: bool
    harmless: bool


def plan_of(item: Trial) -> RigFacts:
    """What the Survey would tell of a trial rig."""
    loads = tuple(KnownLoad(load.name, load.amps, load.way == "cycling") for load in item.loads)
    return RigFacts(item.chemistry, item.cells, loads, (item.absorption_v,), item.sources)


def drawn(asked: Asked) -> Log:
    """The log that is asked for."""
    if asked.family == "independent":
        rig = independent.outside(asked.seed, asked.chemistry, asked.fault, partly=asked.partly)
        return Log(rig.readings, rig.numbers, rig.plan, rig.charge, rig.begun_s)
    item = trial("apart", asked.seed, asked.chemistry, asked.fault)
    readings, begun_s = item.readings, float(item.readings.time_s[0])
    if asked.partly:  # the same seed without the fault is the same rig
        whole = trial("apart", asked.seed, asked.chemistry).readings
        share = 0.4 + 0.25 * (asked.seed % 7) / 6.0
        begun_s = float(readings.time_s[int(share * len(readings))])
        readings = joined(whole, readings, begun_s)
    return Log(readings, item.numbers, plan_of(item), item.charge, begun_s)


def joined(first: Readings, then: Readings, at_s: float) -> Readings:
    """One log until an instant, and another from it on."""
    before, after = first.time_s < at_s, then.time_s >= at_s
    extra = {
        name: np.concatenate((first.extra[name][before], then.extra[name][after]))
        for name in first.extra
        if name in then.extra
    }
    return Readings(
        np.concatenate((first.time_s[before], then.time_s[after])),
        np.concatenate((first.volts[before], then.volts[after])),
        np.concatenate((first.amps[before], then.amps[after])),
        extra,
    )


def answered(asked: Asked) -> Answer:
    """Ask the check-up."""
    log = drawn(asked)
    harmless = asked.fault in SETTINGS and _error(log) < HARMS
    causes = [] if harmless else checkup(log.readings, numbers=log.numbers, plan=log.plan).causes
    first = causes[0] if causes else None
    since_s = None if first is None else first.since_s
    dated = since_s is not None and abs(since_s - log.begun_s) <= DATED_S
    return Answer(asked, "" if first is None else first.cause, dated, harmless)


def _error(log: Log) -> float:
    """How far the count strays from the truth, in the mean [0..1]."""
    readings, numbers = log.readings, log.numbers
    counter = LogCounter.opened(numbers)
    made = counter.feed(readings.time_s, readings.volts, readings.amps, gap_s=gap_limit_s(readings.time_s))
    soc = 1.0 - made.deficit_ah / numbers.capacity_ah
    return float(np.nanmean(np.abs(np.minimum(log.charge, 1.0) - soc)))


def asked(per_cell: int, healthy: int, families: Iterable[str], seed: int = SEED) -> list[Asked]:
    """All trials: `healthy` rigs a chemistry, `per_cell` of each fault, chemistry and way to begin."""
    found = []
    for family in families:
        for chemistry in CHEMISTRIES[family]:
            found += [Asked(family, seed + at, chemistry, "", False) for at in range(healthy)]
            for fault in FAULTS_OF[family]:
                found += [Asked(family, seed + at, chemistry, fault, False) for at in range(per_cell)]
            for fault in STARTS_LATE[family]:
                found += [Asked(family, seed + at, chemistry, fault, True) for at in range(per_cell)]
    return found


@dataclass(frozen=True, slots=True)
class Score:
    """Of one family, kind of bank and way to begin: how many, named first, dated, wrong; as shares [0..1]."""

    family: str
    kind: str
    partly: bool
    count: int
    first: float
    dated: float
    wrong: float

    @property
    def goal(self) -> float:
        """What is wanted of it [0..1]."""
        return GOALS[self.kind, self.partly]

    @property
    def reached(self) -> bool:
        """Whether it is met: part-way the date must be right too."""
        return (self.dated if self.partly else self.first) >= self.goal and self.wrong <= MOST_WRONG


def tried(
    per_cell: int,
    healthy: int,
    families: Iterable[str] = ("own", "independent"),
    *,
    seed: int = SEED,
) -> list[Answer]:
    """Every trial, on as many processors as there are."""
    with multiprocessing.Pool(multiprocessing.cpu_count()) as pool:
        return pool.map(answered, asked(per_cell, healthy, families, seed), chunksize=4)


def scores(answers: list[Answer]) -> list[Score]:
    """How well each family, kind and way to begin was judged."""
    families = dict.fromkeys(each.asked.family for each in answers)
    return [
        _score(answers, family, kind, partly=partly)
        for family in families
        for kind in ("lfp", "lead")
        for partly in (False, True)
    ]


def _score(answers: list[Answer], family: str, kind: str, *, partly: bool) -> Score:
    some = [each for each in answers if each.asked.family == family and each.asked.partly == partly]
    some = [each for each in some if each.asked.fault and not each.harmless and _kind(each) == kind]
    right = [each for each in some if each.named == each.asked.fault]
    wrong = sum(bool(each.named) and each.named != each.asked.fault for each in some)
    count = max(1, len(some))
    dated = sum(each.dated for each in right) / count
    return Score(family, kind, partly, len(some), len(right) / count, dated, wrong / count)


def _kind(answer: Answer) -> str:
    return "lfp" if answer.asked.chemistry == "lfp" else "lead"


def accused(answers: list[Answer]) -> tuple[int, int]:
    """Healthy logs accused, and healthy logs in all."""
    some = [each for each in answers if not each.asked.fault]
    return sum(bool(each.named) for each in some), len(some)


def lines(answers: list[Answer]) -> list[str]:
    """The tables."""
    wrongly, healthy = accused(answers)
    share = 100 * wrongly / max(1, healthy)
    said = [
        f"Healthy logs accused: {wrongly} of {healthy}, {share:.2f} % (goal 0.5 %).",
        "",
        "| family | bank | begins | logs | named first | dated within two days | wrong cause first | goal |",
        "|---|---|---|---|---|---|---|---|",
    ]
    said += [
        f"| {each.family} | {each.kind} | {'part-way' if each.partly else 'at the start'} | {each.count} | "
        f"{100 * each.first:.0f} % | {f'{100 * each.dated:.0f} %' if each.partly else ''} | "
        f"{100 * each.wrong:.1f} % | {100 * each.goal:.0f} %{'' if each.reached else ', missed'} |"
        for each in scores(answers)
    ]
    for family in dict.fromkeys(each.asked.family for each in answers):
        for partly in (False, True):
            said += ["", *_confusion(answers, family, partly=partly)]
    return said


def _confusion(answers: list[Answer], family: str, *, partly: bool) -> list[str]:
    """What was wrong, and what was named first."""
    some = [
        each
        for each in answers
        if each.asked.family == family and each.asked.partly == partly and not each.harmless
    ]
    faults = list(dict.fromkeys(each.asked.fault for each in some))
    columns = [*dict.fromkeys(each.named for each in some if each.named), ""]
    title = "begun part-way" if partly else "from the start"
    said = [
        f"### {family}, {title}",
        "",
        "| | " + " | ".join((each or "nothing").replace("_", " ") for each in columns) + " | of: lfp, lead |",
        "|---" * (len(columns) + 2) + "|",
    ]
    return [*said, *(_line(some, fault, columns) for fault in faults)]


def _line(some: list[Answer], fault: str, columns: list[str]) -> str:
    """Of one fault, what was named first."""
    own = [each for each in some if each.asked.fault == fault]
    counts = Counter(each.named for each in own)
    shares = []
    for kind in ("lfp", "lead"):
        part = [each for each in own if _kind(each) == kind]
        shares.append(f"{sum(each.named == fault for each in part)}/{len(part)}")
    cells = " | ".join(str(counts[each] or "") for each in columns)
    return f"| {(fault or 'healthy').replace('_', ' ')} | {cells} | {', '.join(shares)} |"


def write(answers: list[Answer], per_cell: int, took_s: float) -> None:
    """The document."""
    head = [
        "# Trials of the check-up",
        "",
        f"Written by `make trials` (benchmarks/trials/causes.py): {per_cell} logs a fault, chemistry and way "
        f"to begin, {len(answers)} in all, in {took_s / 60:.0f} min. Rows what was wrong, columns what was "
        "named first.",
        f"Seeds from {SEED}; thresholds were set on seeds below 900 of both simulators. What the product's "
        "own draws is its family “apart”.",
        "",
    ]
    DOC.write_text("\n".join([*head, *lines(answers)]) + "\n", encoding="utf-8")


def main() -> None:
    """`make trials`."""
    asking = argparse.ArgumentParser()
    asking.add_argument("--cell", type=int, default=200)
    asking.add_argument("--healthy", type=int, default=75)
    asking.add_argument("--seed", type=int, default=SEED, help="another than the default writes no document")
    given = asking.parse_args()
    begun = time.perf_counter()
    answers = tried(given.cell, given.healthy, seed=given.seed)
    if given.seed == SEED:
        write(answers, given.cell, time.perf_counter() - begun)
    print("\n".join(lines(answers)))  # noqa: T201 - a command's answer


if __name__ == "__main__":
    main()
