"""A rig document judged from the command line: shares, loads on conductors, findings."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from volnik.core.document import DocumentRefused, RigDocument, read_document
from volnik.core.path.analysis import WiringAnalysis, analyse
from volnik.core.path.fitted import fitted
from volnik.core.path.judgement import judge
from volnik.core.rig.bank import Bank
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.presets import PRESETS


@dataclass(frozen=True, slots=True)
class Judgement:
    """What `volnik path` prints: the drawing judged, defaults taken, and the answer as plain values."""

    which: str
    notes: list[str]
    answer: dict[str, Any]
    stops: int


def open_document(path: Path) -> tuple[RigDocument, Bank]:
    """A rig document from a file, and its bank.

    Raises:
        DocumentRefused: when it cannot be read, or has no bank.
    """
    try:
        document = read_document(path.read_bytes())
    except OSError as wrong:
        raise DocumentRefused({str(path): f"{wrong.strerror or 'cannot be read'}."}) from None
    bank = document.the_bank()
    if bank is None:
        raise DocumentRefused({"bank": "The section bank is missing; nothing can be solved without it."})
    return document, bank


def judge_document(path: Path) -> Judgement:
    """Judge the planned drawing of a rig document, or the found one where none is planned.

    Raises:
        InvalidInput: when the file cannot be read, or lacks the bank or any wiring.
    """
    document, bank = open_document(path)
    which = "planned" if document.wiring.planned is not None else "found"
    wiring = document.wiring.planned or document.wiring.found
    if wiring is None:
        raise DocumentRefused(
            {"wiring": "Neither wiring.found nor wiring.planned is there; one of them is needed."}
        )
    notes = []
    if which == "found":
        notes.append("wiring.planned is missing: judged as found.")
    if document.devices is None:
        notes.append("devices is missing: judged without any.")
    if document.monitor is None:
        notes.append("monitor is missing: its shunt setting is not judged.")
    devices = document.devices or ()
    analysis = analyse(
        bank,
        CHEMISTRIES[bank.chemistry],
        devices,
        fitted(wiring, bank, devices, PRESETS, like=document.wiring.found),
        monitor=document.monitor,
        presets=PRESETS,
    )
    findings = judge(analysis)
    answer = {
        "drawing": which,
        "notes": notes,
        "shares": _shares(analysis),
        "conductors": _conductors(analysis),
        "findings": [
            {
                "id": finding.id,
                "level": finding.level,
                "message": finding.message,
                "why": finding.why,
                "hint": finding.hint,
                "at": finding.at,
                "about": list(finding.about),
                "consequences": list(finding.consequences),
            }
            for finding in findings
        ],
    }
    return Judgement(which, notes, answer, sum(finding.level == "stop" for finding in findings))


def _shares(analysis: WiringAnalysis) -> list[dict[str, Any]]:
    def plain(value: float) -> float | None:
        return None if math.isnan(value) else round(value, 6)

    return [
        {
            "device": device.id,
            "name": device.device.name,
            "share": plain(share.value),
            "low": plain(share.low),
            "high": plain(share.high),
            "expected": share.expected,
            "word": share.word,
            "lacks": share.missing_reason or None,
        }
        for device in analysis.devices
        if (share := analysis.shares.get(device.id)) is not None
    ]


def _conductors(analysis: WiringAnalysis) -> list[dict[str, Any]]:
    rows = []
    for cable in analysis.wiring.cables:
        row: dict[str, Any] = {
            "cable": cable.id,
            "name": analysis.cable_name(cable),
            "size": cable.size or None,
            "carries_a": analysis.carries_a(cable),
        }
        for case in (analysis.together, analysis.chargers):
            row[case.name] = {
                "amps": round(case.flow.amps[cable.id], 4),
                "lost_v": round(abs(case.flow.lost_v[cable.id]), 5),
                "heat_w": round(case.flow.heat_w[cable.id], 4),
            }
        rows.append(row)
    return rows


def judgement_lines(judged: Judgement) -> list[str]:
    """The judgement as lines of text."""
    lines = [f"Drawing: as {judged.which}.", *judged.notes, "", "Shares crossing the shunt"]
    for row in judged.answer["shares"]:
        share = "no way round" if row["share"] is None else f"{100 * row['share']:.1f} %"
        span = (
            f" ({100 * row['low']:.0f} to {100 * row['high']:.0f})"
            if row["share"] is not None and row["high"] - row["low"] > 0.005
            else ""
        )
        lines.append(f"  {row['name']:<28} {share}{span}{'  ' + row['lacks'] if row['lacks'] else ''}")
    lines += ["", "Conductors: amps with all that run together / all chargers, volts lost, heat"]
    for row in judged.answer["conductors"]:
        item, other = row["together"], row["chargers"]
        lines.append(
            f"  {row['name'][:44]:<44} {row['size'] or '?':>9}  {abs(item['amps']):7.1f} / "
            f"{abs(other['amps']):.1f} A  "
            f"{max(item['lost_v'], other['lost_v']) * 1000:.0f} mV  "
            f"{max(item['heat_w'], other['heat_w']):.2f} W"
        )
    lines += ["", f"{len(judged.answer['findings'])} findings"]
    lines += [f"  {row['level']:<6} {row['id']}  {row['message']}" for row in judged.answer["findings"]]
    return lines
