"""The cases of Practice judge Volnik: check-up, questions, roll call and Path on each, as a table in docs.

`python -m benchmarks.practice` writes docs/domain/practice_trials.md; `make bench` does so too.
"""

from __future__ import annotations

import multiprocessing
import time
from collections import Counter
from pathlib import Path

from volnik.core.practice.cases import MOST_LEVEL, drawn
from volnik.core.practice.judged import PARTS, Word
from volnik.core.practice.lessons import LESSONS, seed_with
from volnik.core.practice.search import shortest

DOC = Path(__file__).parents[1] / "docs" / "domain" / "practice_trials.md"
BEGIN = 5000
A_CAUSE = 6
PAIRS = 24
WORDS: tuple[Word, ...] = ("right", "beside", "nothing", "wrong")
Row = tuple[str, int, int, dict[str, tuple[Word, str]], bool, float]


def judged(at: tuple[int, int]) -> Row:
    """What each part says of a case, whether the search that is shown solves it, and in how many minutes."""
    level, seed = at
    case = drawn(seed, level)
    said = {name: ((found := part(case)).verdict, found.named) for name, part in PARTS.items()}
    search = shortest(case)
    name = "two at once" if level == MOST_LEVEL else case.wrongs[0].cause
    return name, level, seed, said, search.left == {case.truth}, search.minutes


def chosen() -> list[tuple[int, int]]:
    """Level and number of each case: as many of each cause, and of two at once."""
    found = []
    for lesson in LESSONS:
        seed = BEGIN
        for _ in range(A_CAUSE):
            seed = seed_with(lesson.cause, MOST_LEVEL - 1, seed)
            found.append((MOST_LEVEL - 1, seed))
            seed += 1
    return found + [(MOST_LEVEL, BEGIN + at) for at in range(PAIRS)]


def table(rows: list[Row], took_s: float) -> list[str]:
    """The document."""
    solved = sum(row[4] for row in rows)
    minutes = [row[5] for row in rows]
    lines = [
        "# Volnik judged by the cases of Practice",
        "",
        f"Written by `make bench` (benchmarks/practice.py): {len(rows)} cases drawn at level 3 and 4 from "
        f"number {BEGIN} on, in {took_s:.0f} s.",
        "",
        f"The search that is shown ends in the truth, at its place, in {solved} of {len(rows)} of them, in "
        f"{sum(minutes) / len(rows):.0f} minutes in the mean and {max(minutes):.0f} at most.",
        "",
        "Each cell: named rightly, named what looks alike, silent, named wrongly; “–” where such a case is "
        "none of its business. The check-up reads the log alone; questions are answered by what is there; "
        "the roll call calls each device by the papers; Path judges the drawing as it really is.",
        "",
        "| what is wrong | " + " | ".join(PARTS) + " | soonest, min |",
        "|---" * (len(PARTS) + 2) + "|",
    ]
    for name in dict.fromkeys(row[0] for row in rows):
        own = [row for row in rows if row[0] == name]
        cells = (_cell(own, part) for part in PARTS)
        mean = sum(row[5] for row in own) / len(own)
        lines.append(f"| {name.replace('_', ' ')} | {' | '.join(cells)} | {mean:.0f} |")
    return [*lines, "", *_wrong(rows)]


def _cell(own: list[Row], part: str) -> str:
    counts = Counter(row[3][part][0] for row in own)
    asked = len(own) - counts["not asked"]
    return " / ".join(str(counts[word]) for word in WORDS) if asked else "–"


def _wrong(rows: list[Row]) -> list[str]:
    """Every case that Volnik misjudges: Practice says there that Volnik is wrong too."""
    found = [
        f"- level {level}, number {seed}: {name.replace('_', ' ')}, {part} says {said[part][1] or 'nothing'}"
        for name, level, seed, said, _, _ in rows
        for part in PARTS
        if said[part][0] == "wrong"
    ]
    return ["## Volnik is wrong here too", "", *(found or ["Nowhere in these cases."])]


def practised() -> tuple[int, int, int]:
    """Judge all, write the document; returns how many cases, how many solved, how many misjudged."""
    start = time.perf_counter()
    with multiprocessing.Pool(multiprocessing.cpu_count()) as pool:
        rows = pool.map(judged, chosen(), chunksize=4)
    lines = table(rows, time.perf_counter() - start)
    DOC.write_text("\n".join(lines).rstrip() + "\n", encoding="utf-8")
    wrong = sum(said[0] == "wrong" for row in rows for said in row[3].values())
    return len(rows), sum(row[4] for row in rows), wrong


if __name__ == "__main__":
    print(*practised())  # noqa: T201 - a command's answer
