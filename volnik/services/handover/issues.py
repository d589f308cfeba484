"""The papers of a rig: what is ready, issued and frozen, superseded by what changed, signed."""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.papers.labels import bay_labels
from volnik.core.papers.owner import owner_sheet
from volnik.core.papers.paper import Paper, Size, changed
from volnik.core.papers.shop import shop_file
from volnik.core.papers.tongue import Tongue, tongue
from volnik.core.rig.rig import Rig, timeline
from volnik.core.stages import HandoverFacts
from volnik.services.context import AppContext
from volnik.services.handover.facts import owner_facts, stops_of
from volnik.services.handover.shop_facts import label_facts, shop_facts
from volnik.services.path.read import NoBank, RigPath, read_path
from volnik.services.prove.record import State, prove_of
from volnik.services.visits.visit import standing_temporary
from volnik.store import chain, drawings, watching
from volnik.store import papers as kept
from volnik.store import rigs as store

PAPERS = {"owner": "Owner’s sheet", "shop": "Shop’s file", "labels": "Bay labels"}
SIGNED = "owner"  # the paper the stage rests on
SIZES: tuple[Size, ...] = ("a4", "us-letter")
MOST_STROKES, MOST_POINTS = 60, 4000
MOST_NAME = 60
NOTHING_KNOWN = "Describe the battery first: nothing is known of this rig yet."
SAME_WORDS = "what it rests on changed, its words did not"

Typeset = Callable[[Paper, Size, str, float, str], bytes]
"""Sets a paper in type: the paper, its size, the words at its foot, when it was made [s], who made it."""


@dataclass(frozen=True, slots=True)
class Ready:
    """One thing a rig is handed over with: what, whether it is there, and what is left."""

    what: str
    done: bool
    left: str


@dataclass(frozen=True, slots=True)
class Issue:
    """An issue, and what changed since: pairs of lines, what it says and what it would say now."""

    paper: kept.KeptPaper
    changes: list[tuple[str, str]]

    @property
    def current(self) -> bool:
        """Whether all it says still holds."""
        return not self.changes


@dataclass(frozen=True, slots=True)
class HandoverView:
    """A rig at Hand over.

    Attributes:
        rig: the rig.
        ready: what is there and what is left, in order.
        refusal: why nothing can be issued, "" where it can.
        key: of the paper shown, of PAPERS.
        paper: that paper as it would be issued now, or None.
        issues: what was issued, latest first.
        rests_on: a hash of what the paper is made from.
    """

    rig: Rig
    ready: list[Ready]
    refusal: str
    key: str
    paper: Paper | None
    issues: list[Issue]
    rests_on: str = ""


def handover_view(
    context: AppContext, rig_id: int, *, shop: str, key: str = SIGNED, page: str = ""
) -> HandoverView:
    """A rig at Hand over.

    Args:
        key: of the paper shown.
        page: address of the rig's page on the shop's network, "" for none.
    """
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        say = tongue(rig.language)
        try:
            path = read_path(session, context, rig_id)
        except NoBank:
            return HandoverView(rig, [], NOTHING_KNOWN, key, None, [])
        issued = kept.papers(session, rig_id)
        made = {
            wanted: _paper(session, context, rig_id, wanted, shop=shop, page=page, say=say)
            for wanted in {key, *(each.paper for each in issued)}
        }
        states = prove_of(session, path).states
        temporary = standing_temporary(session, rig_id)
        rests_on = {wanted: rests_on_now(session, path, states, wanted) for wanted in made}
    return HandoverView(
        rig,
        _ready(rig, states, temporary),
        _refusal(rig, key, made[key]),
        key,
        made[key],
        [_issue(each, rests_on[each.paper], made[each.paper]) for each in issued],
        rests_on[key],
    )


def _paper(
    session: Session, context: AppContext, rig_id: int, key: str, *, shop: str, page: str, say: Tongue
) -> Paper | None:
    """A paper as it would be issued now; None where too little is known."""
    if key == "shop":
        return shop_file(shop_facts(session, context, rig_id, shop=shop))
    if key == "labels":
        labels = label_facts(session, context, rig_id, shop=shop, page=page, say=say)
        return None if labels is None else bay_labels(labels, say)
    facts = owner_facts(session, context, rig_id, shop=shop, say=say)
    return None if facts is None else owner_sheet(facts, say)


def _ready(rig: Rig, states: list[State], temporary: list[watching.Note]) -> list[Ready]:
    summary = rig.summary
    found = [Ready(state.title, state.done, "" if state.done else state.message) for state in states]
    found.append(
        Ready(
            "Percentage believed",
            summary.believed == "plain",
            summary.reason or ("no full charge was seen yet" if summary.believed == "unknown" else ""),
        )
    )
    stops = stops_of(summary)
    found.append(Ready("Nothing to stop for", not stops, " ".join(stops)))
    left = ", ".join(str(note.body.get("note") or "work") for note in temporary)
    found.append(Ready("Nothing left for now", not temporary, left))
    return found


def _refusal(rig: Rig, key: str, paper: Paper | None) -> str:
    """Why a paper cannot be issued; a rig whose count lies is not handed over, its file tells of it."""
    if paper is None:
        return "Save its numbers first: without them no sheet says anything."
    if rig.summary.believed == "not" and key == SIGNED:
        return f"It cannot be handed over: the percentage cannot be believed. {rig.summary.reason}"
    return ""


def _issue(paper: kept.KeptPaper, rests_on: str, now: Paper | None) -> Issue:
    """An issue beside what it would say now; where nothing it rests on changed, it is current."""
    if paper.rests_on == rests_on or now is None:
        return Issue(paper, [])
    return Issue(
        paper, changed(paper.lines, now.text()) or [("", "what it rests on changed, its words did not")]
    )


