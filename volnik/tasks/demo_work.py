"""Work already done on the demo rigs.

Names, ticks, proofs and sheets, through the same doors as the pages.
"""

from __future__ import annotations

from typing import Any

from volnik.core.prove.record import Occasion, SeenStep
from volnik.core.prove.rollcall import expected_of
from volnik.core.visits.acts import done_from
from volnik.core.wireup.steps import Step
from volnik.outlets.papers import typeset
from volnik.services.context import AppContext
from volnik.services.handover.issues import issue, sign_issue
from volnik.services.numbers import sheets
from volnik.services.numbers.alarms import alarms_view, save_alarm
from volnik.services.prove.record import keep, keep_step, prove_view
from volnik.services.shop.names import add_name
from volnik.services.visits.visit import Occasion as VisitOccasion
from volnik.services.visits.visit import keep_visit
from volnik.services.wireup.job import close_job, job_view, take_ticks

SHOP = "Saltreach Mobile Power"
HANDED_DAYS = 390.0  # ago
VISIT_DAYS = 47.5  # ago: between the two years of the library van
PROVEN_DAYS = {"bookbus": 398.0, "dome": 49.5}  # ago
NAMES = ("Maren", "Tolly", "Isolde")
SAID = {
    "claimed": "four lamps of four, at 12.4 V",
    "firmware": "2.14",
    "aux_mode": "12.7 V",
    "must_not:vaccine_fridge": "cool box with ice packs, two hours",
    "must_not:bilge_pump": "moored, Maren aboard with the hand pump",
    "must_not:gas_alarm": "gas bottle shut, hatch open",
}


def fill_work(context: AppContext, rig_id: int, key: str) -> None:
    """What was done on a demo rig before the demo opens."""
    for name in NAMES:
        add_name(context, name)
    if key in ("bookbus", "dome"):  # as proposed, and kept: from then on live readings are judged by them
        first = alarms_view(context, rig_id).alarms.alarms[0]
        save_alarm(context, rig_id, first.model_dump(mode="json"), reason="set at commissioning")
    if key in ("bookbus", "dome", "vetvan", "marigold"):
        view = sheets.sheet_view(context, rig_id)
        sheets.give_out(context, rig_id, view.sheet.dialect.key)
    if key == "marigold":
        _tick(context, rig_id, "Maren", until=26)
        _note(
            context,
            rig_id,
            "lug:inverter_minus",
            "Tolly",
            "old lug cracked at the barrel: cut back 40 mm, new lug",
        )
    elif key == "vetvan":
        _tick(context, rig_id, "Tolly", until=None)
        close_job(context, rig_id, who="Tolly")
    elif key in ("bookbus", "dome"):
        _proven(context, rig_id, PROVEN_DAYS[key], leave=("solar_controller",) if key == "dome" else ())
        _read_back(context, rig_id)
        if key == "bookbus":
            _handed_over(context, rig_id)
            _second_year(context, rig_id)


def _read_back(context: AppContext, rig_id: int) -> None:
    """The numbers of the sheet, found in the monitor as they were given out."""
    rows = sheets.sheet_view(context, rig_id).sheet.rows
    sheets.read_back(context, rig_id, {row.key: row.value for row in rows if row.value is not None})


def _handed_over(context: AppContext, rig_id: int) -> None:
    """The sheet its owner got a year ago, signed on paper."""
    at_s = context.now() - HANDED_DAYS * 86_400.0
    made = issue(context, rig_id, size="a4", shop=SHOP, who="Isolde", typeset=typeset, issued_s=at_s)
    names = {"installer": "Isolde", "owner": "County library"}
    sign_issue(
        context, rig_id, made.id, names=names, place="Saltreach", strokes={}, on_paper=True, time_s=at_s
    )


def _second_year(context: AppContext, rig_id: int) -> None:
    """The visit with which the second year began: a battery swapped, its joints torqued."""
    swapped = {"which": "B1", "old": "160 Ah, 118 Ah measured", "new": "Lowtide 160"}
    torqued = {"joints": "B1 plus, 12 N·m, 0.7 mV\nB1 minus, 12 N·m, 0.8 mV\nA1 minus, 12 N·m, 0.7 mV"}
    keep_visit(
        context,
        rig_id,
        VisitOccasion(context.now() - VISIT_DAYS * 86_400.0, "Isolde", "yearly look; one battery weak"),
        [done_from("swapped", swapped, {"ah": 160.0}), done_from("torqued", torqued, {})],
    )


def _value(step: Step, volts: float) -> Any:
    if step.ask == "torque":
        return step.torque_nm
    if step.ask == "amps":
        return 0.02
    if step.ask == "yes_no":
        return "yes"
    if step.ask == "text":
        return SAID.get(step.key, "noted")
    if step.ask == "volts":
        return 0.0 if step.most is not None or step.key == "solar_off" else round(volts, 2)
    return None


def _tick(context: AppContext, rig_id: int, who: str, *, until: int | None) -> None:
    view = job_view(context, rig_id)
    volts = 1.06 * view.path.analysis("planned").nominal_v
    steps = view.status.steps[: until or len(view.status.steps)]
    start_s = context.now() - 60.0 * 6 * len(view.status.steps)
    sent = []
    for step in steps:
        value = _value(step.step, volts)
        body = {} if value is None else {"value": value}
        sent.append(
            {
                "mark": f"demo-{rig_id}-{step.step.key}",
                "step": step.step.key,
                "kind": "done",
                "time_s": start_s + 360.0 * step.number,
                "body": body,
            }
        )
    refused = [sent_tick for sent_tick in take_ticks(context, rig_id, sent, who=who) if not sent_tick.kept]
    if refused:
        raise AssertionError(f"the demo's ticks are refused: {refused[0].why}")


def _note(context: AppContext, rig_id: int, step: str, who: str, message: str) -> None:
    take_ticks(
        context,
        rig_id,
        [
            {
                "mark": f"demo-{rig_id}-note-{step}",
                "step": step,
                "kind": "note",
                "body": {"text": message},
                "time_s": context.now() - 3600.0,
            }
        ],
        who=who,
    )


def _proven(context: AppContext, rig_id: int, days_ago: float, *, leave: tuple[str, ...]) -> None:
    view = prove_view(context, rig_id)
    when = context.now() - days_ago * 86_400.0
    volts = view.analysis.nominal_v * 1.02
    for at, row in enumerate(view.rows):
        if row.device.id in leave:
            continue
        wanted = expected_of(row.device, volts)[:1] if row.device.takes else (0.8 * row.device.gives_a,)
        seen_a = round(wanted[0] * (0.94 + 0.02 * (at % 6)), 2)
        occasion = Occasion("typed", "Isolde", when + 240.0 * at, f"demo-{rig_id}-roll-{row.device.id}")
        keep_step(context, rig_id, row.device.id, SeenStep(seen_a, 0.02, wanted), occasion)
    for check, values in (
        ("volts", {"meter": round(volts, 2), "monitor": round(volts + 0.01, 2)}),
        ("zero", {"amps": 0.02}),
        ("gain", {"clamp": 24.6, "monitor": 24.3}),
        ("idle", {"amps": -0.31}),
        ("temperature", {"sensor": 14.5, "air": 13.8}),
        ("reach", {"bay": 14.0, "cab": 5.0, "tent": 9.0}),
    ):
        occasion = Occasion("typed", "Isolde", when + 5400.0, f"demo-{rig_id}-{check}")
        keep(context, rig_id, occasion, check=check, about="", values=values)
