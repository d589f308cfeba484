"""The path board as pages show it: at Path for the plan, at Survey for what was found."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fastapi.responses import Response

from volnik.core.path.cases import CASES
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.conductors import AMPACITY_AWG, AMPACITY_MM2, HOLES_MM
from volnik.drawings.path import draw_board
from volnik.services.path.board import board_view
from volnik.services.path.read import NoBank, Which
from volnik.web.forms.devices import figure_text, figure_usual, figures_for, learned_words, truths_for
from volnik.web.forms.path import SHOWN, BoardForm
from volnik.web.views.path import board_page_view, found_page_view
from volnik.web.views.read_back import read_back
from volnik.web.views.slips import slip_of
from volnik.web.visit import Visit

SIZES = [f"{mm2:g} mm²" for mm2 in AMPACITY_MM2] + [f"{name} AWG" for name in AMPACITY_AWG]


def board_page(
    visit: Visit, rig_id: int, template: str, which: Which, shown: dict[str, str], **given: Any
) -> Response:
    """The board, whole or as a fragment, for Path and Survey alike.

    Args:
        shown: what is looked at: the picked device, the load case, what the slip shows, whether positives are
            drawn.
    """
    context = visit.context
    awg = visit.system == "us"
    case = shown.get("case") if shown.get("case") in CASES else "together"
    view = board_view(context, rig_id, which, pick=shown.get("pick") or None, case=str(case), awg=awg)
    positives = shown.get("positives", "0" if given.get("stage") == "survey" else "1") != "0"
    board = draw_board(view.analysis, pick=view.pick, loop=view.loop, positives=positives)
    head = visit.head(rig_id)
    return visit.page(
        template,
        head=head,
        view=view,
        board=board,
        which=which,
        slip=slip_of(view, shown.get("show", ""), visit.system),
        shown=board_page_view(view, head.rig.zone),
        case=case,
        positives=positives,
        show=shown.get("show", ""),
        sizes=SIZES,
        holes=list(HOLES_MM),
        rig_id=rig_id,
        found=found_page_view(view, given.get("typed", "")),
        **{"stage": "path", **given},
    )


def shown_of(query: Mapping[str, str]) -> dict[str, str]:
    """What is looked at, from the address."""
    return {name: query[name][:80] for name in SHOWN if name in query}


def no_bank(visit: Visit, rig_id: int, wrong: NoBank, stage: str) -> Response:
    """What a page of drawings says of a rig whose bank nobody described yet."""
    head = visit.head(rig_id)
    return visit.page("path/no_bank.html", head=head, sentence=wrong.problems["bank"], stage=stage)


def survey_board(
    visit: Visit,
    rig_id: int,
    template: str,
    shown: dict[str, str],
    *,
    typed: str = "",
    problems: dict[int, str] | None = None,
    **given: Any,
) -> Response:
    """The drawing of what was found, with its quick lines and, where a device is shown, its figures."""
    answer = board_page(
        visit,
        rig_id,
        template,
        "found",
        shown,
        stage="survey",
        typed=typed,
        problems=problems or {},
        fresh="added" in visit.query or bool(problems),
        read_back=read_back,
        figure_text=figure_text,
        figure_usual=figure_usual,
        learned_words=learned_words,
        figures_for=figures_for,
        truths_for=truths_for,
        chemistries=[(key, one.name) for key, one in CHEMISTRIES.items()],
        **{"device_typed": {}, "device_problems": {}, "added": visit.query.get("added", "")[:2000], **given},
    )
    answer.status_code = 422 if problems or given.get("device_problems") else 200
    return answer


def changed_board(visit: Visit, rig_id: int, form: BoardForm) -> Response:
    """The board after a change, on the page it was made on."""
    if form.page == "survey":
        return survey_board(visit, rig_id, "survey/_devices.html", form.shown)
    return board_page(visit, rig_id, "path/_board.html", form.which, form.shown)
