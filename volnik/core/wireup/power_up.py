"""The last connection by the chosen school, zero with nothing else connected, restoring, and the monitor's
first words.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.findings.cables import stud_torque, torque_words
from volnik.core.path.protection.cut import PlacedFuse
from volnik.core.path.work import precharge_ohm
from volnik.core.rig.bank import nominal_class
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import lower
from volnik.core.rig.wiring import Cable, Isolator
from volnik.core.wireup import cautions
from volnik.core.wireup.power_down import capital, names
from volnik.core.wireup.steps import Act, Step
from volnik.core.wireup.switching import Gate, Switches, Switching
from volnik.core.wireup.wires import lug_lines

TENTH = 0.1  # of the bank's volts left across what is closed next; source: trade practice
PRECHARGE_S = 10.0  # in which it is there, or something draws; source: trade practice
ALIKE_V = 0.1  # between strings that are joined, lead; lithium: the maker's limit; source: trade practice
PAIRING_S = 120.0  # a bridge's window after its reset; source: trade practice


@dataclass(frozen=True, slots=True)
class ClosingSchool:
    """One way to make the last joints to the battery, with its reason.

    Attributes:
        order: of the joints: "negative", "positive", "lead" where the monitor's lead is bolted by itself.
    """

    key: str
    name: str
    why: str
    order: tuple[str, ...]


CLOSING = (
    ClosingSchool(
        "bolted_once",
        "negative first, positive bolted once with the sense lead",
        "System positive and sense lead go under one nut, once: reopening it later would restart the "
        "monitor.",
        ("negative", "positive"),
    ),
    ClosingSchool(
        "negative_last",
        "positive first, negative link last",
        "As in ordinary vehicle practice: while the negative is open, a spanner from the positive to "
        "metal meets nothing.",
        ("positive", "negative"),
    ),
    ClosingSchool(
        "lead_last",
        "negative, positive, then the sense lead by itself",
        "The heavy joints are torqued undisturbed; the thin ring goes on top, last.",
        ("negative", "positive", "lead"),
    ),
    ClosingSchool(
        "lead_before",
        "negative, sense lead, then the remaining positives",
        "The monitor's lead is on its post before anything heavy hides it.",
        ("negative", "lead", "positive"),
    ),
    ClosingSchool(
        "bridge_window",
        "negative, positive, the bridge reset, then the lead within its window",
        "Some bridges pair only in the two minutes after their reset: the lead is the last thing touched.",
        ("negative", "positive", "lead"),
    ),
    ClosingSchool(
        "fuse_last",
        "lead landed with the thin wires, then positive and negative; its fuse ends it",
        "Nothing is opened again at a post: the monitor comes alive by its fuse alone.",
        ("lead", "positive", "negative"),
    ),
)


def closing(switches: Switches, school: str) -> list[Step]:
    """The joints to the battery, in the order of a school; then the sense fuse, then zero.

    Args:
        switches: of the plan.
        school: key of a `ClosingSchool`.
    """
    planned = switches.analysis
    chosen = next((each for each in CLOSING if each.key == school), CLOSING[0])
    own = cautions.of_bank(is_lead=planned.chemistry.is_lead, volts=nominal_class(planned.nominal_v))
    alone = "lead" in chosen.order and planned.supply_lead is not None
    order = [part for part in chosen.order if part != "lead" or alone]
    joints = [_joint(planned, part, order, chosen, own) for part in order]
    shunt = [] if planned.wiring.shunt is None else [_sense_fuse(planned), _zero(switches)]
    series, parallel = _links(planned, own)
    return [*series, _polarity(planned), *parallel, NO_SHORT, *joints, *shunt]


def _links(planned: WiringAnalysis, own: tuple[str, ...]) -> tuple[list[Step], list[Step]]:
    """Blocks rejoined in series; then strings side by side, as their own step with its own caution."""
    links = [cable for cable in planned.wiring.cables if planned.is_link(cable)]
    series = [cable for cable in links if cable.a.pole != cable.b.pole]
    parallel = [cable for cable in links if cable.a.pole == cable.b.pole]
    in_series = [_linked(planned, "links", "Rejoin the batteries in series", series, own)] if series else []
    steps: list[Step] = []
    if parallel:
        joined = _linked(
            planned, "parallel", "Join the strings in parallel", parallel, (cautions.ALIKE, *own)
        )
        steps.append(
            replace(
                joined,
                ask="volts",
                asked="largest difference between the strings before they are joined",
                most=ALIKE_V * planned.bank.series if planned.chemistry.is_lead else None,
            )
        )
    return in_series, steps


def _linked(planned: WiringAnalysis, key: str, title: str, links: list[Cable], said: tuple[str, ...]) -> Step:
    lines = []
    for cable in links:
        ends = {planned.studs[end].name: torque_words(planned, end) for end in (cable.a, cable.b)}
        if len(set(ends.values())) == 1:
            told = f" At each end {next(iter(ends.values()))}." if any(ends.values()) else ""
        else:
            told = "".join(f" On the {name} {turn}." for name, turn in ends.items() if turn)
        lines.append(f"{capital(planned.cable_name(cable))}.{told}")
    acts = tuple(Act("land", cable.id) for cable in links)
    return Step(key, "close", title, tuple(lines), said, facts="; ".join(lines), must=True, acts=acts)


def _polarity(planned: WiringAnalysis) -> Step:
    strings = len(planned.top_posts)
    each = "each string's ends" if strings > 1 else "the battery's ends"
    return Step(
        "polarity",
        "close",
        f"Measure volts, plus to minus, at {each}",
        (f"Red probe to plus: near {planned.nominal_v:.0f} V and no minus sign, string by string.",),
        (cautions.HANDS,),
        ask="volts",
        asked="volts of the battery, red probe to plus",
        must=True,
        facts=f"polarity {strings}",
        why="A string turned round is a short across the whole battery at the next joint.",
    )


NO_SHORT = Step(
    "no_short",
    "close",
    "No short between plus and minus",
    (
        "With every fuse out, ohms between the positive and the negative bus: over 10 Ω, or rising while "
        "capacitors fill.",
    ),
    ask="yes_no",
    asked="is it free of a short",
    must=True,
    wants_yes=True,
    facts="no short",
    why="A tool left on a bar, or a pinched cable, is found here without a flash.",
)


def _sense_fuse(planned: WiringAnalysis) -> Step:
    leads = [cable for cable in planned.wiring.cables if planned.is_thin(cable) and cable.fuse is not None]
    leads.sort(key=lambda cable: cable != planned.supply_lead)
    beside = [
        f"Then {cable.fuse.amps:g} A, {lower(planned.cable_name(cable))}."
        for cable in leads
        if cable != planned.supply_lead and cable.fuse is not None
    ]
    acts = tuple(Act("in", cable.id) for cable in leads)
    return replace(SENSE_FUSE, lines=(*SENSE_FUSE.lines, *beside), acts=acts)


SENSE_FUSE = Step(
    "sense_fuse",
    "close",
    "Now the sense fuse: the monitor powers up once",
    (
        "Volts first, then anything else it shows. Anything that disturbs this lead later resets it.",
        "The percentage noted at power-down is entered with the numbers, where it could be believed; after a "
        "full charge it is 100 %.",
    ),
    (cautions.LIVE_SIDE,),
    ask="volts",
    asked="volts the monitor shows",
    must=True,
    facts="sense fuse",
    why="The fuse is the last connection: the count begins here, and only once.",
)


def _zero(switches: Switches) -> Step:
    fuses = switches.main.fuses
    still = "Every main fuse is still out" if len(fuses) > 1 else "The main fuse is still out"
    return Step(
        "zero",
        "close",
        "Read zero and set it, with nothing else connected",
        (
            f"{still}: {'; '.join(switches.name(one) for one in fuses)}."
            if fuses
            else "Nothing is joined yet.",
            "Read what it shows; set zero in the monitor; read again. Where only a phone can set it, "
            "pair first, as below.",
        ),
        ask="amps",
        asked="amps shown after setting zero",
        must=True,
        facts="zero",
        why="An offset of 0.1 A is 2.4 Ah a day that never flowed. Never again is it this easy to see.",
        acts=(Act("note", "zero"),),
    )


def _joined_here(
    planned: WiringAnalysis, posts: Sequence[StudRef], *, with_lead: bool
) -> tuple[list[str], float | None, list[str]]:
    """What is joined at the posts of one pole, the torque of the first thick cable [N·m], and the cables."""
    lines: list[str] = []
    joined: list[str] = []
    turn = None
    lead = planned.supply_lead if with_lead else None
    for stud in posts:
        for cable in planned.by_stud[stud]:
            if planned.is_link(cable) or (planned.is_thin(cable) and cable != lead):
                continue
            lines.append(f"{capital(planned.cable_name(cable))} on the {planned.studs[stud].name}.")
            joined.append(cable.id)
            if not planned.is_thin(cable):
                lines += lug_lines(planned, cable, "a" if cable.a == stud else "b")
                turn = turn or stud_torque(planned, stud)
    return lines, turn, joined


def _joint(
    planned: WiringAnalysis, part: str, order: list[str], school: ClosingSchool, own: tuple[str, ...]
) -> Step:
    """The step that joins one pole of the bank, or the monitor's lead where it is bolted by itself."""
    first, last = part == order[0], part == order[-1]
    word = "First" if first else "Last" if last else "Next"
    if part == "lead":
        return _lead_joint(planned, word, school)
    posts = planned.posts if part == "negative" else planned.top_posts
    lines, turn, joined = _joined_here(planned, posts, with_lead="lead" not in order)
    return Step(
        f"joint:{part}",
        "close",
        f"{word} joint to the battery: the {part}",
        tuple(dict.fromkeys(lines)),
        (cautions.LIVE_SIDE, *own),
        ask="torque" if turn else None,
        asked="torque really used",
        torque_nm=turn,
        must=True,
        facts=f"{school.key}; {'; '.join(lines)}",
        why="" if first else school.why,
        acts=tuple(Act("land", cable_id) for cable_id in joined),
    )


