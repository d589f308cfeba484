"""The record of what was proven on a rig: read, judged anew against what stands, and only ever added to."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.numbers.sheet import not_read_back
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.prove import checks as judging
from volnik.core.prove.checks import Check, checks_for
from volnik.core.prove.record import Proof, RollCallRow
from volnik.core.prove.rollcall import Verdict, called, common_scale, expected_of, judge_step
from volnik.core.prove.steps import LEAST_NOISE_A
from volnik.core.rig.rig import timeline
from volnik.core.settings import Numbers
from volnik.core.wireup.steps import Tick
from volnik.services.context import AppContext
from volnik.services.path.read import RigPath, read_path
from volnik.services.wireup.job import job_number, stands_seen
from volnik.store import counts, records
from volnik.store import drawings as drawing_store
from volnik.store import rigs as store
from volnik.store import sheets as sheet_store

__all__ = ["Proof", "ProveView", "State", "keep", "keep_step", "prove_view", "read_prove"]

SHUNT_STUDS = {"shunt.bank"}  # what changes there puts every path in question


@dataclass(frozen=True, slots=True)
class State:
    """One of the four things a rig must show: whether it does, and what is missing or since when."""

    key: str
    title: str
    done: bool
    message: str


@dataclass(frozen=True, slots=True)
class ProveView:
    """A rig at Prove.

    Attributes:
        seen: what stands.
        checks: measurements wanted, in order.
        latest: entry in force by (check, about).
        rows: the roll call.
        scale: one common factor, or None.
        states: what the record shows.
        every: all entries, newest first.
        running: the switching test under way.
        numbers: in force, or None.
        volts: the bank's last known volts.
        corrected: ids of entries that a later one corrects.
        wire_zero: zero as read at Wire-up, or None.
    """

    path: RigPath
    seen: WiringAnalysis
    checks: list[Check]
    latest: dict[tuple[str, str], Proof]
    rows: list[RollCallRow]
    scale: Verdict | None
    states: list[State]
    every: list[Proof]
    running: dict[str, Any]
    numbers: Numbers | None
    volts: float
    corrected: set[int] = field(default_factory=set)
    wire_zero: Tick | None = None

    @property
    def sign(self) -> str:
        """What the roll call says of the sign: right, reversed, or not seen yet."""
        ratios = [
            float(row.proof.body["ratio"])
            for row in self.rows
            if row.proof is not None and not row.reopened and row.proof.body.get("ratio") is not None
        ]
        clear = [ratio for ratio in ratios if abs(ratio) >= 0.1]
        return (
            "not seen yet"
            if not clear
            else "right"
            if sum(value > 0 for value in clear) * 2 > len(clear)
            else "reversed"
        )

    @property
    def proven(self) -> int:
        """Devices shown to be counted."""
        return sum(row.proven for row in self.rows)


def _in_force(every: list[Proof]) -> tuple[dict[tuple[str, str], Proof], set[int]]:
    corrected = {proof.corrects for proof in every if proof.corrects is not None}
    return {(proof.check, proof.about): proof for proof in every if proof.id not in corrected}, corrected


def read_prove(session: Session, context: AppContext, rig_id: int) -> ProveView:
    """A rig at Prove; raises as `read_path`."""
    path = read_path(session, context, rig_id)
    seen = stands_seen(session, path)
    every = records.proofs(session, rig_id)
    latest, corrected = _in_force(every)
    as_built = drawing_store.as_built(session, rig_id)
    held = timeline(store.numbers_versions(session, rig_id))
    numbers = held[-1].numbers if held else None
    volts = path.rig.standing.volts
    volts = seen.nominal_v if math.isnan(volts) else volts
    rows = []
    for device in called(seen):
        proof = latest.get(("rollcall", device.id))
        own = {f"{device.id}.minus", f"{device.id}.plus", f"{device.id}.far"} | SHUNT_STUDS
        reopened = proof is not None and any(
            kept.id > int(proof.body.get("job", 0)) and own & set(kept.touched) for kept in as_built
        )
        expected = (
            expected_of(device, volts)[0]
            if device.takes
            else float(proof.body.get("expected_a", 0.0))
            if proof
            else 0.0
        )
        rows.append(RollCallRow(device, expected, proof, reopened))
    ratios = {
        row.device.id: float(row.proof.body.get("ratio") or math.nan)
        for row in rows
        if row.proof is not None and not row.reopened
    }
    return ProveView(
        path,
        seen,
        checks_for(seen),
        latest,
        rows,
        common_scale(ratios),
        _states(session, rig_id, path, seen, rows, latest, as_built),
        every[::-1],
        records.proving(session, rig_id),
        numbers,
        volts,
        corrected,
        next(
            (
                tick
                for tick in reversed(records.ticks(session, rig_id))
                if tick.step == "zero" and tick.kind == "done"
            ),
            None,
        ),
    )


def prove_view(context: AppContext, rig_id: int) -> ProveView:
    """A rig at Prove; raises as `read_path`."""
    with context.db.reading() as session:
        return read_prove(session, context, rig_id)


def _states(
    session: Session,
    rig_id: int,
    path: RigPath,
    seen: WiringAnalysis,
    rows: list[RollCallRow],
    latest: dict[tuple[str, str], Proof],
    as_built: list[drawing_store.AsBuilt],
) -> list[State]:
    since = as_built[-1].saved_s if as_built else None
    unproven = [row.device.device.name for row in rows if not row.proven]
    installed = since is not None and seen.wiring == path.planned
    back = any(
        tick.step == "read_back" and tick.kind == "done" and tick.body.get("value") == "yes"
        for tick in records.ticks(session, rig_id)
    )
    sheets = sheet_store.sheets(session, rig_id)
    read_back = sheet_store.last_read_back(session, rig_id, sheets[-1].id) if sheets else None
    if read_back is not None:
        wanted = {row["key"]: row["value"] for row in sheets[-1].body["rows"]}
        right = all(
            entry["value"] is None or entry["value"] == wanted.get(entry["key"]) for entry in read_back.body
        )
        whole = not not_read_back(sheets[-1].body["rows"], read_back.body)
        read_back = read_back if right and whole else None
        back = back and right  # a value found different on the sheet's own page outweighs a tick
    full = latest.get(("full", ""))
    # A reset of the log itself is a witness as good as any, once the wiring stands.
    resets = [
        event.time_s
        for event in counts.events(session, rig_id)
        if event.kind == "reset" and (since is None or event.time_s >= as_built[-1].from_s)
    ]
    witnessed = (full is not None and full.verdict == "well") or bool(resets)
    told_full = (
        "by the log"
        if resets
        else "as witnessed"
        if witnessed
        else "days later: charge until full and watch, or import its log"
    )
    return [
        State(
            "installed", "Installed", installed, "as planned" if installed else "Wire-up is not closed yet"
        ),
        State(
            "proven",
            "Paths proven",
            bool(rows) and not unproven,
            "every device moved the shunt"
            if not unproven
            else f"unproven: {', '.join(unproven[:6])}{' …' if len(unproven) > 6 else ''}",
        ),
        State(
            "numbers",
            "Numbers set",
            back or read_back is not None,
            "read back from the monitor" if back or read_back else "not read back from the monitor yet",
        ),
        State("full", "First full witnessed", witnessed, told_full),
    ]


def prove_lacks(session: Session, context: AppContext, rig_id: int) -> str:
    """What Prove lacks, "" when all four states are shown."""
    view = read_prove(session, context, rig_id)
    open_ = [state for state in view.states if not state.done]
    if not open_:
        return ""
    if not view.every:
        return "nothing proven yet"
    if any(state.key == "proven" for state in open_):
        return f"{view.proven} of {len(view.rows)} devices proven"
    return f"open: {open_[0].title.lower()}"


def _number(values: dict[str, Any], key: str, problems: dict[str, str], *, needed: bool = True) -> float:
    value = values.get(key)
    if isinstance(value, int | float) and math.isfinite(value):
        return float(value)
    if needed:
        problems[key] = "Type what is read."
    return math.nan


def _judge(view: ProveView, check: str, about: str, values: dict[str, Any]) -> Verdict:
    wanted = next((item for item in view.checks if item.key == check and item.about in ("", about)), None)
    if wanted is None or not wanted.fields:
        raise InvalidInput({"check": "There is no such measurement on this rig."})
    problems: dict[str, str] = {}
    given = {
        item.key: _number(values, item.key, problems, needed=check != "reach" or item.key == "bay")
        for item in wanted.fields
    }
    if check == "joint" and not about.strip():
        problems["about"] = "Say which joint."
    if problems:
        raise InvalidInput(problems)
    seen = view.seen
    device = seen.device(about)
    if check == "volts":
        return judging.judge_volts(given["meter"], given["monitor"], nominal_v=seen.nominal_v)
    if check == "zero":
        return judging.judge_zero(given["amps"], view.numbers)
    if check == "gain":
        return judging.judge_gain(given["clamp"], given["monitor"])
    if check == "net" and device is not None:
        known = sum(value for _, value in judging.known_idle(seen))
        return judging.judge_net(device, given["display"], given["monitor"], known_a=known)
    if check == "idle":
        return judging.judge_idle(given["amps"], seen)
    if check == "temperature":
        return judging.judge_temperature(given["sensor"], given["air"])
    if check == "auxiliary":
        return judging.judge_auxiliary(
            seen.wiring.auxiliary, given["shown"], given["meter" if "meter" in given else "whole"]
        )
    if check == "joint":
        return judging.judge_joint(about.strip(), given["mv"], given["amps"])
    if check == "reach":
        return judging.judge_reach({key: value for key, value in given.items() if not math.isnan(value)})
    if check == "full":
        return judging.judge_full(
            given["volts"], given["amps"], given["minutes"], view.numbers, seen.chemistry, seen.bank.cells
        )
    raise InvalidInput({"check": "There is no such measurement on this rig."})


def keep(
    context: AppContext,
    rig_id: int,
    *,
    check: str,
    about: str,
    values: dict[str, Any],
    source: str,
    who: str,
    time_s: float,
    mark: str,
    corrects: int | None = None,
) -> Verdict:
    """Judge a measurement and keep it with its verdict; a correction names the entry it corrects.

    Raises:
        Refused: naming each figure that is missing, or the entry that cannot be corrected.
    """
    about = " ".join(about.split())[:80]
    with context.db.writing() as session:
        view = read_prove(session, context, rig_id)
        _correctable(view, corrects, check, about)
        verdict = _judge(view, check, about, values)
        _write(session, context, rig_id, check, about, verdict, values, source, who, time_s, mark, corrects)
    return verdict


def keep_step(
    context: AppContext,
    rig_id: int,
    device: str,
    *,
    seen_a: float,
    expected_a: tuple[float, ...] | None,
    noise_a: float,
    source: str,
    who: str,
    time_s: float,
    mark: str,
    clamp_a: float | None = None,
    agrees: bool = True,
    values: dict[str, Any] | None = None,
    corrects: int | None = None,
) -> Verdict:
    """Judge a device switched on and off, and keep it.

    Args:
        expected_a: as of `judge_step`; None takes the Survey's, for a load.

    Raises:
        Refused: when this rig has no such device to call, or a source comes without its display's figure.
    """
    with context.db.writing() as session:
        view = read_prove(session, context, rig_id)
        row = next((row for row in view.rows if row.device.id == device), None)
        if row is None:
            raise InvalidInput({"device": "This rig has no such device to call."})
        if expected_a is None and not row.device.takes:
            raise InvalidInput(
                {"display": "Type what the charger's own display shows; its rating proves nothing."}
            )
        _correctable(view, corrects, "rollcall", device)
        wanted = expected_a or expected_of(row.device, view.volts)
        verdict = judge_step(
            row.device,
            expected_a=wanted,
            seen_a=seen_a,
            noise_a=max(noise_a, LEAST_NOISE_A),
            drawing=view.seen,
            clamp_a=clamp_a,
            agrees=agrees,
        )
        likely = min(wanted, key=lambda value: abs(seen_a - value))
        body = {
            **(values or {}),
            "seen_a": round(seen_a, 3),
            "expected_a": round(likely, 3),
            "noise_a": round(noise_a, 4),
        }
        if clamp_a is not None:
            body["clamp_a"] = clamp_a
        _write(
            session, context, rig_id, "rollcall", device, verdict, body, source, who, time_s, mark, corrects
        )
    return verdict


def _correctable(view: ProveView, corrects: int | None, check: str, about: str) -> None:
    if corrects is None:
        return
    old = next((proof for proof in view.every if proof.id == corrects), None)
    if old is None or (old.check, old.about) != (check, about) or old.id in view.corrected:
        raise InvalidInput({"corrects": "That entry cannot be corrected by this one; reload the page."})


def _write(
    session: Session,
    context: AppContext,
    rig_id: int,
    check: str,
    about: str,
    verdict: Verdict,
    values: dict[str, Any],
    source: str,
    who: str,
    time_s: float,
    mark: str,
    corrects: int | None,
) -> None:
    from volnik.services.yard.summary import refresh

    ratio = None if math.isnan(verdict.ratio) else round(verdict.ratio, 4)
    body = {
        **values,
        "sentence": verdict.sentence,
        "next": verdict.next,
        "level": verdict.level,
        "ratio": ratio,
        "proven": verdict.proven,
        "at": verdict.at,
        "job": job_number(session, rig_id),
    }
    records.add_proof(
        session,
        rig_id,
        mark=mark,
        check=check,
        about=about,
        verdict=verdict.word,
        body=body,
        source=source,
        who=who,
        time_s=time_s,
        saved_s=context.now(),
        corrects=corrects,
    )
    store.change_rig(session, rig_id, touched=True)
    refresh(session, context, rig_id, recounted=False)
