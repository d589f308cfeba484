"""Watch, check-up: what the log says of wiring and numbers, with its evidence; tried with what mends it.

Questions where there is no log.
"""

from __future__ import annotations

from functools import partial
from typing import Any

from fastapi import APIRouter, HTTPException
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.numbers.meanings import MEANINGS
from volnik.core.watch.checkup.cause import Cause
from volnik.core.watch.checkup.registry import names
from volnik.core.watch.checkup.retried import Retried
from volnik.core.watch.complaints.asking import ask
from volnik.core.watch.complaints.tables import complaints
from volnik.drawings.evidence import EvidenceDrawing, draw_evidence
from volnik.drawings.retried import draw_retried
from volnik.drawings.scale import TwoSizes, two_sizes
from volnik.jobs.board import Job
from volnik.services.watch import notes
from volnik.services.watch.checked import SETTINGS, Checked, checked, ready, retry
from volnik.services.watch.complaints import seen_here
from volnik.web.forms.posted import at_s
from volnik.web.forms.watch import SentMended
from volnik.web.forms.yard import SentBack
from volnik.web.routes.jobs import after_job
from volnik.web.routing import PageRoute, for_everyone, for_installers
from volnik.web.views.watch_checkup import checkup_page
from volnik.web.views.watch_complaints import ask_page, more_complaints
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/watch", route_class=PageRoute)
SHOWN_DAYS = 10.0


def _checked(visit: Visit, rig_id: int) -> Checked | None | Response:
    """The check-up, or the way to the job that makes it."""
    context = visit.context
    visit.catch_up(rig_id)
    if ready(context, rig_id):
        return checked(context, rig_id)

    def work(job: Job) -> dict[str, Any]:
        checked(context, rig_id, on_progress=job.on_progress)
        return {"url": f"/rigs/{rig_id}/watch/checkup"}

    return after_job(visit, "Cross-examining the log", work, f"/rigs/{rig_id}/watch")


def _show(
    visit: Visit,
    rig_id: int,
    *,
    cause: str = "",
    part: int | None = None,
    span: str = "",
    problems: dict[str, str] | None = None,
    status: int = 200,
) -> Response:
    head = visit.head(rig_id)
    found = _checked(visit, rig_id)
    if isinstance(found, Response):
        return found
    if found is None:
        return visit.page(
            "watch/checkup_none.html", head=head, stage="watch", part="checkup", symptoms=complaints()
        )
    # Right after a mending there is little to say yet: the part before it is shown until the new one can be
    # judged.
    at = len(found.parts) - 1 if part is None else part
    if not 0 <= at < len(found.parts):
        raise HTTPException(404, "The log has no such part.")
    shown = found.parts[at]
    chosen = next((known for known in shown.found.causes if known.cause == cause), shown.worst)
    return visit.page(
        "watch/checkup.html",
        status=status,
        head=head,
        stage="watch",
        part="checkup",
        found=found,
        at=at,
        shown=shown,
        chosen=chosen,
        names=names(),
        drawing=_evidence(found, at, chosen, span, head.rig.zone),
        told=checkup_page(found, at, chosen, span=span, zone=head.rig.zone),
        problems=problems or {},
        span=span,
        live=visit.state.live.now(rig_id),
        settings=SETTINGS,
    )


def _evidence(
    found: Checked, at: int, chosen: Cause | None, span: str, zone: str
) -> TwoSizes[EvidenceDrawing] | None:
    """The readings of a part with the places that show the chosen cause; None where it has none."""
    facts = found.parts[at].found.facts
    if facts is None or not len(facts.readings):
        return None
    start_s, end_s = _window(chosen, found, at, span)
    whole = found.parts[0].found.facts if at == 0 else facts
    drawn = partial(
        draw_evidence,
        whole if whole is not None else facts,
        chosen.marks if chosen else (),
        next((part.unseen for part in found.parts if part.unseen is not None), None),
        zone=zone,
        start_s=start_s,
        end_s=end_s,
        cuts=tuple(note.time_s for note in found.mended),
        reference_log=found.reference_log,
    )
    return two_sizes(lambda width: drawn(width=width))


