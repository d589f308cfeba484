"""The tour of the demo: begun, led on, left at any time."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.services.yard.rigs import rig_of_demo
from volnik.web.forms.yard import SentTour
from volnik.web.routing import PageRoute, for_the_shop
from volnik.web.tour import DEMO_KEY, STEPS, TOUR_COOKIE, address_of
from volnik.web.visit import VisitDep, own_path

router = APIRouter(route_class=PageRoute)


@router.post("/tour")
@for_the_shop
def lead(visit: VisitDep, sent: SentTour) -> Response:
    """Go to a step of the tour, or leave it where one is."""
    form = sent.read()
    number = int(form.step) if form.step.isdigit() and len(form.step) < 3 else 0
    rig_id = rig_of_demo(visit.context, DEMO_KEY)
    if number == 0 or rig_id is None:
        answer = RedirectResponse(own_path(form.here), 303)
        answer.delete_cookie(TOUR_COOKIE)
        return answer
    answer = RedirectResponse(address_of(number, rig_id), 303)
    if number > len(STEPS):
        answer.delete_cookie(TOUR_COOKIE)
    else:
        answer.set_cookie(TOUR_COOKIE, str(number), samesite="strict")
    return answer
