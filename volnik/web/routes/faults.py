"""Faults, a page each: how one looks, what to measure, what it is confused with."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from fastapi.responses import Response

from volnik.core.practice.faults import KINDS, faults
from volnik.web.routing import PageRoute, for_the_shop
from volnik.web.visit import VisitDep

router = APIRouter(prefix="/faults", route_class=PageRoute)


@router.get("")
@for_the_shop
def contents(visit: VisitDep) -> Response:
    """All of them, by kind, in the order they are looked for."""
    by_kind = {
        name: {key: one for key, one in faults().items() if one.kind == kind} for kind, name in KINDS.items()
    }
    return visit.page("faults/contents.html", by_kind=by_kind, count=len(faults()))


@router.get("/{key}")
@for_the_shop
def fault(visit: VisitDep, key: str) -> Response:
    """One of them."""
    if key not in faults():
        raise HTTPException(404, "There is no page of such a fault.")
    titles = {name: one.title for name, one in faults().items()}
    return visit.page("faults/fault.html", fault=faults()[key], titles=titles, kinds=KINDS)
