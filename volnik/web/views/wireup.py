"""What Wire-up shows: the verdict, a card a turn of work with its steps, the list."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.rig.rig import Rig
from volnik.core.wireup.cards import Card, cards_for
from volnik.core.wireup.power_up import CLOSING
from volnik.core.wireup.steps import PHASES, Step, StepStatus, Tick
from volnik.services.wireup.job import JobView
from volnik.web.page import tidy_number, when
from volnik.web.plural import listed

MARKS = {"done": "✓", "skipped": "–", "changed": "!"}
UNITS = {"torque": "N·m", "amps": "A", "volts": "V", "percent": "%"}
MOST_DROPPED = 3  # ticks that no longer hold, named in the verdict


@dataclass(frozen=True, slots=True)
class StepItem:
    """One step as it stands on its card and in the list.

    Attributes:
        number, state, settled, mark: where it stands.
        step: what is done.
        asked: what is to be read or typed, "" for nothing;
        unit: of it;
        value: as typed, None before.
        tick_label: on the button that settles it.
        done: what was done, when and by whom, "" before.
        listed: the same for the list.
        before: the step that comes first, "" where it may be done.
        minutes: how long it waits, None where it does not.
        notes: text and name;
        photos: numbers.
    """

    number: int
    state: str
    settled: bool
    mark: str
    step: Step
    asked: str
    unit: str
    value: object
    tick_label: str
    done: str
    listed: str
    before: str
    minutes: int | None
    notes: list[tuple[str, str]]
    photos: list[int]

    @property
    def blank(self) -> bool:
        """Whether a figure or word is written down beside its tick."""
        return bool(self.step.ask) and self.step.ask != "yes_no"


@dataclass(frozen=True, slots=True)
class WorkCard:
    """One turn of work.

    Attributes:
        number, title: of the card.
        phase: in lower case.
        strict: whether its steps are done one after the other.
        cautions: said here for the first time.
        again: which earlier cards' cautions hold here too, in a sentence, "" for none.
        items: its steps.
        mark: where it stands as a whole, "" while open.
    """

    number: int
    title: str
    phase: str
    strict: bool
    cautions: tuple[str, ...]
    again: str
    items: list[StepItem]
    mark: str


@dataclass(frozen=True, slots=True)
class WireUpView:
    """The whole page.

    Attributes:
        settled, count: steps done or skipped, of all.
        heading: what comes next.
        plan_stops: what the plan itself still has, "" for nothing.
        dropped: what was ticked and no longer holds, in a sentence, "" for nothing.
        dropped_lines: each of them with when and who.
        closable: whether Wire-up can be closed;
        closing: when it can, or what follows.
        school, school_why: the order of the last joints, and its reason.
        cards: the turns of work with their steps.
    """

    settled: int
    count: int
    heading: str
    plan_stops: str
    dropped: str
    dropped_lines: list[str]
    closable: bool
    closing: str
    school: str
    school_why: str
    cards: list[WorkCard]


def wireup_view(job: JobView, rig: Rig) -> WireUpView:
    """Wire-up as it is shown."""
    status = job.status
    items = {step.step.key: _item(step, rig.zone) for step in status.steps}
    cards = [_card(card, items) for card in cards_for([step.step for step in status.steps])]
    following = status.next
    return WireUpView(
        status.settled,
        len(items),
        "Every step is done or skipped." if following is None else f"Next: {following.step.title}.",
        _plan_stops(rig) if job.planned else "",
        _dropped(status.dropped),
        [f"{_title(tick)}, {when(tick.time_s, rig.zone, 'short')}, {tick.who}" for tick in status.dropped],
        following is None,
        "then Prove" if following is None else "when every step is done or skipped",
        job.school,
        next(school.why for school in CLOSING if school.key == job.school),
        cards,
    )


def _card(card: Card, items: dict[str, StepItem]) -> WorkCard:
    phase = next(phase for phase in PHASES if phase.key == card.kind.phase)
    mine = [items[step.key] for step in card.steps]
    done = all(item.settled for item in mine)
    return WorkCard(
        card.number,
        card.title,
        phase.name.lower(),
        phase.strict,
        card.cautions,
        again_words(card.again),
        mine,
        MARKS["done"] if done else "",
    )


def again_words(numbers: tuple[int, ...]) -> str:
    """That the cautions of earlier cards hold here too, "" without any."""
    if not numbers:
        return ""
    noun = "card" if len(numbers) == 1 else "cards"
    return f"The cautions of {noun} {listed([*map(str, numbers)])} hold here too."


def _plan_stops(rig: Rig) -> str:
    stops = rig.summary.plan.stops
    return f"The plan itself has {stops} thing{'' if stops == 1 else 's'} to stop for" if stops else ""


def _title(tick: Tick) -> str:
    return str(tick.body.get("title", tick.step))


def _dropped(dropped: list[Tick]) -> str:
    """That ticked steps no longer hold, with the first of them."""
    if not dropped:
        return ""
    titles = "; ".join(_title(tick) for tick in dropped[:MOST_DROPPED])
    hold = "step no longer holds" if len(dropped) == 1 else "steps no longer hold"
    return f"{len(dropped)} ticked {hold}: {titles}. Undo that work where it was done."


def _minutes(step: Step) -> int | None:
    return int(step.timer_s / 60) if step.timer_s else None


def _item(placed: StepStatus, zone: str) -> StepItem:
    step, tick = placed.step, placed.tick
    return StepItem(
        placed.number,
        placed.state,
        placed.settled,
        MARKS.get(placed.state, ""),
        step,
        _asked(step),
        UNITS.get(step.ask or "", ""),
        None if tick is None else tick.body.get("value"),
        "Cautions heeded, done" if step.cautions else "Done",
        "" if tick is None else _done(placed, tick, zone),
        "" if tick is None else _listed(placed, tick, zone),
        placed.before,
        _minutes(step),
        [(str(note.body.get("text", "")), note.who) for note in placed.notes],
        [int(photo.body.get("photo", 0)) for photo in placed.photos],
    )


def _asked(step: Step) -> str:
    if not step.ask:
        return ""
    wanted = f" (wanted {tidy_number(step.torque_nm)} N·m)" if step.torque_nm else ""
    return step.asked.capitalize() + wanted


def _done(placed: StepStatus, tick: Tick, zone: str) -> str:
    done = "Skipped" if placed.state == "skipped" else "Done"
    said = f"{done} {when(tick.time_s, zone, 'short')} by {tick.who}"
    for name in ("value", "reason"):
        if tick.body.get(name) not in (None, ""):
            said += f": {tick.body[name]}"
    return said


def _listed(placed: StepStatus, tick: Tick, zone: str) -> str:
    said = f"{placed.state.capitalize()} {when(tick.time_s, zone, 'short')}, {tick.who}"
    return f"{said}: {tick.body['reason']}" if tick.body.get("reason") else said
