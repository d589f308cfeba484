"""The three-minute tour of the demo: find the heater nobody counts, on Vet Van Two and its bench rig."""

from __future__ import annotations

from dataclasses import dataclass

TOUR_COOKIE = "volnik_tour"
DEMO_KEY = "vetvan"


@dataclass(frozen=True, slots=True)
class TourStep:
    """One step: the page it stands beside, what to do there, the button that leads on."""

    address: str
    text: str
    button: str = "Next"
    wants_bench: bool = False


STEPS = (
    TourStep(
        "/",
        "This yard is made up. In one van a heater runs and nobody counts it. The percentage looks "
        "fine and is "
        "wrong. Let us find it.",
        "Look at the plan",
    ),
    TourStep(
        "/rigs/{rig}/path",
        "This is Vet Van Two as planned. Every minus cable ends behind the shunt, so every device is "
        "counted. "
        "But is the van wired like that? Only switching tells.",
        "Prove it",
    ),
    TourStep(
        "/rigs/{rig}/prove",
        "A simulated van takes the place of the real one. Open its controls in a second window. Here "
        "press “Call "
        "Surgery lights”. Switch it on there, press “It is on” here, then off the same way. The shunt sees "
        "it: counted.",
        "Now the heater",
        wants_bench=True,
    ),
    TourStep(
        "/rigs/{rig}/prove",
        "Press Blower heater in the drawing and switch it the same way. The shunt sees nothing: not counted. "
        "Its minus cable sits on the battery, past the shunt.",
        "Put it right",
        wants_bench=True,
    ),
    TourStep(
        "/rigs/{rig}/prove",
        "In the simulated van move the heater's minus cable to the negative busbar. Call the heater again: "
        "counted. That is a proof.",
        "Your own van",
        wants_bench=True,
    ),
)
LAST_ADDRESS = "/quick"


@dataclass(frozen=True, slots=True)
class TourPanel:
    """The panel beside the page.

    Attributes:
        number, count: of the step.
        back, on: the step before it and the one after; before the first there is none, 0.
        text, button: as of `TourStep`.
        bench: address of the simulated van's controls, "" where none answers.
        wants_bench: whether they are needed here.
    """

    number: int
    count: int
    back: int
    on: int
    text: str
    button: str
    bench: str
    wants_bench: bool


def tour_panel(number: int, bench: str) -> TourPanel:
    """The panel of a step.

    Args:
        number: of the step, from 1.
        bench: address of the simulated van's controls, "" where none answers.
    """
    step = STEPS[number - 1]
    return TourPanel(
        number, len(STEPS), number - 1, number + 1, step.text, step.button, bench, step.wants_bench
    )


def step_in(cookie: str | None) -> int:
    """The step a browser is at, 0 for none."""
    number = int(cookie) if cookie and cookie.isdigit() and len(cookie) < 3 else 0
    return number if number <= len(STEPS) else 0


def address_of(number: int, rig_id: int) -> str:
    """The page a step stands beside; after the last one the quick job."""
    if not 1 <= number <= len(STEPS):
        return LAST_ADDRESS
    return STEPS[number - 1].address.format(rig=rig_id)
