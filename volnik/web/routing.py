"""How a page is answered: all that it reads is read as of one instant."""

from __future__ import annotations

from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import Request, Response
from fastapi.routing import APIRoute

from volnik.web.state import state_of


class PageRoute(APIRoute):
    """A route whose GET is one read transaction, ended before the answer is sent."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """The route's own handler within one reading."""
        answer = super().get_route_handler()

        async def answer_of_one_instant(request: Request) -> Response:
            if request.method != "GET":
                return await answer(request)
            with state_of(request).context.db.one_reading():
                return await answer(request)

        return answer_of_one_instant