def _lead_joint(planned: WiringAnalysis, word: str, school: ClosingSchool) -> Step:
    lead = planned.supply_lead
    assert lead is not None
    lines = (f"{capital(planned.cable_name(lead))} on the {planned.studs[lead.b].name}, its fuse out.",)
    return Step(
        "joint:lead",
        "close",
        f"{word} joint to the battery: the monitor's supply lead",
        lines,
        (cautions.LIVE_SIDE,),
        must=True,
        facts=f"{school.key}; {lines[0]}",
        why=school.why,
        acts=(Act("land", lead.id),),
    )


def restoring(switching: Switching) -> list[Step]:
    """Main fuses, pre-charge, branches, loads, mains and engine, solar last; what must not go dead tested.

    Args:
        switching: what is opened and closed.
    """
    planned = switching.planned.analysis
    return [
        *_mains_in(switching),
        *_isolators(switching),
        *_gates(switching),
        *_branches(switching),
        *_works_again(planned),
        *_loads_and_sources(switching),
    ]


def _mains_in(switching: Switching) -> list[Step]:
    """Each main fuse by its name; a string's fuse that joins it to the others under its own caution."""
    joined: set[str] = set()
    steps: list[Step] = []
    for one in switching.main:
        string = _string_of(switching.planned.analysis, one)
        beside = bool(string and joined and string not in joined)
        joined |= {string} if string else set()
        steps.append(_fuse_in(switching, one, first=not steps, beside=beside))
    return steps