def handover_facts(session: Session, path: RigPath, states: list[State]) -> HandoverFacts:
    """What the stage's bead rests on."""
    issued = [paper for paper in kept.papers(session, path.rig.id) if paper.paper == SIGNED]
    if not issued:
        return HandoverFacts()
    latest = issued[0]
    current = latest.rests_on == rests_on_now(session, path, states, SIGNED)
    return HandoverFacts(latest.number, current, latest.signed is not None)


def rests_on_now(session: Session, path: RigPath, states: list[State], key: str) -> str:
    """A hash of all that is on record and said on papers; readings and their doubt are left out."""
    rig_id = path.rig.id
    versions = timeline(store.numbers_versions(session, rig_id))
    built = drawings.as_built(session, rig_id)
    told: dict[str, Any] = {
        "rig": [path.rig.name, path.rig.what, path.rig.language],
        "bank": path.bank.as_flat(),
        "numbers": versions[-1].id if versions else None,
        "built": built[-1].from_s if built else None,
        "devices": [device.model_dump(mode="json") for device in path.devices],
        "monitor": path.monitor.model_dump(mode="json"),
        "proofs": [[state.key, state.done] for state in states],
        "visits": [note.id for note in watching.notes(session, rig_id, "visit")],
    }
    if key == "shop":
        photos = [photo for photo in drawings.photos(session, rig_id) if photo.on_papers]
        told["photos"] = [[photo.id, photo.caption] for photo in photos]
    return hashlib.sha256(json.dumps(told, sort_keys=True, default=str).encode()).hexdigest()


def issue(
    context: AppContext,
    rig_id: int,
    *,
    size: str,
    shop: str,
    who: str,
    typeset: Typeset,
    key: str = SIGNED,
    page: str = "",
    drawing: str = "",
    issued_s: float | None = None,
) -> kept.KeptPaper:
    """Issue a paper: frozen from then on.

    Args:
        key: of the paper.
        page: address of the rig's page, for the code on a label.
        drawing: SVG of what stands, for the shop's file.
        issued_s: when [s]; by default now.

    Raises:
        InvalidInput: where nothing can be issued, or for a size there is none of.
    """
    chosen = next((each for each in SIZES if each == size), None)
    if chosen is None or key not in PAPERS:
        raise InvalidInput({"size": "Choose the paper, and A4 or Letter."})
    view = handover_view(context, rig_id, shop=shop, key=key, page=page)
    if view.refusal or view.paper is None:
        raise InvalidInput({"issue": view.refusal})
    with context.change(rig_id) as work:
        session, now_s = work.session, context.now() if issued_s is None else issued_s
        number = kept.next_number(session, rig_id)
        head = chain.head(session)
        foot = f"Issue {number} of {view.rig.name}. Record {head[:16] or 'empty'}."
        body = typeset(replace(view.paper, drawing=drawing), chosen, foot, now_s, shop)
        made = kept.add_paper(
            session,
            rig_id,
            body,
            number=number,
            paper=view.paper.key,
            size=chosen,
            issued_s=now_s,
            who=who,
            rests_on=view.rests_on,
            record_hash=head,
            digest=hashlib.sha256(body).hexdigest(),
            lines=view.paper.text(),
        )
        work.record("paper", f"{PAPERS[view.paper.key]} issued, number {number}", adds=True)
    return made


def issued_body(context: AppContext, rig_id: int, paper_id: int) -> bytes:
    """The bytes of an issue."""
    with context.db.reading() as session:
        return kept.paper_body(session, rig_id, paper_id)


def sign_issue(
    context: AppContext,
    rig_id: int,
    paper_id: int,
    *,
    names: dict[str, str],
    place: str,
    strokes: dict[str, str],
    on_paper: bool,
    time_s: float,
) -> None:
    """Keep how an issue was signed: drawn, or on paper.

    Args:
        names: of "installer" and "owner".
        strokes: of each, JSON: lists of points (x, y) from 0 to 1.
        time_s: when [s].

    Raises:
        InvalidInput: naming what is missing or cannot be read.
    """
    problems = {
        f"name-{role}": "Say who signs." for role in ("installer", "owner") if not names.get(role, "").strip()
    }
    drawn: dict[str, list[list[list[float]]]] = {}
    for role in () if on_paper else ("installer", "owner"):
        try:
            drawn[role] = _strokes(strokes.get(role, ""))
        except ValueError:
            problems[f"strokes-{role}"] = "Sign in the field, or tick that it is signed on paper."
    if problems:
        raise InvalidInput(problems)
    with context.change(rig_id) as work:
        kept.sign(
            work.session,
            rig_id,
            paper_id,
            {
                "names": {role: " ".join(name.split())[:MOST_NAME] for role, name in names.items()},
                "place": " ".join(place.split())[:MOST_NAME],
                "time_s": time_s,
                "on_paper": on_paper,
                "strokes": drawn,
            },
        )
        work.record("paper", "signed", adds=True)


def _strokes(text: str) -> list[list[list[float]]]:
    """A drawn line as kept; raises ValueError for what is none."""
    told = json.loads(text or "[]")
    if not isinstance(told, list) or not 0 < len(told) <= MOST_STROKES:
        raise ValueError("no line was drawn")
    found: list[list[list[float]]] = []
    points = 0
    for stroke in told:
        line = [[round(float(x), 4), round(float(y), 4)] for x, y in stroke]
        points += len(line)
        if points > MOST_POINTS or not all(
            math.isfinite(value) and -0.1 <= value <= 1.1 for at in line for value in at
        ):
            raise ValueError("that is no signature")
        found.append(line)
    return found
