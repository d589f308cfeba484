"""What Hand over says: what is ready, the issues and what changed since."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.services.handover.issues import PAPERS, SIGNED, HandoverView, Issue
from volnik.web.page import when
from volnik.web.plural import count_of

LEADS = {
    "owner": "One page ({paper}) for someone who never heard of a shunt.",
    "shop": "All that is on record, for whoever opens the bay next.",
    "labels": "To print and cut: what each post, fuse and side of the shunt is.",
}
SIDE = 300.0  # of a signature's drawing, wide
HIGH = 90.0


@dataclass(frozen=True, slots=True)
class Signed:
    """How an issue was signed: names and day, and the drawn lines of each, as polylines."""

    words: str
    drawn: list[tuple[str, list[str]]]


@dataclass(frozen=True, slots=True)
class IssueLine:
    """An issue as shown: number, when and by whom, how it stands, what changed, how it was signed."""

    id: int
    title: str
    state: str
    level: str
    changes: list[tuple[str, str]]
    signed: Signed | None
    wants_signing: bool


@dataclass(frozen=True, slots=True)
class HandoverPage:
    """The words of Hand over.

    Attributes:
        figure: how many things are ready, of how many.
        heading, lead: what matters most.
        issues: latest first.
        width, height: of a signature's drawing.
    """

    figure: str
    of: str
    heading: str
    lead: str
    issues: list[IssueLine]
    width: float = SIDE
    height: float = HIGH


def handover_page(view: HandoverView, zone: str, *, size: str) -> HandoverPage:
    """The words of a rig's Hand over.

    Args:
        size: of the paper shown.
    """
    done = sum(each.done for each in view.ready)
    heading = _heading(view, len(view.ready) - done)
    paper = "Letter" if size == "us-letter" else "A4"
    return HandoverPage(
        str(done),
        f"of {len(view.ready)} ready" if view.ready else "",
        heading,
        f"{LEADS[view.key].format(paper=paper)} An issue is kept byte for byte; what changes later "
        "supersedes it, and is told.",
        [_issue(each, zone) for each in view.issues],
    )


def _heading(view: HandoverView, left: int) -> str:
    """What matters most: what stands in the way, how the latest issue stands, what is open."""
    if view.refusal:
        return view.refusal
    mine = [each for each in view.issues if each.paper.paper == view.key]
    if mine and mine[0].current:
        return f"Issue {mine[0].paper.number} says what holds today."
    if mine:
        return f"Issue {mine[0].paper.number} no longer holds: look at what changed, issue it anew."
    if left:
        return f"{count_of(left, 'thing')} open: the sheet says so to the owner."
    return "Everything is ready to hand over."


def _issue(issue: Issue, zone: str) -> IssueLine:
    paper = issue.paper
    by = f", {paper.who}" if paper.who else ""
    wants_signing = paper.paper == SIGNED
    state, level = "current", ""
    if not issue.current:
        state, level = "superseded: " + count_of(len(issue.changes), "line") + " changed since", "fix"
    elif wants_signing and paper.signed is None:
        state, level = "not signed yet", "advise"
    return IssueLine(
        paper.id,
        f"Issue {paper.number}: {PAPERS[paper.paper].lower()}, {when(paper.issued_s, zone, 'day')}{by}",
        state,
        level,
        issue.changes,
        _signed(issue, zone),
        wants_signing and paper.signed is None,
    )


def _signed(issue: Issue, zone: str) -> Signed | None:
    told = issue.paper.signed
    if told is None:
        return None
    names = told["names"]
    where = f" at {told['place']}" if told["place"] else ""
    how = "on paper" if told["on_paper"] else "on the screen"
    day = when(told["time_s"], zone, "day")
    words = f"Signed {how}{where}, {day}: {names['installer']} and {names['owner']}."
    drawn = [
        (names[role], [" ".join(f"{x * SIDE:.1f},{y * HIGH:.1f}" for x, y in line) for line in lines])
        for role, lines in told["strokes"].items()
    ]
    return Signed(words, drawn)