def _string_of(planned: WiringAnalysis, one: PlacedFuse) -> str:
    """The string at whose post a fuse stands, where strings stand apart; "" where they are one."""
    posts = set(planned.top_posts)
    if len(posts) < 2 or any({cable.a, cable.b} <= posts for cable in planned.wiring.cables):
        return ""
    return next((str(stud) for stud in (one.cable.a, one.cable.b) if stud in posts), "")


def _fuse_in(switching: Switching, one: PlacedFuse, *, first: bool, beside: bool) -> Step:
    name = switching.planned.name(one)
    step = Step(
        f"fuse_in:{one.id}",
        "restore",
        f"Main fuse in: {name}",
        must=True,
        facts=f"in {name}",
        about=one.cable.id,
        acts=(Act("in", one.id),),
    )
    if first:
        step = replace(
            step,
            lines=("Look and smell for smoke; read volts before anything else.",),
            cautions=(cautions.STARTS, cautions.HANDS),
            ask="volts",
            asked="volts the monitor shows",
        )
    return _beside(switching, step) if beside else step


def _beside(switching: Switching, step: Step) -> Step:
    """The step of a fuse that joins a string to the others."""
    lead = switching.planned.analysis.chemistry.is_lead
    return replace(
        step,
        lines=("Volts across the open holder first: the two strings within 0.1 V.", *step.lines),
        cautions=(cautions.ALIKE, *step.cautions),
        ask="volts",
        asked="volts across the open holder",
        most=ALIKE_V if lead else None,
    )


