"""Labels for the battery bay, to print and cut."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.papers.paper import Paper, Part
from volnik.core.papers.tongue import ENGLISH, Tongue


@dataclass(frozen=True, slots=True)
class LabelFacts:
    """What the labels say; "" for what nobody knows.

    Attributes:
        name: of the rig.
        sense_fuse: the monitor's own fuse, in words.
        fuses: at the battery, the main one first: its rating, and what hangs on it.
        full_due: when it is next to be charged until full.
        page: address of the rig's page on the shop's network.
        shop: who fitted it.
    """

    name: str
    sense_fuse: str
    fuses: tuple[tuple[float, str], ...]
    full_due: str
    page: str
    shop: str


def bay_labels(facts: LabelFacts, say: Tongue = ENGLISH) -> Paper:
    """The labels of a rig.

    Args:
        facts: what they say.
        say: the language of who reads them.
    """
    every_other = say.caution("Every other minus goes to the shunt’s rig side.")
    labels = [
        Part("label", say("Nothing more on this post"), (every_other,)),
        Part("label", say("Shunt: battery side"), (say("Only the battery’s minus."),)),
        Part("label", say("Shunt: rig side"), (say("All loads, all chargers."),)),
        *(
            Part("label", say("Fuse") if at else say("Main fuse"), (f"{say.figure(amps)} A", feeds))
            for at, (amps, feeds) in enumerate(facts.fuses)
        ),
    ]
    if facts.sense_fuse:
        look = say("Screen dead? Look here first.")
        labels.append(Part("label", say("Monitor’s fuse"), (facts.sense_fuse, look)))
    if facts.full_due:
        due = say("next by {day}", day=facts.full_due)
        labels.append(Part("label", say("Charge until full"), (due,)))
    if facts.page:
        labels.append(Part("code", facts.name, (facts.page,)))
    return Paper(
        "labels",
        say("{name}: labels for the battery bay", name=facts.name),
        say("Print without scaling, cut along the lines. Clean the place first; warm parts shed labels."),
        "",
        tuple(labels),
        language=say.tag,
    )
