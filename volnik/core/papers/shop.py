"""The shop's file of a rig: what a stranger needs who opens the bay two years later."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.papers.paper import Paper, PaperPhoto, Part

Rows = tuple[tuple[str, ...], ...]


@dataclass(frozen=True, slots=True)
class ShopFacts:
    """What is on record of a rig, as rows of words.

    Attributes:
        name, vehicle, battery: the rig, what it is, its battery in short.
        lead: what matters most of it today.
        facts: (what, how it is) of battery, monitor, wiring and firmware.
        cables: (cable, from, to, size, length, fuse).
        joints: (stud, thread, torque, measured).
        numbers: (what the monitor calls it, value, why).
        proofs: (when, what was measured, verdict, who).
        visits: (when, what was done, who).
        baseline: (measure, what it says).
        open: what is open or was overruled.
        photos: with their captions, oldest first.
    """

    name: str
    vehicle: str
    battery: str
    lead: str
    facts: Rows
    cables: Rows
    joints: Rows
    numbers: Rows
    proofs: Rows
    visits: Rows
    baseline: Rows
    open: tuple[str, ...]
    photos: tuple[PaperPhoto, ...] = ()


def shop_file(facts: ShopFacts) -> Paper:
    """The shop's file of a rig.

    Args:
        facts: what is on record of it.
    """
    parts = (
        Part("table", "The rig", rows=facts.facts, columns=(2.0, 7.0)),
        Part("list", "Open, or closed in spite of it", facts.open or ("Nothing is open.",)),
        Part("drawing", "What stands", ("As built; the shunt between the battery and everything else.",)),
        Part(
            "table",
            "Cables and fuses",
            rows=facts.cables or (("No cable is drawn.", "", "", "", "", ""),),
            columns=(3.0, 3.0, 3.0, 1.4, 1.0, 2.0),
            head=("cable", "from", "to", "size", "length", "fuse"),
        ),
        Part(
            "table",
            "Joints",
            rows=facts.joints or (("No joint is drawn.", "", "", ""),),
            columns=(3.0, 1.0, 2.5, 3.0),
            head=("stud", "thread", "torque", "measured"),
        ),
        Part(
            "table",
            "Numbers",
            rows=facts.numbers or (("No numbers are saved.", "", ""),),
            columns=(2.2, 1.4, 5.0),
            head=("in the monitor’s words", "value", "why"),
        ),
        Part(
            "table",
            "Measured",
            rows=facts.proofs or (("", "Nothing was measured.", "", ""),),
            columns=(1.6, 6.0, 1.4, 1.2),
            head=("when", "what", "verdict", "who"),
        ),
        Part("table", "How it was when all was well", rows=facts.baseline, columns=(2.5, 6.0)),
        Part(
            "table",
            "Visits",
            rows=facts.visits,
            columns=(1.6, 6.0, 1.2),
            head=("when", "what was done", "who"),
        ),
        Part("photos", "Photos", tuple(photo.caption for photo in facts.photos)),
    )
    return Paper(
        "shop",
        f"{facts.name}: the shop’s file",
        f"{facts.vehicle}; {facts.battery}.",
        facts.lead,
        tuple(part for part in parts if part.lines or part.rows),
        photos=facts.photos,
    )
