"""A quick job tried, and kept: one act makes the rig, its bank, what is there, the plan and the numbers."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.findings import Finding
from volnik.core.numbers.defaults import default_numbers
from volnik.core.path.judgement import judge
from volnik.core.path.work import MaterialLine, parts_list
from volnik.core.quick.plan import Asked, QuickPlan, quick_plan
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.rig import Rig, rig_problems
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.shelf.parts import Catalogue
from volnik.core.wireup.cards import Card, cards_for
from volnik.core.wireup.plan import steps_for
from volnik.services.context import AppContext
from volnik.services.path.drawings import keep_plan, keep_survey
from volnik.services.path.read import read_path
from volnik.services.shelf.catalogue import catalogue_of
from volnik.services.shelf.chemistries import table_of
from volnik.store import rigs as store

BOATS = ("narrowboat", "sailboat")
REASON = "usual for this battery, from the quick job"


@dataclass(frozen=True, slots=True)
class Named:
    """What the rig of a quick job is called, and where it is.

    Attributes:
        name, silhouette, zone: as of `Rig`.
        dialect: key of the monitor's dialect, "" for the one at hand.
    """

    name: str
    silhouette: str
    zone: str
    dialect: str = ""


@dataclass(frozen=True, slots=True)
class Draft:
    """A quick job as far as it is typed.

    Attributes:
        plan: what came of it.
        chemistry: of the battery.
        findings: of the plan, gravest first.
        cards: the work; [] while there is none.
        parts: to buy or to take from the van.
        numbers: to start with; None without a battery.
    """

    plan: QuickPlan
    chemistry: Chemistry
    findings: list[Finding]
    cards: list[Card]
    parts: list[MaterialLine]
    numbers: Numbers | None


def try_it(context: AppContext, asked: Asked, silhouette: str) -> Draft:
    """What is typed so far as a plan; nothing is kept.

    Raises:
        InvalidInput: for a chemistry nobody knows.
    """
    with context.db.reading() as session:
        chemistry, catalogue = _shelf(session, asked)
    plan = quick_plan(asked, chemistry, catalogue)
    numbers = None if plan.bank is None else default_numbers(plan.bank, chemistry)
    if plan.planned is None or plan.found is None:
        return Draft(plan, chemistry, [], [], [], numbers)
    steps = steps_for(plan.found, plan.planned, silhouette=silhouette)
    return Draft(
        plan,
        chemistry,
        judge(plan.planned),
        cards_for(steps),
        parts_list(plan.found, plan.planned, catalogue),
        numbers,
    )


def _shelf(session: Session, asked: Asked) -> tuple[Chemistry, Catalogue]:
    table = table_of(session)
    if asked.chemistry not in table:
        raise InvalidInput({"chemistry": "Choose what the battery is made of."})
    return table[asked.chemistry], catalogue_of(store.shop(session, "catalogue"))


def keep_it(context: AppContext, asked: Asked, named: Named) -> int:
    """Keep a quick job as a rig: its number.

    Raises:
        InvalidInput: naming each field at fault; nothing is kept then.
    """
    with context.change(by_user=False) as work:
        session = work.session
        chemistry, catalogue = _shelf(session, asked)
        plan = quick_plan(asked, chemistry, catalogue)
        problems = {**_not_named(named), **plan.problems, **_lines_at_fault(plan)}
        if problems or plan.bank is None or plan.found is None or plan.planned is None:
            raise InvalidInput(problems or {"lines": "Type at least one device, a line each."})
        rig = store.add_rig(session, _rig(named, context.now()))
        store.set_bank(session, rig.id, plan.bank)
        keep_survey(
            session,
            context,
            rig.id,
            devices=plan.devices,
            monitor=Monitor(dialect=named.dialect),
            wiring=plan.found.wiring,
            what="quick job",
        )
        path = read_path(session, context, rig.id)
        keep_plan(session, context, path, plan.planned.wiring, what="quick job")
        numbers = default_numbers(plan.bank, chemistry)
        saved_s = context.now()
        store.add_numbers(
            session, rig.id, numbers, saved_s=saved_s, holds_from_s=None, reason=REASON, power_up="blank"
        )
        work.touch(rig.id)
        work.record("rig", f"{rig.name} taken in by a quick job", rig_id=rig.id)
        return rig.id


def _not_named(named: Named) -> dict[str, str]:
    return rig_problems(named.name, named.silhouette, named.zone)


def _lines_at_fault(plan: QuickPlan) -> dict[str, str]:
    if not plan.lines:
        return {}
    return {"lines": " ".join(f"Line {number}: {said}" for number, said in plan.lines.items())}


def _rig(named: Named, now_s: float) -> Rig:
    return Rig(0, named.name.strip(), named.silhouette, "", named.zone, now_s)
