"""One rig, one verdict: every finding of every stage, worst first, and whether its percentage is believed.

Pages, papers and feeds say what stands here and judge nothing themselves. Docs: docs/domain/verdict.md.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

from volnik.core.findings import LEVELS, Finding
from volnik.core.watch.checkup.cause import Cause, odds_in_words
from volnik.core.watch.checkup.registry import names, spec_of

Belief = Literal["unknown", "plain", "doubt", "not"]
"""Whether a percentage is shown: there is none, plain, with doubt, or struck through."""

Spoiled = Literal["count", "promise", "safety", "path"]
"""What a finding spoils."""

STAGE_OF = {"bank": "survey", "path": "path", "numbers": "numbers", "alarms": "watch", "count": "watch"}
"""The stage that a family of findings belongs to; others are named as their stage is."""

COUNT_LIES = frozenset(
    {f"path.P{number:02d}" for number in (1, 2, 3, 4, 5, 6, 7, 29, 42, 44)}
    | {"numbers.N01", "numbers.N02", "numbers.N05"}
    | {"prove.R01"}
)
"""What makes the percentage wrong by its nature: current that is not counted, or a wrong measure of full."""

COUNT_DRIFTS = frozenset(
    {"path.P08", "path.P09", "path.P11", "path.P40", "path.P41", "path.P46"}
    | {f"numbers.N{number:02d}" for number in (3, 4, 6, 10, 11, 14, 15, 17, 18, 19, 20, 22, 25, 27, 28)}
    | {"count.C02", "count.C04", "count.C05", "prove.R02", "prove.R03", "watch.W08"}
)
"""What lets it drift, or leaves it unproven."""

PROMISES = frozenset(
    {"path.P13", "path.P17", "path.P57", "path.P60", "numbers.N12", "count.C03", "watch.W01", "watch.W04"}
)
"""What spoils what the owner was promised, and not the count."""

FOLLOW = frozenset({"count.C04", "numbers.N25"})
"""What only shows that current is not counted, and goes under the finding that says so."""

LIKELY = 0.6  # from which on a cause found in the log is said of the percentage; source: the shop's judgement
PERHAPS = 0.35
WIDE = 0.2  # half width from which on a percentage is shown with doubt [0..1]; source: the shop's judgement


@dataclass(frozen=True, slots=True)
class CountFacts:
    """What is known of a count, beside what is found.

    Attributes:
        known: whether there is a percentage at all.
        half: half the width of its band [0..1]; NaN while it is not reckoned.
        low, high: between what it lies, nine cases of ten [0..1]; NaN while it is not reckoned.
        wired_s: since when the wiring stands [s]; NaN where Volnik did not see it made.
        full_seen: whether a full charge was witnessed since.
        claimed: whether it rests on what a monitor claimed after it lost its supply.
    """

    known: bool = False
    half: float = math.nan
    wired_s: float = math.nan
    full_seen: bool = True
    claimed: bool = False
    low: float = math.nan
    high: float = math.nan


@dataclass(frozen=True, slots=True)
class StandingFinding:
    """A finding that stands against a rig: since when [s], at which stage, and what it spoils."""

    finding: Finding
    stage: str
    spoils: Spoiled
    since_s: float


@dataclass(frozen=True, slots=True)
class Verdict:
    """What stands against a rig, worst first; whether its percentage is believed, and why not."""

    findings: tuple[StandingFinding, ...]
    believed: Belief
    reason: str = ""

    @property
    def worst(self) -> StandingFinding | None:
        """The gravest finding."""
        return self.findings[0] if self.findings else None


def verdict(
    findings: Iterable[Finding], count: CountFacts, *, since: Mapping[str, float], now_s: float
) -> Verdict:
    """The verdict of a rig.

    Args:
        findings: of all stages.
        count: what is known of its count.
        since: since when findings are known that were there before, by `key_of` [s].
        now_s: when this is reckoned [s].
    """
    told = _under_their_cause(sorted(findings, key=_weight))
    standing = tuple(
        StandingFinding(finding, stage_of(finding), spoils(finding), since.get(key_of(finding), now_s))
        for finding in told
    )
    believed, reason = belief(told, count)
    return Verdict(standing, believed, reason)


def key_of(finding: Finding) -> str:
    """By what a finding is known again: its id and what it is about."""
    return " ".join((finding.id, *finding.about))


def stage_of(finding: Finding) -> str:
    """The stage at which a finding is put right."""
    family = _family(finding)
    return "watch" if family == "checkup" else STAGE_OF.get(family, family)


def _family(finding: Finding) -> str:
    """The first word of a finding's id."""
    name = finding.id
    return name.partition(".")[0]


