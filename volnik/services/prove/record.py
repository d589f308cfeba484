"""The record of what was proven on a rig: read, judged anew against what stands, and only ever added to."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.findings import Finding, Level
from volnik.core.numbers.advice import numbers_findings
from volnik.core.numbers.sheet import not_read_back
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.cases import device_drops
from volnik.core.prove import checks as judging
from volnik.core.prove import longer, sanity
from volnik.core.prove.checks import PLACES, STATE_TITLES, Check, checks_for
from volnik.core.prove.record import Occasion, Proof, RollCallRow, SeenStep
from volnik.core.prove.rollcall import (
    Verdict,
    called,
    common_scale,
    expected_of,
    judge_step,
    was_minus_left_out,
)
from volnik.core.prove.steps import LEAST_NOISE_A
from volnik.core.readings import PLAUSIBLE_BY_UNIT
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.rig import timeline
from volnik.core.settings import Numbers
from volnik.core.stages import ProveFacts
from volnik.core.wireup.steps import Tick
from volnik.services.context import AppContext, UnitOfWork
from volnik.services.log.counted_log import logged_out
from volnik.services.path.read import RigPath, read_path
from volnik.services.prove.photos import photos_by_proof
from volnik.services.wireup.job import analysis_as_built, job_number
from volnik.store import counts, records, watching
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


JOINT_PLACES = ("block", "shunt", "bar", "isolator")


@dataclass(frozen=True, slots=True)
class ProveView:
    """A rig at Prove.

    Attributes:
        analysis: what stands.
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
        photos: numbers of the photos put to entries, by the entry's.
    """

    path: RigPath
    analysis: WiringAnalysis
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
    photos: dict[int, list[int]] = field(default_factory=dict)

    @property
    def by_place(self) -> list[tuple[str, list[Check]]]:
        """The measurements by where they are made, in the order that saves walking."""
        placed = [(place, [check for check in self.checks if check.place == place]) for place in PLACES]
        return [(place, checks) for place, checks in placed if checks]

    def entries_of(self, check: Check) -> list[Proof]:
        """The entries of a measurement whose every entry stands by itself, newest first."""
        return [proof for proof in self.every if check.asks and proof.check == check.key]

    def names_for(self, check: Check) -> list[str]:
        """What such a measurement can be of: the joints of the drawing, or its devices."""
        if check.key == "joint":
            return [stud.name for stud in self.analysis.studs.values() if stud.place in JOINT_PLACES]
        return [device.name for device in self.analysis.devices]

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

    def drawing_of(self, device: str) -> WiringAnalysis:
        """The drawing a device is on: what stands, or the Survey's for one that was added since."""
        if self.analysis.device(device) is not None:
            return self.analysis
        return self.path.analysis("found")

    @property
    def full_seen(self) -> bool:
        """Whether a full charge was witnessed since the wiring stands."""
        return any(state.key == "full" and state.done for state in self.states)

    @property
    def proven(self) -> int:
        """Devices shown to be counted."""
        return sum(row.proven for row in self.rows)


def _in_force(every: list[Proof], opened: dict[str, float]) -> tuple[dict[tuple[str, str], Proof], set[int]]:
    """The proofs that hold, by what they are of, and the numbers of those that were corrected."""
    corrected = {proof.corrects for proof in every if proof.corrects is not None}
    standing = {(proof.check, proof.about): proof for proof in every if proof.id not in corrected}
    return {place: proof for place, proof in standing.items() if _still_holds(proof, opened)}, corrected


def read_prove(session: Session, context: AppContext, rig_id: int) -> ProveView:
    """A rig at Prove; raises as `read_path`."""
    return prove_of(session, read_path(session, context, rig_id))


