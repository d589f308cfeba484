"""The last connection by the chosen school, zero with nothing else connected, restoring, and the monitor's
first words.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.findings.cables import stud_torque
from volnik.core.rig.bank import nominal_class
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.stud_ref import StudRef
from volnik.core.wireup import cautions
from volnik.core.wireup.power_down import ahead, capital, names
from volnik.core.wireup.steps import Step
from volnik.core.wireup.wires import lug_lines

# 25 W wire-wound; source: trade practice, 36 V between its neighbours
PRECHARGE_OHM = {12: 10, 24: 25, 36: 35, 48: 50}
UNDER_V = 1.0  # across main fuse or isolator before it is closed
PAIRING_S = 120.0  # a bridge's window after its reset; source: trade practice


@dataclass(frozen=True, slots=True)
class ClosingSchool:
    """One way to make the last joint to the battery, with its reason."""

    key: str
    name: str
    why: str


CLOSING = (
    ClosingSchool(
        "bolted_once",
        "negative first, positive bolted once with the sense lead",
        "System positive and sense lead go under one nut, once: reopening it later would restart the "
        "monitor.",
    ),
    ClosingSchool(
        "negative_last",
        "positive first, negative link last",
        "As in ordinary vehicle practice: while the negative is open, a spanner from the positive to "
        "metal meets nothing.",
    ),
)


def closing(planned: WiringAnalysis, school: str) -> list[Step]:
    """The joints to the battery, in the order of a school; then the sense fuse, then zero.

    Args:
        planned: the plan, solved.
    """
    chosen = next((each for each in CLOSING if each.key == school), CLOSING[0])
    own = cautions.of_bank(is_lead=planned.chemistry.is_lead, volts=nominal_class(planned.nominal_v))
    negative = _joint(planned, "minus", "negative", chosen, own)
    positive = _joint(planned, "plus", "positive", chosen, own)
    joints = [negative, positive] if chosen.key == "bolted_once" else [positive, negative]
    shunt = [] if planned.wiring.shunt is None else [SENSE_FUSE, _zero(planned)]
    return [*_links(planned, own), *joints, *shunt]


def _links(planned: WiringAnalysis, own: tuple[str, ...]) -> list[Step]:
    links = [cable for cable in planned.wiring.cables if planned.is_link(cable)]
    if not links:
        return []
    lines = []
    for cable in links:
        turn = stud_torque(planned, cable.a)
        lines.append(f"{capital(planned.cable_name(cable))}{f', {turn:g} N·m' if turn else ''}.")
    facts = "; ".join(lines)
    title = "Rejoin the blocks"
    return [Step("links", "close", title, tuple(lines), (cautions.ALIKE, *own), facts=facts, must=True)]


SENSE_FUSE = Step(
    "sense_fuse",
    "close",
    "Now the sense fuse: the monitor powers up once",
    ("Volts first, then anything else it shows. Anything that disturbs this lead later resets it.",),
    (cautions.LIVE_SIDE,),
    ask="volts",
    asked="volts the monitor shows",
    must=True,
    facts="sense fuse",
    why="The fuse is the last connection: the count begins here, and only once.",
)


def _zero(planned: WiringAnalysis) -> Step:
    first = ahead(planned)
    return Step(
        "zero",
        "close",
        "Read zero and set it, with nothing else connected",
        (
            f"Main fuse still out, and the fuses of {names(first)} too."
            if first
            else "Main fuse still out: nothing can flow.",
            "Read what it shows; set zero in the monitor; read again. Where only a phone can set it, "
            "pair first, as below.",
        ),
        ask="amps",
        asked="amps shown after setting zero",
        must=True,
        facts="zero",
        why="An offset of 0.1 A is 2.4 Ah a day that never flowed. Never again is it this easy to see.",
    )


def _joined_here(planned: WiringAnalysis, posts: Sequence[StudRef]) -> tuple[list[str], float | None]:
    """What is joined at the posts of one pole, and the torque of the first that takes a thick cable [N·m]."""
    lines: list[str] = []
    turn = None
    for stud in posts:
        for cable in planned.by_stud[stud]:
            if planned.is_link(cable) or (planned.is_thin(cable) and cable != planned.supply_lead):
                continue
            lines.append(f"{capital(planned.cable_name(cable))} on the {planned.studs[stud].name}.")
            if not planned.is_thin(cable):
                lines += lug_lines(planned, cable, "a" if cable.a == stud else "b")
                turn = turn or stud_torque(planned, stud)
    return lines, turn


def _joint(
    planned: WiringAnalysis, pole: str, word: str, school: ClosingSchool, own: tuple[str, ...]
) -> Step:
    """The step that joins one pole of the bank, first or last as the school says."""
    lines, turn = _joined_here(planned, planned.posts if pole == "minus" else planned.top_posts)
    once = school.key == "bolted_once"
    first = (pole == "minus") == once
    return Step(
        f"joint:{word}",
        "close",
        f"{'First' if first else 'Last'} joint to the battery: the {word}",
        tuple(dict.fromkeys(lines)),
        (cautions.LIVE_SIDE, *own),
        ask="torque" if turn else None,
        asked="torque really used",
        torque_nm=turn,
        must=True,
        facts=f"{school.key}; {'; '.join(lines)}",
        why="" if first else school.why,
    )


def restoring(planned: WiringAnalysis) -> list[Step]:
    """Pre-charge, main fuse, loads, mains and engine, solar last; each that must not go dead tested.

    Args:
        planned: the plan, solved.
    """
    return [*_first_current(planned), *_works_again(planned), *_loads_and_sources(planned)]


def _first_current(planned: WiringAnalysis) -> list[Step]:
    """Capacitors charged through a resistor across the one place that is then closed."""
    steps = []
    inverters = [
        device
        for device in planned.devices
        if device.id in planned.wiring.precharge or device.preset.is_inverter
    ]
    isolator = planned.wiring.isolators[0].name.lower() if planned.wiring.isolators else ""
    closes = isolator or "main fuse"
    if inverters:
        ohm = PRECHARGE_OHM.get(nominal_class(planned.nominal_v), 50)
        before = (f"Main fuse in, with the {isolator} still open.",) if isolator else ()
        steps.append(
            Step(
                "precharge",
                "restore",
                f"Pre-charge {names(inverters)}",
                (
                    *before,
                    f"{ohm} Ω, 25 W wire-wound, across the open {closes}, until under {UNDER_V:g} V "
                    "stands across it. The resistor gets hot.",
                ),
                (cautions.INRUSH, cautions.MAINS),
                ask="volts",
                asked="volts left across it",
                must=True,
                most=UNDER_V,
                facts=f"{ohm} {closes} {names(inverters)}",
            )
        )
    title = (
        "Main fuse in"
        if not isolator
        else f"Close the {isolator}"
        if inverters
        else f"Main fuse in, then the {isolator}"
    )
    steps.append(
        Step(
            "close_main",
            "restore",
            title,
            ("Look and smell for smoke; read volts before anything else.",),
            (cautions.STARTS, cautions.HANDS),
            ask="volts",
            asked="volts the monitor shows",
            must=True,
            facts=f"close {closes}",
        )
    )
    return steps


def _works_again(planned: WiringAnalysis) -> list[Step]:
    first = ahead(planned)
    steps = []
    if first:
        message = f"The fuses fed ahead of it: {names(first)}"
        steps.append(Step("feeds", "restore", message, ("One by one.",), facts=names(first)))
    for device in planned.devices:
        if device.stays_fed:
            steps.append(
                Step(
                    f"tested:{device.id}",
                    "restore",
                    f"{device.device.name} works again: test it",
                    ("By its own test button, float or display.",),
                    must=True,
                    wants_yes=True,
                    ask="yes_no",
                    asked="does it work",
                    about=device.id,
                    facts=device.device.name,
                )
            )
    return steps


def _loads_and_sources(planned: WiringAnalysis) -> list[Step]:
    """Loads first, then what charges, solar last."""
    devices = planned.devices
    loads = [device for device in devices if device.is_spare_load]
    mains = [
        device for device in devices if device.preset.far or (device.gives and device.number("panel_w") <= 0)
    ]
    solar = [device for device in devices if device.is_solar]
    steps = []
    if loads:
        lines = (f"{names(loads)}: one at a time.",)
        steps.append(
            Step("loads_on", "restore", "Loads back on", lines, (cautions.STARTS,), facts=names(loads))
        )
    return [*steps, *_sources_on(planned, mains, solar)]


def _sources_on(
    planned: WiringAnalysis, mains: list[ResolvedDevice], solar: list[ResolvedDevice]
) -> list[Step]:
    """The steps that put mains and engine chargers back on, then solar."""
    frozen = () if planned.chemistry.is_lead else (cautions.FROZEN,)
    linked = any(device.preset.far for device in planned.devices)
    steps = []
    if mains:
        steps.append(
            Step(
                "mains_on",
                "restore",
                f"Mains and engine chargers: {names(mains)}",
                ("Starter-side fuses back in.",) if linked else (),
                (cautions.MAINS, *frozen),
                facts=names(mains),
            )
        )
    if solar:
        steps.append(
            Step(
                "solar_on",
                "restore",
                f"Solar last: {names(solar)}",
                ("Only now that the controller has its battery.",),
                (cautions.PANEL, *frozen),
                facts=names(solar),
            )
        )
    return steps


PAIR = Step(
    "pair",
    "monitor",
    "Pair the monitor with the phone",
    (
        "App first, radio on. Some bridges pair only within about two minutes of their reset: rehearse it.",
        "An old firmware may refuse some phones: try another phone before calling the unit defective.",
    ),
    timer_s=PAIRING_S,
    facts="pair",
)
FIRMWARE = Step(
    "firmware",
    "monitor",
    "Update its firmware before anything else",
    ("Accept, wait, reconnect; compare the settings afterwards, some fall back.",),
    ask="text",
    asked="version now on it",
    facts="firmware",
)
PIN = Step(
    "pin",
    "monitor",
    "Change the factory PIN",
    ("Tell the owner, on paper of theirs.",),
    ask="yes_no",
    asked="was it changed",
    facts="pin",
    why="Neighbours know the equipment and the factory code. Volnik records that it was changed, never the "
    "PIN itself.",
)
AUXILIARY_WORDS = {"temperature": "temperature", "starter": "starter volts", "midpoint": "midpoint volts"}


def monitor(planned: WiringAnalysis, *, version: str, sheet: tuple[str, ...], dialect: str) -> list[Step]:
    """First words of the monitor: pairing, firmware first, its PIN, the numbers from the sheet, read back.

    Args:
        planned: the drawing.
        version: of the numbers, "" while none are saved.
        sheet: its rows, as they are entered.
        dialect: name of the fitted monitor, or "".
    """
    if planned.wiring.shunt is None:
        return []
    numbers = Step(
        "numbers",
        "monitor",
        f"Enter the numbers{f' in the words of {dialect}' if dialect else ''}",
        sheet or ("No numbers are saved yet: save them at Numbers, then come back.",),
        facts=f"numbers {version}",
        goes="numbers/sheet",
        why="The capacity prompt first: it often never returns, and the factory figure stays.",
    )
    read_back = Step(
        "read_back",
        "monitor",
        "Read every number back from the monitor",
        ("Each against the sheet, on the sheet's own page.",),
        facts=f"back {version}",
        goes="numbers/sheet",
        ask="yes_no",
        asked="all as on the sheet",
    )
    return [PAIR, FIRMWARE, PIN, numbers, *_auxiliary_mode(planned.wiring.auxiliary), read_back]


def _auxiliary_mode(use: str) -> list[Step]:
    if use == "none":
        return []
    title = f"Set the spare input to {AUXILIARY_WORDS[use]}"
    return [Step("aux_mode", "monitor", title, (), facts=use, ask="text", asked="what it shows")]
