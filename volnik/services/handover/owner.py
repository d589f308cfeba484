"""The owner's own page: how full, what to do now, and the readings sent before calling."""

from __future__ import annotations

import math
from dataclasses import dataclass

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.papers.now import Now, Reading, call_answer, owner_now, reading
from volnik.core.papers.owner import OwnerFacts, hours_table, message_to_shop
from volnik.core.papers.paper import Paper
from volnik.core.papers.tongue import ENGLISH, Tongue, tongue
from volnik.core.rig.rig import Rig
from volnik.core.watch.outlook import Outlook
from volnik.core.watch.reminders import Due
from volnik.services.context import AppContext
from volnik.services.handover.facts import owner_facts
from volnik.services.handover.issues import SIGNED, handover_view
from volnik.services.path.read import NoBank
from volnik.services.shelf.chemistries import table_of
from volnik.services.watch.incidents import dates_due
from volnik.services.watch.view import watch_view
from volnik.store import drawings, watching
from volnik.store import papers as kept
from volnik.store import rigs as store
from volnik.store.watching import Note

CALL, ANSWERED = "call", "call_answered"
MOST_WORDS = 300
MOST_PHOTOS, MOST_BYTES = 12, 3_000_000  # so that the whole file stays under 5 MB as text


@dataclass(frozen=True, slots=True)
class OwnerView:
    """A rig as its owner sees it.

    Attributes:
        rig: the rig.
        facts: for the sheet, None while nothing is set.
        now: what to do.
        soc, half: charge and half its doubt [0..1], NaN while unknown or not to be believed.
        ahead: where it will stand if this goes on.
        full_due: when it is next to be charged until full, or None.
        sheet: number of the latest issue of the owner's sheet, 0 for none.
        calls: readings sent, latest first, with whether each was answered.
    """

    rig: Rig
    facts: OwnerFacts | None
    now: Now
    soc: float
    half: float
    ahead: list[Outlook]
    full_due: Due | None
    sheet: int
    calls: list[tuple[Note, bool]]


def owner_view(context: AppContext, rig_id: int, *, shop: str) -> OwnerView:
    """A rig as its owner sees it."""
    watched = watch_view(context, rig_id)
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        say = tongue(rig.language)
        try:
            facts = owner_facts(session, context, rig_id, shop=shop, say=say)
        except NoBank:
            facts = None
        issued = [paper.id for paper in kept.papers(session, rig_id) if paper.paper == SIGNED]
        answered = {note.body["of"] for note in watching.notes(session, rig_id, ANSWERED)}
        calls = watching.notes(session, rig_id, CALL)[::-1]
    believed = rig.summary.believed in ("plain", "doubt")
    soc = rig.summary.soc if believed else math.nan
    width = watched.width
    half = math.nan if width is None or math.isnan(width.centre) or not believed else width.half
    unset = Now("advise", say("Your fitter has not set it up yet."))
    now = unset if facts is None else owner_now(facts, soc, say)
    due = next((each for each in dates_due(context, rig_id) if each.key == "full"), None)
    return OwnerView(
        rig,
        facts,
        now,
        soc,
        half,
        watched.ahead if believed else [],
        due,
        issued[0] if issued else 0,
        [(note, note.id in answered) for note in calls],
    )


@dataclass(frozen=True, slots=True)
class TakeAlong:
    """What the owner carries: the sheet, hours by level and load, photos with captions.

    Attributes:
        rig: the rig.
        paper: the owner's sheet.
        heads, rows: of the table of hours.
        photos: captions and JPEG bytes, oldest first.
        made_s: when [s].
        subject, message: of the message to the shop, with blanks to fill.
    """

    rig: Rig
    paper: Paper
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    photos: list[tuple[str, bytes]]
    made_s: float
    subject: str
    message: str


def take_along(context: AppContext, rig_id: int, *, shop: str) -> TakeAlong:
    """What the owner of a rig carries.

    Raises:
        InvalidInput: where too little is known, or the percentage cannot be believed.
    """
    view = handover_view(context, rig_id, shop=shop)
    if view.refusal or view.paper is None:
        raise InvalidInput({"issue": view.refusal})
    say = tongue(view.rig.language)
    with context.db.reading() as session:
        facts = owner_facts(session, context, rig_id, shop=shop, say=say)
        chosen = [photo for photo in drawings.photos(session, rig_id) if photo.on_papers]
        photos = chosen[:MOST_PHOTOS][::-1]
        bodies = [drawings.photo_body(session, rig_id, photo.id, small=False) for photo in photos]
    assert facts is not None
    heads, rows = hours_table(facts, say)
    shown = [(photo.caption or say("no caption"), body) for photo, body in zip(photos, bodies, strict=True)]
    message = message_to_shop(view.rig.name, ("",) * 5, say)
    return TakeAlong(view.rig, view.paper, heads, rows, _light(shown), context.now(), *message)


def _light(photos: list[tuple[str, bytes]]) -> list[tuple[str, bytes]]:
    """As many of the photos as a phone takes along easily."""
    kept, size = [], 0
    for caption, body in photos:
        size += len(body)
        if size <= MOST_BYTES:
            kept.append((caption, body))
    return kept


def keep_call(
    context: AppContext, rig_id: int, figures: dict[str, float | None], words: str, *, who: str, shop: str
) -> Now:
    """Keep what an owner read out, with what is to be said to it.

    Raises:
        InvalidInput: naming each figure that cannot be.
    """
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        owner = tongue(rig.language)
        read = reading(figures, owner)
        answer, shown = (_answer(session, context, rig, read, shop=shop, say=say) for say in (ENGLISH, owner))
    with context.change(rig_id) as work:
        now_s = context.now()
        told = " ".join(words.split())[:MOST_WORDS]
        body = {
            "read": _known(read),
            "words": told,
            "answer": answer.sentence,
            "shown": shown.sentence,
            "level": answer.level,
        }
        watching.add_note(work.session, rig_id, CALL, time_s=now_s, saved_s=now_s, who=who, body=body)
        work.record("call", "readings from the owner", adds=True)
    return answer


def _answer(session: Session, context: AppContext, rig: Rig, read: Reading, *, shop: str, say: Tongue) -> Now:
    """What is to be said to what was read out, in a language."""
    try:
        facts = owner_facts(session, context, rig.id, shop=shop, say=say)
    except NoBank:
        facts = None
    if facts is None or rig.bank is None:
        return Now("advise", say("Nothing is set on this rig yet: come and look."))
    chemistry = table_of(session)[rig.bank.chemistry]
    return call_answer(read, facts, cells=rig.bank.cells, chemistry=chemistry, say=say)


def answer_call(context: AppContext, rig_id: int, call_id: int, *, who: str) -> None:
    """Put on record that the shop answered a call."""
    with context.change(rig_id) as work:
        now_s = context.now()
        watching.add_note(
            work.session,
            rig_id,
            ANSWERED,
            time_s=now_s,
            saved_s=now_s,
            who=who,
            body={"of": call_id},
        )
        work.record("call", "answered", adds=True)


def _known(read: Reading) -> dict[str, float]:
    given = {"volts": read.volts, "amps": read.amps, "percent": read.percent, "days": read.days}
    return {name: value for name, value in given.items() if not math.isnan(value)}