def prove_of(session: Session, path: RigPath) -> ProveView:
    """A rig at Prove, its drawings read already."""
    rig_id = path.rig.id
    analysis = analysis_as_built(session, path)
    every = records.proofs(session, rig_id)
    opened = opened_again(session, rig_id)
    latest, corrected = _in_force(every, opened)
    as_built = drawing_store.as_built(session, rig_id)
    held = timeline(store.numbers_versions(session, rig_id))
    shown_v = path.rig.summary.volts
    volts = analysis.nominal_v if math.isnan(shown_v) else shown_v
    devices = [*called(analysis), *_added_since(path, analysis)]
    rows = [_row(device, latest, as_built, volts=volts, opened=opened) for device in devices]
    ratios = {
        row.device.id: float(row.proof.body.get("ratio") or math.nan)
        for row in rows
        if row.proof is not None and not row.reopened
    }
    zero = _zero_at_wire_up(session, rig_id)
    return ProveView(
        path,
        analysis,
        [*checks_for(analysis), *_trial_checks(latest), *sanity.SANITY, *longer.LONGER],
        latest,
        rows,
        common_scale(ratios),
        _states(session, path, analysis, rows, latest=latest, opened=opened),
        every[::-1],
        records.proving(session, rig_id),
        held[-1].numbers if held else None,
        volts,
        corrected,
        zero,
        photos_by_proof(session, rig_id),
    )


def _trial_checks(latest: dict[tuple[str, str], Proof]) -> list[Check]:
    """The beginning of a trial, and its end while one runs."""
    begun, ended = latest.get(("trial_begin", "")), latest.get(("trial_end", ""))
    runs = begun is not None and (ended is None or ended.time_s < begun.time_s)
    return [longer.TRIAL_BEGIN, *([longer.TRIAL_END] if runs or ended is not None else [])]


def _added_since(path: RigPath, analysis: WiringAnalysis) -> list[ResolvedDevice]:
    """What the Survey lists and the wiring that stands does not have: nobody saw it counted either."""
    known = {device.id for device in analysis.devices}
    return [device for device in called(path.analysis("found")) if device.id not in known]


def _zero_at_wire_up(session: Session, rig_id: int) -> Tick | None:
    """The zero as it was read last at Wire-up."""
    zeros = [tick for tick in records.ticks(session, rig_id) if tick.step == "zero" and tick.kind == "done"]
    return zeros[-1] if zeros else None


def opened_again(session: Session, rig_id: int) -> dict[str, float]:
    """When each proof was last opened again by a visit [s]; "rollcall:id" is one device's."""
    opened: dict[str, float] = {}
    for visit in watching.notes(session, rig_id, "visit"):
        for check in visit.body.get("opens", []):
            opened[check] = max(visit.time_s, opened.get(check, -math.inf))
    return opened


def _still_holds(proof: Proof, opened: dict[str, float]) -> bool:
    """Whether nothing done since has opened a proof again; a device's own is told of in its row."""
    return proof.check == "rollcall" or proof.time_s > opened.get(proof.check, -math.inf)


def _row(
    device: ResolvedDevice,
    latest: dict[tuple[str, str], Proof],
    as_built: list[drawing_store.AsBuilt],
    *,
    volts: float,
    opened: dict[str, float],
) -> RollCallRow:
    """One device of the roll call, its proof reopened where its wires were touched since.

    Args:
        opened: when a visit last opened each proof [s].
    """
    proof = latest.get(("rollcall", device.id))
    if proof is None:
        expected = expected_of(device, volts)[0] if device.takes else 0.0
        return RollCallRow(device, expected, None, False)
    own = {f"{device.id}.{pole}" for pole in ("minus", "plus", "far")} | SHUNT_STUDS
    since = [kept for kept in as_built if kept.id > int(proof.body.get("job", 0))]
    opened_s = max(opened.get(key, -math.inf) for key in ("rollcall", f"rollcall:{device.id}"))
    reopened = proof.time_s <= opened_s or any(own & set(kept.touched) for kept in since)
    expected = expected_of(device, volts)[0] if device.takes else float(proof.body.get("expected_a", 0.0))
    return RollCallRow(device, expected, proof, reopened)


def prove_view(context: AppContext, rig_id: int) -> ProveView:
    """A rig at Prove; raises as `read_path`."""
    with context.db.reading() as session:
        return read_prove(session, context, rig_id)


