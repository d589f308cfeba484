"""A paper from a rig's archive, without a running shop: the same archive gives the same bytes."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

from volnik.core.errors import InvalidInput
from volnik.core.papers.event import event_report
from volnik.core.papers.paper import Paper, Size
from volnik.core.papers.tongue import tongue
from volnik.core.rig.rig import Rig
from volnik.outlets.papers import typeset
from volnik.services.context import AppContext
from volnik.services.handover.issues import PAPERS, SIZES, handover_view
from volnik.services.watch.stretch import stretch
from volnik.services.yard.archive import take_in
from volnik.services.yard.rigs import speak

DAY_S = 86_400.0
EVENT = "event"

Drawing = Callable[[AppContext, int], str]
"""Draws what stands on a rig, as SVG that stands alone."""


def paper_of(
    context: AppContext,
    archive: Path,
    *,
    paper: str,
    size: str,
    shop: str,
    drawing: Drawing,
    span: tuple[str, str] = ("", ""),
    language: str = "",
) -> bytes:
    """A paper of the rig in an archive.

    Args:
        context: an empty shop to take it into.
        paper: of PAPERS, or "event".
        size: "a4" or "us-letter".
        shop: whose paper it is.
        span: from, to of an event, on the rig's own clock; by default the last day.
        language: of the paper; by default its owner's.

    Raises:
        InvalidInput: where the archive cannot be taken in, or the paper cannot be made of it.
        OSError: where the file cannot be read.
    """
    chosen: Size | None = next((each for each in SIZES if each == size), None)
    if chosen is None or paper not in (*PAPERS, EVENT):
        raise InvalidInput({"paper": f"Choose of {', '.join((*PAPERS, EVENT))}, on {' or '.join(SIZES)}."})
    with archive.open("rb") as file:
        rig = take_in(context, file, {})
    if language:
        rig = speak(context, rig.id, language)
    rig = replace(rig, summary=handover_view(context, rig.id, shop=shop).rig.summary)
    made = _event(context, rig, span) if paper == EVENT else _handed(context, rig, paper, shop)
    if made.key == "shop":
        made = replace(made, drawing=drawing(context, rig.id))
    made_s = rig.created_s if math.isnan(rig.summary.at_s) else rig.summary.at_s
    return typeset(made, chosen, f"{rig.name}.", made_s, shop)


def _handed(context: AppContext, rig: Rig, paper: str, shop: str) -> Paper:
    view = handover_view(context, rig.id, shop=shop, key=paper)
    if view.paper is None or view.refusal:
        raise InvalidInput({"rig": view.refusal})
    return view.paper


def _event(context: AppContext, rig: Rig, span: tuple[str, str]) -> Paper:
    start_s, end_s = rig.summary.at_s - DAY_S, rig.summary.at_s
    try:
        instants = [
            datetime.fromisoformat(text).replace(tzinfo=ZoneInfo(rig.zone)).timestamp()
            for text in span
            if text
        ]
    except ValueError:
        raise InvalidInput({"span": "Give the instants such as 2026-11-15T12:00."}) from None
    if len(instants) == len(span):
        start_s, end_s = instants
    return event_report(stretch(context, rig.id, start_s, end_s).facts, drawing="", say=tongue(rig.language))