def _window(chosen: Cause | None, found: Checked, at: int, span: str) -> tuple[float, float]:
    """What the drawing shows: the whole part, or the days around where the cause shows latest."""
    part = found.parts[at]
    if span == "all" or part.end_s - part.start_s < SHOWN_DAYS * 86400.0:
        return part.start_s, max(part.end_s, part.start_s + 600.0)
    middle = chosen.marks[-1].end_s if chosen and chosen.marks else part.end_s
    end_s = min(part.end_s, middle + 0.35 * SHOWN_DAYS * 86400.0)
    start_s = max(part.start_s, end_s - SHOWN_DAYS * 86400.0)
    return start_s, min(part.end_s, start_s + SHOWN_DAYS * 86400.0)


@router.get("/checkup")
@for_everyone
def show(visit: VisitDep, rig_id: int, cause: str = "", part: int | None = None, span: str = "") -> Response:
    """The check-up of a rig's log."""
    return _show(visit, rig_id, cause=cause, part=part, span=span)


def _retried(found: Checked | None, cause: str, at: int) -> tuple[Cause, Retried]:
    """A cause and the log counted with what it corrects.

    Raises:
        HTTPException: 404 where there is no such part, cause, or correction.
    """
    if found is not None and -1 <= at < len(found.parts):
        shown = found.parts[at].found
        chosen = next((known for known in shown.causes if known.cause == cause), None)
        made = None if chosen is None or shown.at_fault is None else retry(shown.at_fault, chosen.corrected)
        if chosen is not None and made is not None:
            return chosen, made
    raise HTTPException(404, "There is nothing to try for this cause.")


@router.get("/checkup/retry")
@for_everyone
def show_retry(visit: VisitDep, rig_id: int, cause: str, part: int | None = None) -> Response:
    """The log counted anew with what a cause corrects; nothing is saved."""
    head = visit.head(rig_id)
    found = _checked(visit, rig_id)
    if isinstance(found, Response):
        return found
    chosen, made = _retried(found, cause, -1 if part is None else part)
    numbers = {key: value for key, value in chosen.corrected.items() if key in SETTINGS}
    return visit.page(
        "watch/checkup_retry.html",
        head=head,
        stage="watch",
        part="checkup",
        chosen=chosen,
        names=names(),
        made=made,
        numbers=numbers,
        meanings_of=MEANINGS,
        drawing=draw_retried(made, zone=head.rig.zone),
    )


@router.post("/mended")
@for_installers
def put_mended(visit: VisitDep, rig_id: int, sent: SentMended) -> Response:
    """Mark the wiring mended from an instant; the check-up is cut there."""
    zone = visit.head(rig_id).rig.zone
    try:
        form = sent.read()
        notes.add(
            visit.context,
            rig_id,
            "mended",
            time_s=at_s(form.time, zone),
            who=visit.who,
            body={"cause": form.cause[:40], "note": form.note[:300]},
            now_s=visit.state.live.rig_now(rig_id),
        )
    except InvalidInput as wrong:
        cause = sent.pressed("cause")
        return _show(visit, rig_id, cause=cause, problems=dict(wrong.problems), status=422)
    return RedirectResponse(f"/rigs/{rig_id}/watch/checkup?part=0&span=all", 303)


@router.post("/notes/{note_id}")
@for_installers
def withdraw_note(visit: VisitDep, rig_id: int, note_id: int, sent: SentBack) -> Response:
    """Withdraw a note, or bring it back."""
    form = sent.read()
    notes.withdraw(visit.context, rig_id, note_id, back=form.back == "1")
    watch = f"/rigs/{rig_id}/watch"
    return RedirectResponse(form.here if form.here.startswith(watch) else watch, 303)


@router.get("/ask")
@for_everyone
def questions(visit: VisitDep, rig_id: int, symptom: str = "", answers: str = "") -> Response:
    """Find a fault by question and answer, without a log."""
    head = visit.head(rig_id)
    asking = shown = None
    if symptom:
        try:
            asking = ask(symptom, answers)
        except (KeyError, ValueError):
            raise HTTPException(404, "There is no such question.") from None
        here = seen_here(visit.context, rig_id, asking.cause)
        shown = ask_page(asking, here, head.rig.zone)
    return visit.page(
        "watch/ask.html",
        head=head,
        stage="watch",
        part="ask",
        symptoms=complaints(),
        more=more_complaints(),
        asking=asking,
        shown=shown,
        answers=answers,
    )