def spoils(finding: Finding) -> Spoiled:
    """What a finding spoils; of the path's own, what is not of the count is of safety."""
    if finding.id in COUNT_LIES | COUNT_DRIFTS or _family(finding) == "checkup":
        return "count"
    if finding.id in PROMISES or _family(finding) == "alarms":
        return "promise"
    return "safety" if _family(finding) == "path" and finding.level != "advise" else "path"


def _weight(finding: Finding) -> tuple[int, bool]:
    """The gravest first, and of like gravity what spoils the count."""
    return LEVELS.index(finding.level), finding.id not in COUNT_LIES


def _under_their_cause(findings: list[Finding]) -> list[Finding]:
    """What only follows from current that is not counted goes with the finding that says so."""
    causes = any(finding.level == "stop" and finding.id in COUNT_LIES for finding in findings)
    causes |= any(_family(finding) == "checkup" and finding.level == "stop" for finding in findings)
    return [finding for finding in findings if not (causes and finding.id in FOLLOW)]


def belief(findings: list[Finding], count: CountFacts) -> tuple[Belief, str]:
    """Whether a percentage is believed, and the sentence that says why not.

    Args:
        findings: worst first.
        count: what is known of the count.
    """
    if not count.known:
        return "unknown", ""
    lies = [finding for finding in findings if finding.level == "stop" and _speaks_of(finding, COUNT_LIES)]
    if lies:
        return "not", lies[0].message
    drifts = [
        finding
        for finding in findings
        if finding.level != "advise" and _speaks_of(finding, COUNT_LIES | COUNT_DRIFTS)
    ]
    if drifts:
        return "doubt", drifts[0].message
    return _belief_in(count)


def _speaks_of(finding: Finding, ids: frozenset[str]) -> bool:
    """Whether a finding is one of these, or what the check-up found in the log."""
    return finding.id in ids or _family(finding) == "checkup"


def _belief_in(count: CountFacts) -> tuple[Belief, str]:
    """Belief in a count that no finding speaks against."""
    if count.claimed:
        return "doubt", "It rests on what the monitor claimed after it lost its supply."
    if count.half >= WIDE:
        return "doubt", f"It is known to ± {100 * count.half:.0f} % only; a full charge tells."
    if not math.isnan(count.wired_s) and not count.full_seen:
        return "doubt", "No full charge was witnessed since it was wired."
    return "plain", ""


def of_checkup(cause: Cause | None) -> list[Finding]:
    """What a check-up of the log found, as a finding; none where it is unlikely.

    Args:
        cause: the likeliest, or None.
    """
    if cause is None or cause.likelihood < PERHAPS:
        return []
    spec = spec_of(cause.cause)
    grave = spec.spoils_count and cause.likelihood >= LIKELY
    name = names()[cause.cause]
    return [
        Finding(
            f"checkup.{cause.cause}",
            "stop" if grave else "fix" if cause.likelihood >= LIKELY else "advise",
            f"{odds_in_words(cause.likelihood).capitalize()}: {name[:1].lower()}{name[1:]}.",
            cause.evidence,
            cause.next,
            "watch",
        )
    ]
