"""Who holds this browser: said once, kept in a cookie; records store the name."""

from __future__ import annotations

from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.services.shop.names import add_name
from volnik.web.forms.yard import SentWho
from volnik.web.routing import PageRoute, for_the_shop
from volnik.web.security import WHO_COOKIE
from volnik.web.visit import VisitDep, own_path

router = APIRouter(route_class=PageRoute)


@router.post("/who")
@for_the_shop
def say_who(visit: VisitDep, sent: SentWho) -> Response:
    """Keep who holds this browser; a new name joins the shop's list."""
    form = sent.read()
    answer = RedirectResponse(own_path(form.here), 303)
    try:
        name = add_name(visit.context, form.new_name or form.who)
    except InvalidInput:
        return answer
    answer.set_cookie(WHO_COOKIE, quote(name), max_age=400 * 86400, samesite="strict")
    return answer
