"""Labels for the battery bay, to print and cut."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.papers.paper import Paper, Part


@dataclass(frozen=True, slots=True)
class LabelFacts:
    """What the labels say; "" for what nobody knows.

    Attributes:
        name: of the rig.
        sense_fuse: the monitor's own fuse, in words.
        main_fuses: each main fuse: its rating and where it stands.
        full_due: when it is next to be charged until full.
        page: address of the rig's page on the shop's network.
        shop: who fitted it.
    """

    name: str
    sense_fuse: str
    main_fuses: tuple[str, ...]
    full_due: str
    page: str
    shop: str


def bay_labels(facts: LabelFacts) -> Paper:
    """The labels of a rig.

    Args:
        facts: what they say.
    """
    labels = [
        Part("label", "Nothing more on this post", ("Every other minus goes to the shunt’s rig side.",)),
        Part("label", "Shunt: battery side", ("Only the battery’s minus.",)),
        Part("label", "Shunt: rig side", ("All loads, all chargers.",)),
        *(Part("label", "Main fuse", (fuse,)) for fuse in facts.main_fuses),
    ]
    if facts.sense_fuse:
        labels.append(Part("label", "Monitor’s fuse", (facts.sense_fuse, "Screen dead? Look here first.")))
    if facts.full_due:
        labels.append(Part("label", "Charge until full", (f"next by {facts.full_due}",)))
    if facts.page:
        labels.append(Part("code", facts.name, (facts.page,)))
    return Paper(
        "labels",
        f"{facts.name}: labels for the battery bay",
        "Print without scaling, cut along the lines. Clean the place first; warm parts shed labels.",
        "",
        tuple(labels),
    )
