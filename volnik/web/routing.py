"""How a route is answered: by whom it may be asked, and for a page all that it reads as of one instant."""

from __future__ import annotations

from collections.abc import Callable, Coroutine
from typing import Any, TypeVar

from fastapi import HTTPException, Request, Response
from fastapi.routing import APIRoute

from volnik.core.roles import ROLES, Role
from volnik.web.security import paired_of
from volnik.web.state import state_of

Endpoint = TypeVar("Endpoint", bound=Callable[..., Any])
Answering = Callable[[Request], Coroutine[Any, Any, Response]]


def _lets_in(*roles: Role | str) -> Callable[[Endpoint], Endpoint]:
    def name(endpoint: Endpoint) -> Endpoint:
        endpoint.roles = roles  # type: ignore[attr-defined]
        return endpoint

    return name


for_everyone = _lets_in("installer", "helper", "owner")
"""Looks at one rig, or at nothing of any rig; an owner at his own alone."""

for_the_shop = _lets_in("installer", "helper")
"""Looks at all rigs, ticks, measures, takes photos, brings readings."""

for_installers = _lets_in("installer")
"""Changes what is planned, set or kept."""

for_this_machine = _lets_in()
"""Opens doors: only where Volnik runs."""

by_key = _lets_in("key")
"""Opened by a key, or on this machine."""

for_strangers = _lets_in("installer", "helper", "owner", "stranger")
"""Asked before one is paired."""


class RoleRoute(APIRoute):
    """A route that looks who asks."""

    def get_route_handler(self) -> Answering:
        """The route's own handler, for those it lets in."""
        answer = super().get_route_handler()
        roles = getattr(self.endpoint, "roles", ())

        async def answer_those_let_in(request: Request) -> Response:
            _check(request, roles)
            return await answer(request)

        return answer_those_let_in


def _check(request: Request, roles: tuple[str, ...]) -> None:
    """Refuse a paired phone what its role does not let it do.

    Raises:
        HTTPException: 403 with a sentence.
    """
    paired = paired_of(request)
    if paired is None:
        return  # this machine, a key, or a stranger that the guard let through
    if paired.role not in roles:
        word, may = ROLES[paired.role]
        raise HTTPException(403, f"This phone is paired as {word}: {may}. Ask who holds the laptop.")
    rig_id = request.path_params.get("rig_id")
    if paired.role == "owner" and rig_id is not None and str(rig_id) != str(paired.rig_id):
        raise HTTPException(403, "This phone is paired with another rig.")


class PageRoute(RoleRoute):
    """A route whose GET is one read transaction, ended before the answer is sent."""

    def get_route_handler(self) -> Answering:
        """The route's own handler within one reading."""
        answer = super().get_route_handler()

        async def answer_of_one_instant(request: Request) -> Response:
            if request.method != "GET":
                return await answer(request)
            with state_of(request).context.db.one_reading():
                return await answer(request)

        return answer_of_one_instant
