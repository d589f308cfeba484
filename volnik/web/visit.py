"""One request and all that answers it, typed: what every route is given."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse

from volnik.core.units import System
from volnik.services.context import AppContext
from volnik.services.shop.names import NOBODY, names
from volnik.services.yard.rigs import RigStrip, rig_head
from volnik.web.page import page
from volnik.web.security import who_of
from volnik.web.state import WebState, state_of
from volnik.web.us_units import system_in
from volnik.web.views.rig import belief, wiring_words


@dataclass(frozen=True, slots=True)
class Visit:
    """One request, and the running shop that answers it."""

    request: Request
    state: WebState

    @property
    def context(self) -> AppContext:
        """The running shop."""
        return self.state.context

    @property
    def query(self) -> Mapping[str, str]:
        """What the address asks for."""
        return self.request.query_params

    @property
    def system(self) -> System:
        """The units of this browser."""
        return system_in(self.request)

    @property
    def who(self) -> str:
        """The name of the one who holds this browser, or that none was given."""
        return who_of(self.request)

    def who_given(self) -> dict[str, object]:
        """What pages with records show: who holds the browser, and the names to choose from."""
        return {"who": "" if self.who == NOBODY else self.who, "names": names(self.context)}

    def head(self, rig_id: int) -> RigStrip:
        """A rig as every page's head shows it.

        Raises:
            NotFound: when there is none.
        """
        return rig_head(self.context, rig_id)

    def catch_up(self, rig_id: int) -> None:
        """Let what a live rig sent come into its log before the page reads it."""
        if self.state.live.now(rig_id) is not None:
            self.state.ingest.catch_up(rig_id)
            self.context.db.read_anew()

    def page(self, template: str, *, status: int = 200, **given: Any) -> HTMLResponse:
        """Render a page or a fragment; one of a rig says in its head which wiring it stands on."""
        if "head" in given:
            given["wiring"] = wiring_words(given["head"], given["stage"])
            given["belief"] = None if given.get("says_belief") else belief(given["head"].rig.summary)
        return page(self.request, template, status=status, **given)


async def visit_of(request: Request) -> Visit:
    """The FastAPI dependency that makes a visit; not in a thread, for it does nothing slow."""
    return Visit(request, state_of(request))


VisitDep = Annotated[Visit, Depends(visit_of)]


def own_path(given: str, *, otherwise: str = "/") -> str:
    """An address to go back to, as long as it is one of this shop's own."""
    return given if given.startswith("/") and not given.startswith("//") else otherwise
