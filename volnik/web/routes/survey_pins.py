"""Survey: pins on the customer's own photos."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.wireup.pins import WHAT
from volnik.services.path.read import NoBank
from volnik.services.survey.pins import pinned_photo, set_pin, take_pin_out
from volnik.web.forms.devices import SentPin
from volnik.web.forms.yard import SentBack
from volnik.web.routes.boards import no_bank
from volnik.web.routing import PageRoute, for_everyone, for_the_shop
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/survey/photos/{photo_id}/pins", route_class=PageRoute)


def _show(
    visit: Visit,
    rig_id: int,
    photo_id: int,
    *,
    gone: int = 0,
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
) -> Response:
    try:
        view = pinned_photo(visit.context, rig_id, photo_id)
    except NoBank as wrong:
        return no_bank(visit, rig_id, wrong, "survey")
    return visit.page(
        "survey/pins.html",
        status=422 if problems else 200,
        head=visit.head(rig_id),
        stage="survey",
        view=view,
        what=WHAT,
        gone=gone,
        typed=typed or {},
        problems=problems or {},
    )


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int, photo_id: int, gone: int = 0) -> Response:
    """A photo with its pins."""
    return _show(visit, rig_id, photo_id, gone=gone)


@router.post("")
@for_the_shop
def put(visit: VisitDep, rig_id: int, photo_id: int, sent: SentPin) -> Response:
    """Set a pin."""
    try:
        set_pin(visit.context, rig_id, sent.read().given(photo_id), who=visit.who)
    except InvalidInput as wrong:
        return _show(visit, rig_id, photo_id, typed=sent.typed, problems=wrong.problems)
    return RedirectResponse(f"/rigs/{rig_id}/survey/photos/{photo_id}/pins", 303)


@router.post("/{pin_id}")
@for_the_shop
def take_out(visit: VisitDep, rig_id: int, photo_id: int, pin_id: int, sent: SentBack) -> Response:
    """Take a pin out, or bring it back."""
    back = sent.read().back == "1"
    take_pin_out(visit.context, rig_id, pin_id, back=back)
    gone = "" if back else f"?gone={pin_id}"
    return RedirectResponse(f"/rigs/{rig_id}/survey/photos/{photo_id}/pins{gone}", 303)