def _states(
    session: Session,
    path: RigPath,
    analysis: WiringAnalysis,
    rows: list[RollCallRow],
    *,
    latest: dict[tuple[str, str], Proof],
    opened: dict[str, float],
) -> list[State]:
    """The four things a rig must show."""
    as_built = drawing_store.as_built(session, path.rig.id)
    installed = bool(as_built) and analysis.wiring == path.planned
    unproven = [row.device.name for row in rows if not row.proven]
    read_back, read_words = _read_back(session, path.rig.id, opened.get("readback", -math.inf))
    full = latest.get(("full", ""))
    since_s = max(as_built[-1].from_s if as_built else -math.inf, opened.get("full", -math.inf))
    stops = _numbers_stops(session, path)
    by_log = not stops and _reset_since(session, path.rig.id, since_s)
    witnessed = full is not None and full.verdict == "well"
    return [
        State(
            "installed", STATE_TITLES["installed"], installed, _installed_words(as_built, installed=installed)
        ),
        State("proven", STATE_TITLES["proven"], bool(rows) and not unproven, _unproven_words(unproven)),
        State("numbers", STATE_TITLES["numbers"], read_back, read_words),
        State("full", STATE_TITLES["full"], by_log or witnessed, _full_words(by_log, witnessed, stops)),
    ]


def _numbers_stops(session: Session, path: RigPath) -> int:
    """How many stops stand against the numbers themselves: with one a reset of the log is no witness."""
    held = timeline(store.numbers_versions(session, path.rig.id))
    if not held:
        return 0
    found = numbers_findings(held[-1].numbers, path.bank, path.chemistry, held[-1].power_up)
    return sum(finding.level == "stop" for finding in found)


def _installed_words(as_built: list[drawing_store.AsBuilt], *, installed: bool) -> str:
    if not installed:
        return "Wire-up is not closed yet"
    overruled = as_built[-1].body.get("overruled", "")
    return f"as planned; {overruled}" if overruled else "as planned"


def _unproven_words(unproven: list[str]) -> str:
    if not unproven:
        return "every device moved the shunt"
    return f"not tested: {', '.join(unproven[:6])}{' …' if len(unproven) > 6 else ''}"


def _full_words(by_log: bool, witnessed: bool, stops: int) -> str:
    if stops and not witnessed:
        return "a reset of the log says nothing while the numbers have a stop: put them right first"
    if by_log:
        return "by the log"
    return "as witnessed" if witnessed else "days later: charge until full and watch, or import its log"


def _reset_since(session: Session, rig_id: int, since_s: float) -> bool:
    """Whether the log was reset once the wiring stood: a witness as good as any."""
    return any(event.kind == "reset" and event.time_s >= since_s for event in counts.events(session, rig_id))


def _read_back(session: Session, rig_id: int, opened_s: float) -> tuple[bool, str]:
    """Whether every row of the sheet in force was read back right since it was opened again, and in words.

    A tick at Wire-up is no read-back: only what the monitor shows, row by row, is.

    Args:
        opened_s: when a visit last opened it again [s].
    """
    sheets = sheet_store.sheets(session, rig_id)
    if not sheets:
        return False, "no sheet given out yet, so nothing to read back against"
    sheet = sheets[-1]
    held = timeline(store.numbers_versions(session, rig_id))
    if held and sheet.version_id not in (None, held[-1].id):
        return False, "the numbers changed since: give the sheet out anew and read it back"
    entered = sheet_store.last_read_back(session, rig_id, sheet.id)
    if entered is None or entered.made_s <= opened_s:
        return False, "not read back from the monitor yet"
    rows = sheet.body["rows"]
    wanted = {row["key"]: row["value"] for row in rows}
    wrong = sum(given["value"] not in (None, wanted.get(given["key"])) for given in entered.body)
    if wrong:
        return False, f"{wrong} of {len(rows)} rows differ in the monitor"
    missing = len(not_read_back(rows, entered.body))
    if missing:
        return False, f"{missing} of {len(rows)} rows are not read back yet"
    return True, "read back from the monitor"


