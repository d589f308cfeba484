"""The path board as pages show it: at Path for the plan, at Survey for what was found."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Literal

from fastapi.responses import Response

from volnik.core.path.cases import CASES
from volnik.core.path.edits import block_places
from volnik.core.path.findings.cables import right_stack, stud_torque
from volnik.core.rig.stud_ref import StudRef
from volnik.core.shelf.conductors import AMPACITY_AWG, AMPACITY_MM2, HOLES_MM
from volnik.drawings.path import draw_board
from volnik.services.path.board import BoardView, board_view
from volnik.services.path.read import NoBank, Which
from volnik.web.forms.devices import figure_text, figure_usual, figures_for
from volnik.web.forms.path import LOOK, BoardForm
from volnik.web.visit import Visit

SIZES = [f"{mm2:g} mm²" for mm2 in AMPACITY_MM2] + [f"{name} AWG" for name in AMPACITY_AWG]

ENDS: tuple[Literal["a"], Literal["b"]] = ("a", "b")


def board_page(
    visit: Visit, rig_id: int, template: str, which: Which, look: dict[str, str], **given: Any
) -> Response:
    """The board, whole or as a fragment, for Path and Survey alike.

    Args:
        look: what is looked at: the picked device, the load case, what the slip shows, whether positives are
            drawn.
    """
    context = visit.context
    awg = visit.system == "us"
    case = look.get("case") if look.get("case") in CASES else "together"
    view = board_view(context, rig_id, which, pick=look.get("pick") or None, case=str(case), awg=awg)
    positives = look.get("positives", "0" if given.get("stage") == "survey" else "1") != "0"
    board = draw_board(view.seen, pick=view.pick, loop=view.loop, positives=positives)
    return visit.page(
        template,
        head=visit.head(rig_id),
        view=view,
        board=board,
        which=which,
        slip=slip_of(view, look.get("show", "")),
        cases=CASES,
        case=case,
        positives=positives,
        show=look.get("show", ""),
        sizes=SIZES,
        holes=list(HOLES_MM),
        rig_id=rig_id,
        steps=view.path.found_steps if which == "found" else view.path.planned_steps,
        **{"stage": "path", **given},
    )


def slip_of(view: BoardView, show: str) -> dict[str, Any] | None:
    """What the slip shows: a cable, stud, device or block, with what can be changed of it.

    None when it is gone.
    """
    kind, _, name = show.partition(":")
    if kind in ("add", "mount", "monitor"):
        return {"kind": kind}
    of = SLIPS.get(kind)
    facts = None if of is None else of(view, name)
    return None if facts is None else {"kind": kind, **facts}


def _cable_slip(view: BoardView, name: str) -> dict[str, Any] | None:
    seen = view.seen
    cable = seen.wiring.cable(name)
    if cable is None:
        return None
    drawing = view.path.drawing(view.which)
    title = seen.cable_name(cable)
    poles = (seen.studs[cable.a].pole, seen.studs[cable.b].pole)
    return {
        "cable": cable,
        "title": title[0].upper() + title[1:],
        "landings": {end: drawing.landings(cable, end) for end in ENDS},
        "own": seen.studs[cable.a].place in ("device", "battery", "monitor"),
        "studs": seen.studs,
        "row": next((row for row in view.conductors if row.id == cable.id), None),
        "carries": seen.carries_a(cable),
        "plus": "plus" in poles or seen.is_thin(cable),
    }


def _stud_slip(view: BoardView, name: str) -> dict[str, Any] | None:
    seen = view.seen
    stud = seen.studs.get(StudRef(name))
    if stud is None:
        return None
    facts = seen.wiring.studs.get(name)
    right = right_stack(seen, seen.by_stud[name])
    stack = [lug for lug in (facts.stack if facts else ()) if lug in right]
    others = [
        other
        for other in seen.studs.values()
        if other.id != name and other.pole == stud.pole and other.owner != stud.owner
    ]
    return {
        "stud": stud,
        "torque": stud_torque(seen, name),
        "stated": facts,
        "stack": [*stack, *(lug for lug in right if lug not in stack)],
        "cables": {cable.id: seen.cable_name(cable) for cable in seen.by_stud[name]},
        "bar": seen.bars.get(name),
        "isolator": stud.owner if stud.place == "isolator" else None,
        "shunt": stud.place == "shunt",
        "others": others,
    }


def _device_slip(view: BoardView, name: str) -> dict[str, Any] | None:
    device = view.seen.device(name)
    if device is None:
        return None
    precharge = name in view.seen.wiring.precharge
    return {"device": device, "share": view.seen.shares.get(name), "precharge": precharge}


def _block_slip(view: BoardView, name: str) -> dict[str, Any] | None:
    if f"{name}.plus" not in view.seen.studs:
        return None
    return {"name": name, "place": block_places(view.seen.bank, view.seen.wiring)[name]}


SLIPS: dict[str, Callable[[BoardView, str], dict[str, Any] | None]] = {
    "cable": _cable_slip,
    "stud": _stud_slip,
    "device": _device_slip,
    "block": _block_slip,
}


def look_of(query: Mapping[str, str]) -> dict[str, str]:
    """What is looked at, from the address."""
    return {name: query[name][:80] for name in LOOK if name in query}


def no_bank(visit: Visit, rig_id: int, wrong: NoBank, stage: str) -> Response:
    """What a page of drawings says of a rig whose bank nobody described yet."""
    head = visit.head(rig_id)
    return visit.page("path/no_bank.html", head=head, sentence=wrong.problems["bank"], stage=stage)


def survey_board(
    visit: Visit,
    rig_id: int,
    template: str,
    look: dict[str, str],
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
        look,
        stage="survey",
        typed=typed,
        problems=problems or {},
        fresh="added" in visit.query or bool(problems),
        figure_text=figure_text,
        figure_usual=figure_usual,
        figures_for=figures_for,
        **{"device_typed": {}, "device_problems": {}, **given},
    )
    answer.status_code = 422 if problems or given.get("device_problems") else 200
    return answer


def changed_board(visit: Visit, rig_id: int, form: BoardForm) -> Response:
    """The board after a change, on the page it was made on."""
    if form.page == "survey":
        return survey_board(visit, rig_id, "survey/_devices.html", form.look)
    return board_page(visit, rig_id, "path/_board.html", form.which, form.look)
