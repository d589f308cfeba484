"""Why a rig's job exists: kept as a dated note, the latest of which holds."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from volnik.core.survey.enquiry import Enquiry
from volnik.core.values import read_plain
from volnik.services.context import AppContext
from volnik.store import watching

KIND = "enquiry"


def read_enquiry(session: Session, rig_id: int) -> Enquiry:
    """What was answered last, or nothing."""
    kept = watching.notes(session, rig_id, KIND)
    return Enquiry.model_validate(kept[-1].body) if kept else Enquiry()


def enquiry_of(context: AppContext, rig_id: int) -> Enquiry:
    """As `read_enquiry`, in a reading of its own."""
    with context.db.reading() as session:
        return read_enquiry(session, rig_id)


def keep_enquiry(context: AppContext, rig_id: int, given: dict[str, Any], *, who: str) -> Enquiry:
    """Keep what was answered.

    Raises:
        InvalidInput: naming each answer that cannot stand.
    """
    asked = read_plain(Enquiry, given)
    now_s = context.now()
    with context.change(rig_id) as work:
        if asked == read_enquiry(work.session, rig_id):
            work.nothing_changed()
        else:
            body = asked.model_dump(mode="json", exclude_defaults=True)
            watching.add_note(work.session, rig_id, KIND, time_s=now_s, saved_s=now_s, who=who, body=body)
    return asked