def prove_findings(view: ProveView) -> list[Finding]:
    """What was measured and does not hold, or no longer holds."""
    missed = [
        _not_counted(row.device.name, row.device.id, row.proof)
        for row in view.rows
        if row.proof is not None and not row.reopened and not row.proven
    ]
    failed = [
        _failed(proof)
        for (check, _), proof in view.latest.items()
        if check != "rollcall" and proof.body.get("level") in ("stop", "fix")
    ]
    return [*missed, *_touched_since([row.device for row in view.rows if row.reopened]), *failed]


def _touched_since(devices: list[ResolvedDevice]) -> list[Finding]:
    """The devices whose cables were touched since they were tested."""
    if not devices:
        return []
    names = ", ".join(device.name for device in devices[:4])
    return [
        Finding(
            "prove.R02",
            "fix",
            f"Changed since it was tested: {names}{' …' if len(devices) > 4 else ''}.",
            "A cable that was touched can have come back on the wrong side of the shunt.",
            "Switch it on and off again at Prove and watch the amps.",
            "prove",
            about=tuple(device.id for device in devices),
        )
    ]


def _failed(proof: Proof) -> Finding:
    return Finding(
        "prove.R03",
        "fix",
        str(proof.body.get("sentence", "A measurement does not hold.")),
        "It was measured and does not hold.",
        str(proof.body.get("next") or "Put it right and measure again."),
        "prove",
        about=(proof.check, proof.about) if proof.about else (proof.check,),
    )


def _not_counted(name: str, device: str, proof: Proof) -> Finding:
    level: Level = "stop" if proof.body.get("level") == "stop" else "fix"
    return Finding(
        "prove.R01",
        level,
        _named(name, str(proof.body.get("sentence", "not counted"))),
        "It was switched on and off, and the shunt did not see all of it.",
        str(proof.body.get("next") or "Follow its minus cable."),
        "prove",
        about=(device,),
    )


def _named(name: str, sentence: str) -> str:
    """A sentence that says of which device it is."""
    return sentence if sentence.startswith(name) else f"{name}: {sentence}"


def facts_of(view: ProveView) -> ProveFacts:
    """What is known of a rig's proof."""
    still_open = [state for state in view.states if not state.done]
    # While a device is unproven that is what is told; only then what else is open.
    proven = len(view.rows) if all(state.key != "proven" for state in still_open) else view.proven
    return ProveFacts(bool(view.every), proven, len(view.rows), tuple(state.title for state in still_open))


def _number(
    values: dict[str, Any], key: str, problems: dict[str, str], *, unit: str, needed: bool = True
) -> float:
    value = values.get(key)
    if isinstance(value, int | float) and math.isfinite(value):
        limits = PLAUSIBLE_BY_UNIT.get(unit)
        if limits is not None and (refusal := limits.refusal(value)):
            problems[key] = f"It {refusal}"
        return float(value)
    if needed:
        problems[key] = "Type what is read."
    return math.nan


def _judge(
    view: ProveView, check: str, about: str, values: dict[str, Any], known: dict[str, float]
) -> Verdict:
    """Judge one measurement.

    Args:
        known: what is known beside what was typed; of a trial `time_s` and `logged_ah`.

    Raises:
        InvalidInput: naming each figure that is missing; for a measurement this rig does not want.
    """
    wanted = next((each for each in view.checks if each.key == check and each.about in ("", about)), None)
    if wanted is None or not wanted.fields or check not in JUDGES:
        raise InvalidInput({"check": "There is no such measurement on this rig."})
    problems: dict[str, str] = {}
    given = {
        field.key: _number(values, field.key, problems, unit=field.unit, needed=field.needed)
        for field in wanted.fields
    }
    if wanted.asks and not about.strip():
        problems["about"] = "Say which."
    if problems:
        raise InvalidInput(problems)
    return JUDGES[check](view, about, {**given, **known})