def _isolators(switching: Switching) -> list[Step]:
    gates = {gate.isolator.id for gate in switching.planned.gates if gate.isolator is not None}
    return [
        _close(isolator)
        for isolator in switching.planned.analysis.wiring.isolators
        if isolator.id not in gates
    ]


def _close(isolator: Isolator) -> Step:
    return Step(
        f"close:{isolator.id}",
        "restore",
        f"Close the {isolator.name.lower()}",
        (),
        (cautions.STARTS, cautions.HANDS),
        must=True,
        facts=f"close {isolator.name}",
        about=isolator.id,
        acts=(Act("close", isolator.id),),
    )


def _gates(switching: Switching) -> list[Step]:
    """Capacitors charged across the very fuse or switch that feeds them, which is then closed."""
    steps: list[Step] = []
    closed: set[str] = set()
    for gate in switching.planned.gates:
        where = gate.fuse.id if gate.fuse else gate.isolator.id if gate.isolator else ""
        if where in closed or not where:
            continue
        closed.add(where)
        behind = [other.device for other in switching.planned.gates if _same(other, gate)]
        steps.append(_precharge(switching, gate, behind))
        if gate.fuse is not None:
            fuse = _fuse_in(switching, gate.fuse, first=False, beside=False)
            steps.append(replace(fuse, title=f"Now its fuse in: {switching.planned.name(gate.fuse)}"))
        elif gate.isolator is not None:
            steps.append(_close(gate.isolator))
    return steps


def _same(one: Gate, other: Gate) -> bool:
    if one.fuse is not None and other.fuse is not None:
        return one.fuse.id == other.fuse.id
    return one.isolator is not None and one.isolator == other.isolator


def _precharge(switching: Switching, gate: Gate, behind: list[ResolvedDevice]) -> Step:
    planned = switching.planned.analysis
    ohm, under_v = precharge_ohm(planned.nominal_v), TENTH * planned.nominal_v
    if gate.fuse is not None:
        across = f"holder of the {switching.planned.name(gate.fuse)}"
    else:
        across = gate.isolator.name.lower() if gate.isolator is not None else "main fuse"
    return Step(
        f"precharge:{gate.device.id}",
        "restore",
        f"Pre-charge {names(behind)}",
        (
            f"{ohm} Ω, 25 W wire-wound, across the open {across}, until under {under_v:.1f} V, a tenth of "
            "the battery's, is across it. The resistor gets hot.",
            f"Not there in {PRECHARGE_S:.0f} s: stop, isolate what draws behind it, let the resistor cool, "
            "repeat.",
        ),
        (cautions.INRUSH, cautions.MAINS),
        ask="volts",
        asked="volts left across it",
        must=True,
        most=round(under_v, 2),
        facts=f"{ohm} {across} {names(behind)}",
        about=gate.device.id,
    )


