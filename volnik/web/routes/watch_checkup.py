"""Watch, check-up: what the log says of wiring and numbers, with its evidence; tried with what mends it.

Questions where there is no log.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, HTTPException, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.core.numbers.meanings import MEANINGS
from volnik.core.watch.checkup.cause import Cause
from volnik.core.watch.checkup.registry import CAUSES, names
from volnik.core.watch.troubleshooting import SYMPTOMS, ask
from volnik.drawings.evidence import EvidenceDrawing, draw_evidence
from volnik.drawings.retried import draw_retried
from volnik.jobs.board import Job
from volnik.services.watch import notes
from volnik.services.watch.checked import SETTINGS, Checked, checked, ready, retry, sentence
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import instant, text
from volnik.web.page import page
from volnik.web.routes.jobs import after_job
from volnik.web.routes.who import who
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/rigs/{rig_id}/watch")
SHOWN_DAYS = 10.0


def _checked(request: Request, rig_id: int) -> Checked | None | Response:
    """The check-up, or the way to the job that makes it."""
    context = state_of(request).context
    if state_of(request).live.now(rig_id) is not None:
        state_of(request).ingest.catch_up(rig_id)
    if ready(context, rig_id):
        return checked(context, rig_id)

    def work(job: Job) -> dict[str, Any]:
        checked(context, rig_id, on_progress=job.on_progress)
        return {"url": f"/rigs/{rig_id}/watch/checkup"}

    return after_job(request, "Cross-examining the log", work, f"/rigs/{rig_id}/watch")


def _show(
    request: Request,
    rig_id: int,
    *,
    cause: str = "",
    part: int | None = None,
    span: str = "",
    problems: dict[str, str] | None = None,
    status: int = 200,
) -> Response:
    head = rig_head(state_of(request).context, rig_id)
    found = _checked(request, rig_id)
    if isinstance(found, Response):
        return found
    if found is None:
        return page(
            request, "watch/checkup_none.html", head=head, stage="watch", part="checkup", symptoms=SYMPTOMS
        )
    # Right after a mending there is little to say yet: the part before it is shown until the new one can be
    # judged.
    at = len(found.parts) - 1 if part is None else part
    if not 0 <= at < len(found.parts):
        raise HTTPException(404, "The log has no such part.")
    shown = found.parts[at]
    chosen = next((known for known in shown.found.causes if known.cause == cause), shown.worst)
    return page(
        request,
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
        message=sentence(shown),
        wiring={spec.key for spec in CAUSES if spec.in_wiring},
        mendable=bool(chosen and chosen.corrected),
        meanings_of=MEANINGS,
        problems=problems or {},
        span=span,
        live=state_of(request).live.now(rig_id),
        settings=SETTINGS,
    )


def _evidence(found: Checked, at: int, chosen: Cause | None, span: str, zone: str) -> EvidenceDrawing | None:
    """The readings of a part with the places that show the chosen cause; None where it has none."""
    facts = found.parts[at].found.facts
    if facts is None or not len(facts.readings):
        return None
    start_s, end_s = _window(chosen, found, at, span)
    whole = found.parts[0].found.facts if at == 0 else facts
    return draw_evidence(
        whole if whole is not None else facts,
        chosen.marks if chosen else (),
        next((part.unseen for part in found.parts if part.unseen is not None), None),
        zone=zone,
        start_s=start_s,
        end_s=end_s,
        cuts=tuple(note.time_s for note in found.mended),
        reference_log=found.reference_log,
    )


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
def show(request: Request, rig_id: int, cause: str = "", part: int | None = None, span: str = "") -> Response:
    """The check-up of a rig's log."""
    return _show(request, rig_id, cause=cause, part=part, span=span)


@router.get("/checkup/retry")
def show_retry(request: Request, rig_id: int, cause: str, part: int | None = None) -> Response:
    """The log counted anew with what a cause corrects; nothing is saved."""
    head = rig_head(state_of(request).context, rig_id)
    found = _checked(request, rig_id)
    if isinstance(found, Response):
        return found
    nothing = HTTPException(404, "There is nothing to try for this cause.")
    if found is None or not -1 <= (at := -1 if part is None else part) < len(found.parts):
        raise nothing
    shown = found.parts[at]
    chosen = next((known for known in shown.found.causes if known.cause == cause), None)
    if chosen is None or shown.found.facts is None:
        raise nothing
    made = retry(shown.found.facts, chosen.corrected)
    if made is None:
        raise nothing
    numbers = {key: value for key, value in chosen.corrected.items() if key in SETTINGS}
    return page(
        request,
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
def put_mended(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Mark the wiring mended from an instant; the check-up is cut there."""
    head = rig_head(state_of(request).context, rig_id)
    problems: dict[str, str] = {}
    at_s = instant(form, "time", head.rig.zone, problems)
    if not problems and at_s is not None:
        try:
            now_s = state_of(request).live.rig_now(rig_id)
            body = {"cause": text(form, "cause")[:40], "note": text(form, "note")[:300]}
            notes.add(
                state_of(request).context,
                rig_id,
                "mended",
                time_s=at_s,
                who=who(request),
                body=body,
                now_s=now_s,
            )
            return RedirectResponse(f"/rigs/{rig_id}/watch/checkup?part=0&span=all", 303)
        except InvalidInput as wrong:
            problems = dict(wrong.problems)
    return _show(request, rig_id, cause=text(form, "cause"), problems=problems, status=422)


@router.post("/notes/{note_id}")
def withdraw_note(
    request: Request, rig_id: int, note_id: int, form: FormData = Depends(guarded_form)
) -> Response:
    """Withdraw a note, or bring it back."""
    notes.withdraw(state_of(request).context, rig_id, note_id, back=text(form, "back") == "1")
    here = text(form, "here")
    return RedirectResponse(
        here if here.startswith(f"/rigs/{rig_id}/watch") else f"/rigs/{rig_id}/watch", 303
    )


@router.get("/ask")
def questions(request: Request, rig_id: int, symptom: str = "", answers: str = "") -> Response:
    """Find a fault by question and answer, without a log."""
    head = rig_head(state_of(request).context, rig_id)
    asking = None
    if symptom:
        try:
            asking = ask(symptom, answers)
        except (KeyError, ValueError):
            raise HTTPException(404, "There is no such question.") from None
    return page(
        request,
        "watch/ask.html",
        head=head,
        stage="watch",
        part="ask",
        symptoms=SYMPTOMS,
        asking=asking,
        answers=answers,
    )