def _judge_net(view: ProveView, about: str, given: dict[str, float]) -> Verdict:
    device = view.drawing_of(about).device(about)
    if device is None:
        raise InvalidInput({"check": "There is no such measurement on this rig."})
    known = judging.known_charging(view.analysis)
    verdict = judging.judge_net(device, given["display"], given["monitor"], known_a=known)
    charger_v, bank_v = given["charger_v"], given["bank_v"]
    if math.isnan(charger_v) or math.isnan(bank_v):
        return verdict
    analysis, amps = view.analysis, given["display"]
    drops = device_drops(analysis.closed, analysis.bank, {about: amps}, analysis.devices)
    ohm = drops[about] / amps if about in drops else None
    said = judging.judge_loop(charger_v, bank_v, amps, drawn_ohm=ohm)
    return replace(verdict, sentence=f"{verdict.sentence} {said}")


def _judge_auxiliary(view: ProveView, _about: str, given: dict[str, float]) -> Verdict:
    beside = given["meter" if "meter" in given else "whole"]
    return judging.judge_auxiliary(view.analysis.wiring.auxiliary, given["shown"], beside)


def _judge_reach(_view: ProveView, _about: str, given: dict[str, float]) -> Verdict:
    return judging.judge_reach({key: value for key, value in given.items() if not math.isnan(value)})


def _judge_full(view: ProveView, _about: str, given: dict[str, float]) -> Verdict:
    analysis = view.analysis
    return judging.judge_full(
        given["volts"],
        given["amps"],
        given["minutes"],
        view.numbers,
        analysis.chemistry,
        cells=analysis.bank.cells,
    )


def _judge_rested(view: ProveView, _about: str, given: dict[str, float]) -> Verdict:
    return sanity.judge_rested(
        given["volts"],
        given["hours"],
        given["percent"],
        chemistry=view.path.chemistry,
        cells=view.path.bank.cells,
        charged=sanity.is_true(given["charged"]),
    )


def _judge_trial(view: ProveView, _about: str, given: dict[str, float]) -> Verdict:
    begun = view.latest.get(("trial_begin", ""))
    if begun is None:
        raise InvalidInput({"check": "No trial has begun yet: put down its beginning first."})
    hours = (given["time_s"] - begun.time_s) / 3600.0
    return longer.judge_trial(hours, float(begun.body["ah"]), given["ah"], logged_ah=given["logged_ah"])


Judge = Callable[[ProveView, str, dict[str, float]], Verdict]
JUDGES: dict[str, Judge] = {
    "volts": lambda view, about, given: judging.judge_volts(
        given["meter"], given["monitor"], nominal_v=view.analysis.nominal_v
    ),
    "zero": lambda view, about, given: judging.judge_zero(given["amps"], view.numbers),
    "gain": lambda view, about, given: judging.judge_gain(given["clamp"], given["monitor"]),
    "main": lambda view, about, given: judging.judge_main(given["clamp"], given["monitor"]),
    "net": _judge_net,
    "idle": lambda view, about, given: judging.judge_idle(given["amps"], view.analysis),
    "temperature": lambda view, about, given: judging.judge_temperature(given["sensor"], given["air"]),
    "auxiliary": _judge_auxiliary,
    "joint": lambda view, about, given: judging.judge_joint(about.strip(), given["mv"], given["amps"]),
    "reach": _judge_reach,
    "full": _judge_full,
    "rested": _judge_rested,
    "watts": lambda view, about, given: sanity.judge_watts(given["volts"], given["amps"], given["watts"]),
    "hours": lambda view, about, given: sanity.judge_hours(
        given["percent"], given["amps"], given["hours"], view.numbers
    ),
    "counter": lambda view, about, given: sanity.judge_counter(
        given["before"], given["after"], given["minutes"], given["amps"]
    ),
    "screens": lambda view, about, given: sanity.judge_screens(given["screen"], given["phone"]),
    "idle_part": lambda view, about, given: longer.judge_idle_part(
        about.strip(), given["before"], given["after"]
    ),
    "forced": lambda view, about, given: longer.judge_forced(
        given["display"], given["monitor"], given["loads"], given["volts"], view.numbers
    ),
    "trial_begin": lambda view, about, given: Verdict("begun", None, f"It stands at {given['ah']:g} Ah."),
    "trial_end": _judge_trial,
    "float": lambda view, about, given: sanity.judge_float(given["volts"], given["amps"], view.numbers),
}


