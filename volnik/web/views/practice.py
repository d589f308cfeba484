"""What Practice says: a case, what was looked at and done, and afterwards what was wrong."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from volnik.core.practice.cases import MOST_LEVEL
from volnik.core.practice.causes import CAUSES
from volnik.core.practice.faults import KINDS, faults
from volnik.core.practice.judged import said_of
from volnik.core.practice.looks import TOOLS, Look, free_look, risky_looks
from volnik.core.practice.mends import MENDS, every_mend
from volnik.core.practice.play import Act, Made, Move, Played, looks_before, played
from volnik.core.practice.progress import Result
from volnik.core.practice.search import Searcher, Step
from volnik.core.rig.stud_ref import StudRef
from volnik.web.forms.practice import dashed
from volnik.web.page import number
from volnik.web.plural import count_of
from volnik.web.views.practice_words import (
    CAUTIONS,
    GROUPS,
    act_words,
    look_words,
    move_words,
    shown_words,
    stop_words,
    supposed_words,
)

TO_DO = "Do something"
MOST_MOVES = 80
PROVEN = "A look after the mend shows that it helped."
UNPROVEN = "No look after the mend shows that it helped."
Choices = dict[str, list[tuple[str, str]]]


@dataclass(frozen=True, slots=True)
class Row:
    """A move that was made: what, how long it took and with what, what it showed, the caution it wants."""

    words: str
    minutes: str
    shows: str
    caution: str


@dataclass(frozen=True, slots=True)
class WayRow:
    """A step of a search: the look, and how many faults were possible before and after."""

    words: str
    minutes: str
    parted: str


@dataclass(frozen=True, slots=True)
class Afterwards:
    """What is told once a case has come to its end.

    Attributes:
        right: whether what was concluded is the truth.
        stopped: what would have happened, "" where nothing dangerous was done.
        heading: of it.
        truth: in words.
        pages: keys and titles of the faults' pages.
        points: what was done well and what was not, as (well, words).
        own, soonest: ways to it.
        compared: the two in a sentence.
        volnik: what Volnik's own check-up names from the log, and whether it is right.
        volnik_wrong: whether it names something else.
    """

    right: bool
    stopped: str
    heading: str
    truth: str
    pages: list[tuple[str, str]]
    points: list[tuple[bool, str]]
    own: list[WayRow]
    soonest: list[WayRow]
    compared: str
    volnik: str
    volnik_wrong: bool


@dataclass(frozen=True, slots=True)
class Meter:
    """What a meter can be held to: devices that run, cables, lugs; each as address and words."""

    running: list[tuple[str, str]]
    cables: list[tuple[str, str]]
    studs: list[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class PracticePage:
    """A case on the page.

    Attributes:
        minutes: taken so far.
        heading: what the owner says.
        lead: since when, and what is at hand.
        rows: moves made, in their order.
        looks: what can be looked at and done, by group: address and words.
        answers: what can be concluded, by kind: address and words.
        two: whether two things are wrong.
        taken: the moves as they stand in the address.
        has_log: whether the log was read.
        meter: what one can be held to.
        afterwards: None before a conclusion.
    """

    minutes: str
    heading: str
    lead: str
    rows: list[Row]
    looks: Choices
    answers: Choices
    two: bool
    taken: str
    has_log: bool
    meter: Meter
    afterwards: Afterwards | None


def practice_page(searcher: Searcher, moves: Sequence[Move], answer: str) -> PracticePage:
    """The words of a case.

    Args:
        searcher: of the case.
        moves: made so far, in their order.
        answer: what was concluded, as of `named`; "" for nothing yet.
    """
    case = searcher.case
    came = played(case, moves)
    two = case.level == MOST_LEVEL
    wrong = "Two things are wrong." if two else "One thing at most is wrong."
    ended = bool(answer) or came.stopped is not None
    return PracticePage(
        number(came.minutes, 0),
        f"“{case.complaint}”",
        f"So it has been for {count_of(case.since_days, 'day')}. Here are the vehicle's papers; whether it "
        f"still is as they say is for you to find out. {wrong}",
        [_row(made, searcher) for made in came.made],
        choices(searcher, moves),
        answers(searcher),
        two,
        ",".join(map(address_of, moves)),
        any(isinstance(move, Look) and move.what == "log" for move in moves),
        meter_of(searcher),
        _afterwards(searcher, moves, came, answer) if ended else None,
    )


def every_move(searcher: Searcher) -> Iterable[Move]:
    """All that can be looked at and done in a case.

    Args:
        searcher: of the case.
    """
    yield from searcher.looks
    yield from risky_looks(searcher.papers)
    yield from (Act("down"), Act("up"), Act("air"))
    yield from (Act("mend", key, place) for key, place in every_mend(searcher.case.plan))


def choices(searcher: Searcher, moves: Sequence[Move]) -> Choices:
    """What can be looked at and done next, by group: address and words.

    Args:
        searcher: of the case.
        moves: made so far; a look stands again once something was mended.
    """
    papers, found = searcher.papers, Choices()
    last_act = max((at for at, move in enumerate(moves) if isinstance(move, Act)), default=-1)
    taken = {move for move in moves[last_act + 1 :] if isinstance(move, Look)}
    for move in every_move(searcher):
        if isinstance(move, Act):
            found.setdefault(TO_DO, []).append((address_of(move), act_words(move, papers)))
        elif move not in taken:
            found.setdefault(GROUPS[move.what], []).append((address_of(move), look_words(move, papers)))
    return found


def answers(searcher: Searcher) -> Choices:
    """What can be concluded, by kind of fault: address and words.

    Args:
        searcher: of the case.
    """
    found = {name: list[tuple[str, str]]() for name in KINDS.values()}
    for key, cause in CAUSES.items():
        for where in cause.places(searcher.case.plan):
            named = f"{key}:{where}"
            found[KINDS[faults()[key].kind]].append((named, supposed_words(named, searcher.papers)))
    return found


def address_of(move: Move) -> str:
    """A move as it stands in an address.

    Args:
        move: a look or an act.
    """
    if isinstance(move, Act):
        return f"do-{move.do}.{move.mend}.{move.at}"
    return f"{move.what}.{move.running}.{dashed(move.at)}"


def moves_in(text: str, searcher: Searcher) -> list[Move]:
    """The moves an address tells; what the rig has none of is left out.

    Args:
        text: of the address.
        searcher: of the case.
    """
    known = {address_of(move): move for move in every_move(searcher)}
    found = []
    for word in text.split(",")[:MOST_MOVES]:
        move = known.get(word) or _free(word, searcher)
        found += [move] if move is not None else []
    return found


def _free(word: str, searcher: Searcher) -> Look | None:
    """A look taken anywhere, as it stands in an address."""
    what, _, rest = word.partition(".")
    running, _, at = rest.partition(".")
    return free_look(searcher.papers, what, running, at.replace("-", ".")) if at else None


def meter_of(searcher: Searcher) -> Meter:
    """What a meter can be held to anywhere in a case.

    Args:
        searcher: of the case.
    """
    papers = searcher.papers
    running = [(device.id, f"{device.name} on") for device in papers.devices if device.takes or device.gives]
    cables = sorted((cable.id, papers.cable_name(cable)) for cable in papers.wiring.cables)
    joined = papers.network.joined
    studs = sorted((stud, papers.studs[StudRef(stud)].name) for stud in joined)
    return Meter([("", "all off"), *running], cables, studs)


def result_of(searcher: Searcher, moves: Sequence[Move], answer: str, *, who: str, at_s: float) -> Result:
    """What somebody came to in a case; the soonest way is sought for it.

    Args:
        searcher: of the case.
        moves: made, in their order.
        answer: what was concluded, as of `named`.
        who: made them.
        at_s: when [s].
    """
    case, came = searcher.case, played(searcher.case, moves)
    looks = looks_before(came_moves(came), came.first_mend)
    return Result(
        who,
        at_s,
        "case",
        case.level,
        case.seed,
        tuple(wrong.cause for wrong in case.wrongs),
        right=answer == case.truth and came.stopped is None,
        minutes=sum(look.minutes for look in looks),
        soonest=searcher.soonest.minutes,
        stopped=came.stopped is not None,
        proven=came.proven and came.is_mended,
    )


def came_moves(came: Played) -> list[Move]:
    """The moves that were made.

    Args:
        came: of a case.
    """
    return [made.move for made in came.made]


def _row(made: Made, searcher: Searcher) -> Row:
    move = made.move
    words = move_words(move, searcher.papers)
    if isinstance(move, Act):
        return Row(words, f"{move.minutes:g} min", shown_words(move, made.shown), "")
    minutes = f"{move.minutes:g} min, {TOOLS[move.what]}"
    return Row(words, minutes, shown_words(move, made.shown), CAUTIONS.get(move.what, ""))


def _afterwards(searcher: Searcher, moves: Sequence[Move], came: Played, answer: str) -> Afterwards:
    case = searcher.case
    best = searcher.soonest
    own = searcher.followed(looks_before(moves, came.first_mend))
    left = len(searcher.names(own[-1].after)) if own else len(searcher.names(searcher.all))
    right = answer == case.truth
    known = ", which your looks had proven" if left == 1 else f"; {left} things were still possible, though"
    looked = sum(step.look.minutes for step in own)
    said = said_of(case)
    stopped = "" if came.stopped is None else stop_words(came.stopped)
    return Afterwards(
        right and not stopped,
        stopped,
        "Stop." if stopped else f"Right{known}." if right else "Not that.",
        supposed_words(case.truth, searcher.papers),
        [(wrong.cause, faults()[wrong.cause].title) for wrong in case.wrongs],
        [] if stopped else points(came),
        _own_way(own, best.steps, searcher),
        [_way(step, searcher) for step in best.steps],
        f"It took {count_of(round(looked), 'minute')} of looking; the soonest way takes {best.minutes:.0f}.",
        said.sentence,
        said.verdict == "wrong",
    )


def points(came: Played) -> list[tuple[bool, str]]:
    """What was done well and what was not: mended, proven, with no needless part, left powered up.

    Args:
        came: of the moves.
    """
    found = []
    sound = all(wrong.cause == "sound" for wrong in came.left)
    if came.cured:
        found.append((came.is_mended, "It is mended." if came.is_mended else "Part of it is mended."))
        found.append((came.proven, PROVEN if came.proven else UNPROVEN))
    elif not sound:
        found.append((False, "Nothing was mended."))
    for part in came.needless:
        found.append((False, f"Bought for nothing: {part}."))
    for key in came.idle:
        found.append((False, f"Done for nothing: {MENDS[key].words.lower()}."))
    if not came.powered:
        found.append((False, "It was left powered down."))
    if came.cured and came.powered:
        found.append((True, "The order was kept: nothing live was opened."))
    return found


def _own_way(own: Sequence[Step], best: Sequence[Step], searcher: Searcher) -> list[WayRow]:
    """The trainee's looks, told where they leave the soonest way."""
    rows = [_way(step, searcher) for step in own]
    looks = [step.look for step in best]
    left = next((at for at, step in enumerate(own) if looks[at : at + 1] != [step.look]), None)
    if left is not None:
        rows[left] = replace(rows[left], parted=f"{rows[left].parted}; here it leaves the soonest way")
    return rows


def _way(step: Step, searcher: Searcher) -> WayRow:
    before, after = (len(searcher.names(some)) for some in (step.before, step.after))
    parted = f"{before} possible, then {after}" if after < before else f"parts nothing of {before}"
    return WayRow(move_words(step.look, searcher.papers), f"{step.look.minutes:g} min", parted)
