"""Survey, the bank: what stands there, what it holds, what is wrong with it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

from volnik.core.findings import Finding, by_weight
from volnik.core.rig.bank import Bank, bank_findings
from volnik.core.rig.capacity import Conversion
from volnik.core.rig.rig import Rig
from volnik.core.shelf.chemistries import Chemistry
from volnik.services.context import AppContext
from volnik.services.shelf.chemistries import table_of
from volnik.store import rigs as store


@dataclass(frozen=True, slots=True)
class SurveyView:
    """A rig at Survey: its bank, what it holds, the findings, and the table of chemistries in force."""

    rig: Rig
    bank: Bank | None
    chemistry: Chemistry | None
    capacity: Conversion | None
    findings: list[Finding]
    chemistries: dict[str, Chemistry]


def survey_view(context: AppContext, rig_id: int, bank: Bank | None = None) -> SurveyView:
    """The Survey of a rig, with its own bank or one that is only being tried."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        table = table_of(session)
    bank = rig.bank if bank is None else bank
    if bank is None:
        return SurveyView(rig, None, None, None, [], table)
    chemistry = table[bank.chemistry]
    year = datetime.fromtimestamp(context.now(), UTC).year
    return SurveyView(
        rig,
        bank,
        chemistry,
        bank.capacity(chemistry),
        by_weight(bank_findings(bank, chemistry, this_year=year)),
        table,
    )


def save_bank(context: AppContext, rig_id: int, bank: Bank, *, by_user: bool = True) -> None:
    """Keep a bank with its rig. The numbers keep what they were set to; a difference becomes a finding."""
    with context.change(rig_id, by_user=by_user) as work:
        before = store.rig(work.session, rig_id).bank
        store.set_bank(work.session, rig_id, bank)
        work.record(
            "bank",
            "battery described",
            before={} if before is None else before.as_flat(),
            after=bank.as_flat(),
        )