def _branches(switching: Switching) -> list[Step]:
    """The fuses of branches that are new or were out, each by its name."""
    fuses = switching.branches
    if not fuses:
        return []
    lines = tuple(f"In: {switching.planned.name(one)}." for one in fuses)
    return [
        Step(
            "branches_in",
            "restore",
            "The branches' fuses, one by one",
            lines,
            (cautions.STARTS,),
            must=True,
            facts="; ".join(lines),
            acts=tuple(Act("in", one.id) for one in fuses),
        )
    ]


def _works_again(planned: WiringAnalysis) -> list[Step]:
    steps = []
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


def _loads_and_sources(switching: Switching) -> list[Step]:
    """Loads first, then what charges, solar last."""
    planned = switching.planned.analysis
    devices = planned.devices
    loads = [device for device in devices if device.is_spare_load]
    mains = [
        device for device in devices if device.preset.far or (device.gives and device.number("panel_w") <= 0)
    ]
    solar = [device for device in devices if device.is_solar]
    steps = []
    if loads:
        steps.append(
            Step(
                "loads_on",
                "restore",
                "Loads back on",
                (f"{names(loads)}: one at a time.",),
                (cautions.STARTS,),
                facts=names(loads),
                acts=(Act("on", "loads"),),
            )
        )
    return [*steps, *_engine_side(switching), *_sources_on(planned, mains, solar)]


def _engine_side(switching: Switching) -> list[Step]:
    """Other batteries joined again: their negatives where they were lifted, their fuses by name."""
    lifted = [other.device for other in switching.stands.others if other.is_open or not other.fuses]
    lines = [f"Negative of the {lower(device.name)} landed again." for device in lifted]
    lines += [f"In: {switching.planned.name(one)}." for one in switching.engine_side]
    if not lines:
        return []
    return [
        Step(
            "others_on",
            "restore",
            "Other batteries back on",
            tuple(lines),
            (cautions.HANDS,),
            must=True,
            facts="; ".join(lines),
            acts=(
                *(Act("land", f"{device.id}.minus") for device in lifted),
                *(Act("in", one.id) for one in switching.engine_side),
            ),
        )
    ]


def _sources_on(
    planned: WiringAnalysis, mains: list[ResolvedDevice], solar: list[ResolvedDevice]
) -> list[Step]:
    """The steps that put mains and engine chargers back on, then solar."""
    frozen = () if planned.chemistry.is_lead else (cautions.FROZEN,)
    steps = []
    shore = (cautions.MAINS,) if any("shore" in device.preset.traits for device in mains) else ()
    if mains:
        steps.append(
            Step(
                "mains_on",
                "restore",
                f"Mains and engine chargers: {names(mains)}",
                (),
                (*shore, *frozen),
                facts=names(mains),
                acts=(Act("on", "mains"),),
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
                acts=(Act("on", "solar"),),
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
NAME = Step(
    "name",
    "monitor",
    "Name it",
    (
        "One name a battery: two alike are taken for each other.",
        "Its summary broadcast on, where it has one: the list then shows its figures unopened.",
    ),
    ask="text",
    asked="its name",
    facts="name",
)
LISTENERS = Step(
    "listeners",
    "monitor",
    "Join what listens",
    (
        "A display's cable carries data and supply: which end, and which way round, before it is pressed in.",
        "The data port goes to the hub or the bridge's small computer; on the monitor nothing is set. See "
        "Doors for its file.",
        "A small computer whose serial port is in use often has its radio off: give it a plug-in adapter, "
        "named by its path.",
        "A bridge to a factory panel goes to any port, then it is paired: the old figure becomes right, no "
        "new page appears. Tell the owner.",
    ),
    ask="text",
    asked="what is joined",
    facts="listeners",
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
    second = _auxiliary_mode(planned.wiring.auxiliary)
    return [PAIR, FIRMWARE, PIN, NAME, LISTENERS, numbers, *second, read_back]


def _auxiliary_mode(use: str) -> list[Step]:
    if use == "none":
        return []
    title = f"Set the second input to {AUXILIARY_WORDS[use]}"
    return [Step("aux_mode", "monitor", title, (), facts=use, ask="text", asked="what it shows")]
