"""A visit as a paper: only what was done, what it opened again, what stands; and the message before one."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.papers.paper import Paper, Part
from volnik.core.papers.tongue import ENGLISH, Tongue

Rows = tuple[tuple[str, ...], ...]


@dataclass(frozen=True, slots=True)
class VisitFacts:
    """A visit in words.

    Attributes:
        name: of the rig.
        when, who, reason: of the visit.
        done: (what was done, in detail).
        joints: (joint, torque, drop).
        asked: what must be proven again, and whether it was.
        standing: what stands against the rig now.
        shop: who came.
    """

    name: str
    when: str
    who: str
    reason: str
    done: Rows
    joints: Rows
    asked: Rows
    standing: tuple[str, ...]
    shop: str


def visit_report(facts: VisitFacts) -> Paper:
    """The report of a visit.

    Args:
        facts: the visit in words.
    """
    why = f": {facts.reason}" if facts.reason else ""
    by = f", by {facts.who}" if facts.who else ""
    parts = (
        Part("table", "What was done", rows=facts.done, columns=(2.0, 5.0)),
        Part("table", "Joints", rows=facts.joints, columns=(4.0, 2.0, 2.0), head=("joint", "torque", "drop")),
        Part("table", "To be proven again", rows=facts.asked, columns=(5.0, 2.0)),
        Part("list", "What stands now", facts.standing or ("No stop, nothing to fix.",)),
        Part(
            "caution",
            "Mind",
            ("The maker’s sheet, local code and a licensed person come before this paper.",),
        ),
    )
    return Paper(
        "visit",
        f"{facts.name}: visit of {facts.when}",
        f"{facts.shop or 'The shop'}{by}{why}.",
        "",
        tuple(part for part in parts if part.lines or part.rows),
    )


def message_before(name: str, *, shop: str, lithium: bool, say: Tongue = ENGLISH) -> str:
    """What the owner is asked for before a visit, as a message to send.

    Args:
        name: of the rig.
        shop: who comes, "" where it has no name.
        lithium: whether the battery is lithium.
        say: the owner's language.
    """
    full = say("Charge until full the day before, until the screen says 100 % or the charger floats.")
    if lithium:
        cold = say.caution("Keep it above freezing while it charges.")
        full = f"{full} {cold}"
    asked = (
        full,
        say("Make way to the battery, the monitor and the chargers; empty the locker above them."),
        say(
            "Have at hand: the papers of battery and chargers, the sheet we gave you, your phone with the "
            "monitor’s app."
        ),
        say("Write down what puzzled you: when, what the screen said (volts, amps, percent), what was on."),
        say.caution(
            "Change nothing at the battery until then. Smell, heat or swelling: main switch off, out, call."
        ),
    )
    points = "\n".join(f"{at}. {point}" for at, point in enumerate(asked, 1))
    head = say("Before we come to {name}:", name=name)
    sender = shop or say("Your fitter")
    return f"{head}\n\n{points}\n\n{sender}"