def keep(
    context: AppContext,
    rig_id: int,
    occasion: Occasion,
    *,
    check: str,
    about: str,
    values: dict[str, Any],
) -> Verdict:
    """Judge a measurement and keep it with its verdict; a correction names the entry it corrects.

    Raises:
        InvalidInput: naming each figure that is missing, or the entry that cannot be corrected.
    """
    about = " ".join(about.split())[:80]
    with context.change(rig_id) as work:
        view = read_prove(work.session, context, rig_id)
        _correctable(view, occasion.corrects, check, about)
        known = _known_of_trial(work, view, occasion) if check == "trial_end" else {}
        verdict = _judge(view, check, about, values, known)
        _write(work, occasion, check=check, about=about, verdict=verdict, values=values)
    return verdict


def _known_of_trial(work: UnitOfWork, view: ProveView, occasion: Occasion) -> dict[str, float]:
    """When a trial ends [s], and what went out by the readings since it began, NaN for nobody knows [Ah]."""
    assert work.rig_id is not None
    begun = view.latest.get(("trial_begin", ""))
    logged_ah = math.nan
    if begun is not None:
        span = {"start_s": begun.time_s, "end_s": occasion.time_s}
        logged_ah = logged_out(work.session, work.context, work.rig_id, **span)
    return {"time_s": occasion.time_s, "logged_ah": logged_ah}


def keep_step(context: AppContext, rig_id: int, device: str, step: SeenStep, occasion: Occasion) -> Verdict:
    """Judge a device switched on and off, and keep it.

    Raises:
        InvalidInput: when this rig has no such device to call, or a source comes without its display's
            figure.
    """
    with context.change(rig_id) as work:
        view = read_prove(work.session, context, rig_id)
        row = next((row for row in view.rows if row.device.id == device), None)
        if row is None:
            raise InvalidInput({"device": "This rig has no such device to call."})
        if step.expected_a is None and not row.device.takes:
            raise InvalidInput(
                {"display": "Type what the charger's own display shows; its rating proves nothing."}
            )
        _correctable(view, occasion.corrects, "rollcall", device)
        wanted = step.expected_a or expected_of(row.device, view.volts)
        nearest_a = min(wanted, key=lambda amps: abs(step.seen_a - amps))
        verdict = judge_step(
            row.device,
            expected_a=wanted,
            seen_a=step.seen_a,
            noise_a=max(step.noise_a, LEAST_NOISE_A),
            drawing=view.drawing_of(device),
            clamp_a=step.clamp_a,
            agrees=step.agrees,
        )
        right = sum(other.proven for other in view.rows if other.device.id != device)
        verdict = was_minus_left_out(verdict, right)
        values = {
            **step.beside,
            "seen_a": round(step.seen_a, 3),
            "expected_a": round(nearest_a, 3),
            "noise_a": round(step.noise_a, 4),
            **({} if step.clamp_a is None else {"clamp_a": step.clamp_a}),
        }
        _write(work, occasion, check="rollcall", about=device, verdict=verdict, values=values)
    return verdict


def _correctable(view: ProveView, corrects: int | None, check: str, about: str) -> None:
    if corrects is None:
        return
    old = next((proof for proof in view.every if proof.id == corrects), None)
    if old is None or (old.check, old.about) != (check, about) or old.id in view.corrected:
        raise InvalidInput({"corrects": "That entry cannot be corrected by this one; reload the page."})


def _write(
    work: UnitOfWork,
    occasion: Occasion,
    *,
    check: str,
    about: str,
    verdict: Verdict,
    values: dict[str, Any],
) -> None:
    assert work.rig_id is not None
    body = {
        **values,
        "sentence": verdict.sentence,
        "next": verdict.next,
        "level": verdict.level,
        "ratio": None if math.isnan(verdict.ratio) else round(verdict.ratio, 4),
        "proven": verdict.proven,
        "at": verdict.at,
        "job": job_number(work.session, work.rig_id),
    }
    records.add_proof(
        work.session,
        work.rig_id,
        occasion,
        check=check,
        about=about,
        verdict=verdict.word,
        body=body,
        saved_s=work.context.now(),
    )
