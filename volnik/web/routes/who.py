"""Who holds this browser: said once, kept in a cookie; records store the name."""

from __future__ import annotations

from urllib.parse import quote, unquote

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.services.shop.names import NOBODY, add_name, names
from volnik.web.forms.fields import text
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter()
COOKIE = "volnik_who"


def who(request: Request) -> str:
    """The name of the one who holds this browser, or that none was given."""
    message = " ".join(unquote(request.cookies.get(COOKIE, "")).split())[:40]
    return message or NOBODY


def who_given(request: Request) -> dict[str, object]:
    """What pages with records show: who holds the browser, and the names to choose from."""
    now = who(request)
    return {"who": "" if now == NOBODY else now, "names": names(state_of(request).context)}


def _back(here: str) -> str:
    return here if here.startswith("/") and not here.startswith("//") else "/"


@router.post("/who")
def say_who(request: Request, form: FormData = Depends(guarded_form)) -> Response:
    """Keep who holds this browser; a new name joins the shop's list."""
    try:
        name = add_name(state_of(request).context, text(form, "new_name") or text(form, "who"))
    except InvalidInput:
        return RedirectResponse(_back(text(form, "here")), 303)
    answer = RedirectResponse(_back(text(form, "here")), 303)
    answer.set_cookie(COOKIE, quote(name), max_age=400 * 86400, samesite="strict")
    return answer
