"""The patterns page: each part and drawing in each of its states, for people and for pictures."""

from __future__ import annotations

import math
from dataclasses import replace

from fastapi import APIRouter
from fastapi.responses import Response

from volnik.core.count.runtime import Runtime
from volnik.core.findings import Finding
from volnik.core.path.analysis import analyse
from volnik.core.path.cases import solve_case
from volnik.core.path.edits import Drawing, apply
from volnik.core.path.judgement import mend_all
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.rig.wiring import Wiring
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.parts import starting_catalogue
from volnik.core.shelf.presets import PRESETS
from volnik.core.stages import PlanFacts, ProveFacts, RecordFacts, WireUpFacts, stage_statuses
from volnik.core.survey.lines import enter
from volnik.core.watch.outlook import outlook
from volnik.drawings.bank import draw_bank
from volnik.drawings.path import draw_board
from volnik.drawings.path_parts import PathBoard
from volnik.drawings.questions import draw_questions
from volnik.drawings.rail import draw_rail
from volnik.web.routing import PageRoute, for_the_shop
from volnik.web.visit import VisitDep

router = APIRouter(route_class=PageRoute)

DONE_SO_FAR = RecordFacts(
    has_bank=True,
    has_devices=True,
    has_numbers=True,
    has_log=True,
    count_known=True,
    plan=PlanFacts(True),
    wireup=WireUpFacts(planned=True, stands=True),
    prove=ProveFacts(begun=True, proven=4, devices=4, open=()),
)


@router.get("/patterns")
@for_the_shop
def show(visit: VisitDep) -> Response:
    """Every part in every state."""
    numbers = Numbers(320, 20, 1.03, 0.99, 13.9, 4, 180, 0.1, 15, None, 180)
    clock = [("22:00", 6.0), ("07:00", 15.0)]
    rails = {
        "discharging": (110.0, Runtime("discharging", 8.0, 20.0)),
        "charging": (60.0, Runtime("charging", -12.0, None, 5.0)),
        "below the reserve": (300.0, Runtime("discharging", 4.0, 0.0)),
        "standing still": (20.0, Runtime("idle", 0.0)),
        "unknown": (math.nan, Runtime("unknown", math.nan)),
    }
    drawn = {
        name: draw_rail(
            numbers,
            deficit,
            outlook(runtime, deficit, numbers, clock) if deficit == deficit else [],
            width=1240.0,
        )
        for name, (deficit, runtime) in rails.items()
    }
    label = CapacityLabel("nameplate", ah=225.0)
    banks = {
        "one battery": Bank("lfp", 4, 1, 1, label),
        "in parallel, opposite ends": Bank("agm", 6, 1, 3, label),
        "in parallel, one end": Bank("agm", 6, 1, 3, label, takeoff="one_end"),
        "four in a string, twice": Bank("flooded", 3, 4, 2, label),
    }
    questions = draw_questions(
        numbers, "blank", banks["one battery"], CHEMISTRIES["lfp"], {"tail_current_pct"}
    )
    findings = [
        Finding(
            f"pattern.{level}",
            level,
            f"A finding of level {level}.",
            "Why it matters.",
            "What to do.",
            "patterns",
        )
        for level in ("stop", "fix", "advise")
    ]
    stages = {
        "nothing yet": stage_statuses(RecordFacts()),
        "half way": stage_statuses(replace(DONE_SO_FAR, count_known=False, plan=PlanFacts(True, 2))),
        "all built stages done": stage_statuses(DONE_SO_FAR),
    }
    return visit.page(
        "patterns.html",
        paths=_paths(),
        rails=drawn,
        banks={name: draw_bank(bank, 225.0) for name, bank in banks.items()},
        questions_drawn=questions,
        findings=findings,
        stages=stages,
    )


def _paths() -> dict[str, tuple[PathBoard, str | None]]:
    """The path board counted, with a bypass, with a second way by the chassis, turned round, with a picked
    loop, without a shunt.
    """
    bank = Bank("agm", 6, 1, 1, CapacityLabel("nameplate", ah=110.0))
    lines = (
        "Heater, 2 A, battery post, fuse 15 A, 6 mm²\nSolar controller, 20 A, battery post, fuse 30 A, "
        "10 mm²\nPump, 6 A, chassis, fuse 10 A, 4 mm²\nChassis bond, battery post, 16 mm², 1 m"
    )
    entered = enter(lines, bank, (), Wiring(), PRESETS)
    bare = Drawing(bank, entered.devices, PRESETS, entered.wiring)
    analysis = analyse(bank, CHEMISTRIES["agm"], entered.devices, entered.wiring, presets=PRESETS)
    sound = Drawing(bank, entered.devices, PRESETS, mend_all(analysis, bare, starting_catalogue())[0])
    changes = {
        "every device counted": [],
        "a bypass": [{"op": "move_end", "cable": "heater_minus", "end": "b", "to": "A1.minus"}],
        "a second way by the chassis": [
            {"op": "add_cable", "a": "chassis", "b": "A1.minus", "size": "16 mm²"}
        ],
        "the shunt turned round": [{"op": "turn_shunt"}],
        "no shunt": [{"op": "set_shunt"}],
    }
    boards: dict[str, tuple[PathBoard, str | None]] = {}
    for name, ops in changes.items():
        looked = analyse(bank, CHEMISTRIES["agm"], entered.devices, apply(sound, ops), presets=PRESETS)
        boards[name] = (draw_board(looked), None)
        if not ops:
            loop = solve_case(looked.network, looked.devices, "one", "solar_controller")
            boards["a picked loop"] = (
                draw_board(looked, pick="solar_controller", loop=loop),
                "solar_controller",
            )
    return boards
