"""Making ready and making dead: what this rig really has, switched off in the right order."""

from __future__ import annotations

from collections.abc import Callable

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.rig.bank import nominal_class
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.studs import block_names, lower
from volnik.core.wireup import cautions
from volnik.core.wireup.steps import Act, Step
from volnik.core.wireup.switching import OtherBattery, Switches, Switching

DEAD_V = 1.0  # left at a bus called dead, by a meter just proved; source: estimate
LEAD_REST_S = 3600.0  # rest after charging; source: trade practice
CAPACITORS_S = 300.0  # wait for an inverter's capacitors; source: trade practice
BOATS = ("narrowboat", "sailboat")


def names(devices: list[ResolvedDevice]) -> str:
    """Names in a row: "Fridge, Cabin lights and Water pump".

    Args:
        devices: of the rig.
    """
    rows = [device.name for device in devices]
    return " and ".join((", ".join(rows[:-1]), rows[-1])) if len(rows) > 1 else "".join(rows)


def capital(message: str) -> str:
    """A sentence's beginning; names inside keep their letters.

    Args:
        message: a sentence.
    """
    return message[:1].upper() + message[1:]


def make_ready(analysis: WiringAnalysis, *, silhouette: str) -> list[Step]:
    """What is done before anything is switched off.

    Args:
        analysis: the drawing, solved and judged as one.
        silhouette: what kind of rig it is.
    """
    lead = analysis.chemistry.is_lead
    steps = [_charge_full(is_lead=lead), PHOTOS, CLAIMED]
    if lead:
        steps.append(
            Step(
                "rest",
                "ready",
                "Let the battery rest an hour after charging, lids and bay open",
                (),
                (cautions.GASSING, cautions.FUMES),
                timer_s=LEAD_REST_S,
                must=True,
                facts="rest",
            )
        )
    boat = silhouette in BOATS
    return steps + [_must_not_go_dead(device, boat=boat) for device in analysis.devices if device.stays_fed]


def _charge_full(*, is_lead: bool) -> Step:
    return Step(
        "full",
        "ready",
        "Charge the battery until it is full",
        (
            "The count then starts from a known state: many monitors power up claiming 100 %, "
            "some 50 %, some nothing.",
        ),
        (cautions.FIRST,) if is_lead else (cautions.FIRST, cautions.FROZEN),
        ask="volts",
        asked="volts at the posts when full",
        facts="full",
    )


PHOTOS = Step(
    "photos",
    "ready",
    "Photograph every post and the shunt's place as they are",
    ("Each lug in its stack; the labels of the batteries.",),
    facts="photos",
)
CLAIMED = Step(
    "claimed",
    "ready",
    "Note what the old monitor or gauge says",
    ("It will be cut, and has to be re-entered or disbelieved.",),
    ask="text",
    asked="what it claims",
    facts="claimed",
)


def _must_not_go_dead(device: ResolvedDevice, *, boat: bool) -> Step:
    return Step(
        f"must_not:{device.id}",
        "ready",
        f"{device.name} must not go dead unseen: agree a substitute or a time limit",
        ("With the owner, before power-down; it is tested again after restoring.",),
        (cautions.AFLOAT,) if boat and "bails" in device.preset.traits else (),
        ask="text",
        asked="substitute or time limit",
        must=True,
        about=device.id,
        facts=f"must {device.name}",
    )


def power_down(switching: Switching) -> list[Step]:
    """From loads off to proven dead, made for the sources, fuses and batteries this rig has.

    Args:
        switching: what is opened and closed.
    """
    stands = switching.stands
    analysis = stands.analysis
    return [
        _loads(analysis),
        *_sources(analysis),
        *_monitor_off(analysis),
        *(_other_off(stands, other) for other in stands.others),
        _main_off(switching),
        *_posts(analysis),
        *_proven_dead(stands),
    ]


def _monitor_off(analysis: WiringAnalysis) -> list[Step]:
    """What a monitor that is fitted says is written down before it goes dark."""
    lead = analysis.supply_lead
    if lead is None:
        return []
    out = (
        "then take its sense fuse out"
        if lead.fuse is not None
        else "then lift its supply lead: it has no fuse"
    )
    leads = [cable for cable in analysis.wiring.cables if analysis.is_thin(cable) and cable.fuse is not None]
    return [
        Step(
            "sense_out",
            "dead",
            f"Note the monitor's percentage and volts, {out}",
            ("It is re-entered, or disbelieved, when the monitor powers up again.",),
            ask="percent",
            asked="percentage shown, volts as a note",
            facts=f"sense {lead.id}",
            about=lead.id,
            acts=(Act("note", "monitor"), *(Act("out", cable.id) for cable in leads)),
        )
    ]


def _other_off(stands: Switches, other: OtherBattery) -> Step:
    """Another battery parted from the rig: its own fuses by name, else its negative."""
    name = other.device.name
    lines = [f"Out: {stands.name(one)}." for one in other.fuses]
    acts = [Act("out", one.id) for one in other.fuses]
    if other.is_open or not other.fuses:
        lines.append(
            f"No fuse is fitted on a way from the {lower(name)}: unhook its negative, cover it; fit the fuse."
        )
        acts.append(Act("lift", f"{other.device.id}.minus"))
    return Step(
        f"other_off:{other.device.id}",
        "dead",
        f"Part the {lower(name)} from the rig",
        tuple(lines),
        (cautions.HANDS,),
        must=True,
        facts="; ".join(lines),
        about=other.device.id,
        why="What it feeds stays live however dead the battery is.",
        acts=tuple(acts),
    )


def _loads(analysis: WiringAnalysis) -> Step:
    loads = [device for device in analysis.devices if device.is_spare_load]
    kept = [device for device in analysis.devices if device.stays_fed]
    inverters = [device for device in analysis.devices if device.preset.is_inverter]
    lines = []
    if loads:
        lines.append(f"Off: {names(loads)}.")
    if any("runs_down" in device.preset.traits for device in analysis.devices):
        lines.append("Let heaters run down by themselves; a blower heater cut while hot is damaged.")
    if inverters:
        lines.append(f"{names(inverters)} off at its own switch.")
    # Not only where one is listed: a generator nobody told of starts by itself when the bank sinks.
    lines.append("Disable any generator's auto-start.")
    if kept:
        lines.append(f"Last, with its substitute in place: {names(kept)}.")
    return Step(
        "loads_off",
        "dead",
        "Loads off",
        tuple(lines),
        (cautions.MAINS,) if inverters else (),
        facts="; ".join(lines),
        why="What draws nothing makes no spark when its cable is lifted.",
        acts=(Act("off", "loads"),),
    )


def _sources(analysis: WiringAnalysis) -> list[Step]:
    """A step a kind of source the rig has, in the order they are taken off."""
    found = []
    for make, belongs in SOURCES:
        if devices := [device for device in analysis.devices if belongs(device)]:
            found.append(make(devices))
    return found


def _solar_off(solar: list[ResolvedDevice]) -> Step:
    return Step(
        "solar_off",
        "dead",
        f"Solar off before the battery: {names(solar)}",
        (
            "Open the array isolator, or cover the panels.",
            "Measure at the controller's panel side that nothing comes.",
        ),
        (cautions.PANEL,),
        ask="volts",
        asked="volts left at the panel side",
        must=True,
        facts=names(solar),
        why="Some controllers without their battery pass the panel's volts on.",
        acts=(Act("off", "solar"),),
    )


def _wind_off(wind: list[ResolvedDevice]) -> Step:
    return Step(
        "wind_off",
        "dead",
        f"Brake {names(wind)}",
        ("By its maker's method.",),
        (cautions.WIND,),
        must=True,
        facts=names(wind),
        acts=(Act("off", "wind"),),
    )


def _shore_off(shore: list[ResolvedDevice]) -> Step:
    return Step(
        "shore_off",
        "dead",
        f"Shore power off: {names(shore)}",
        ("Off at the supply's breaker, then unplugged. Generator off.",),
        (cautions.MAINS,),
        must=True,
        facts=names(shore),
        why="A converter keeps the bus alive.",
        acts=(Act("off", "shore"),),
    )


def _engine_off(engine: list[ResolvedDevice]) -> Step:
    return Step(
        "engine_off",
        "dead",
        f"Engine feed off: {names(engine)}",
        ("Engine off, key out.",),
        (cautions.ALTERNATOR,),
        must=True,
        facts=names(engine),
        why="With the key on, the engine's feed makes the bus live again.",
        acts=(Act("off", "engine"),),
    )


def _main_off(switching: Switching) -> Step:
    """Every isolator open, every main fuse out, by name; the inverters' own fuses with them."""
    stands = switching.stands
    own = cautions.of_bank(
        is_lead=stands.analysis.chemistry.is_lead, volts=nominal_class(stands.analysis.nominal_v)
    )
    isolators = list(stands.analysis.wiring.isolators)
    lines = [f"Open: {', '.join(isolator.name for isolator in isolators)}."] if isolators else []
    lines += [f"Out: {stands.name(one)}." for one in stands.main.fuses]
    lines += [f"Out too, for the pre-charge: {stands.name(one)}." for one in switching.out_gates]
    bare = [stands.analysis.cable_name(conductor.cables[0]) for conductor in stands.main.open]
    lines += [f"No fuse is fitted in the {name}: its post is the only place to part it." for name in bare]
    fuses = [*stands.main.fuses, *switching.out_gates]
    lines.append("Keep every fuse in your pocket, labelled.")
    return Step(
        "main_off",
        "dead",
        _main_title(len(isolators), len(stands.main.fuses)),
        tuple(lines),
        own,
        must=True,
        facts="; ".join(lines),
        why="That is not enough: the posts are still live. The next two steps end it.",
        acts=(
            *(Act("open", isolator.id) for isolator in isolators),
            *(Act("out", one.id) for one in fuses),
        ),
    )


def _main_title(isolators: int, fuses: int) -> str:
    fuse = "main fuse out" if fuses == 1 else f"{fuses} main fuses out"
    if not fuses:
        return "Isolator open; there is no main fuse" if isolators else "There is no main fuse, no isolator"
    return f"Isolator open, {fuse}" if isolators else f"{fuse[0].upper()}{fuse[1:]}; there is no isolator"


def _posts(analysis: WiringAnalysis) -> list[Step]:
    own = cautions.of_bank(is_lead=analysis.chemistry.is_lead, volts=nominal_class(analysis.nominal_v))
    blocks = [name for row in block_names(analysis.bank) for name in row]
    message = f"{len(blocks)} batteries: {', '.join(blocks)}" if len(blocks) > 1 else f"battery {blocks[0]}"
    return [
        Step(
            "negatives_off",
            "dead",
            "Minus cables off every battery, ends covered",
            (
                capital(message) + ".",
                "One post at a time, the other one covered; mind posts that face each other.",
            ),
            (cautions.NEGATIVE_FIRST, *own),
            must=True,
            facts=message,
            acts=tuple(Act("lift", f"{name}.minus") for name in blocks),
        ),
        Step(
            "positives_off",
            "dead",
            "Then the plus cables, each covered",
            (capital(message) + ".", "Links between batteries too, where their posts are worked on."),
            own,
            must=True,
            facts=message,
            acts=tuple(Act("lift", f"{name}.plus") for name in blocks),
        ),
    ]


def _proven_dead(stands: Switches) -> list[Step]:
    analysis = stands.analysis
    steps = []
    inverters = [device for device in analysis.devices if device.preset.is_inverter]
    if inverters:
        steps.append(
            Step(
                "capacitors",
                "dead",
                f"Wait out the capacitors of {names(inverters)}",
                ("Five minutes to start with; longer where its maker says so.",),
                (cautions.MAINS,),
                timer_s=CAPACITORS_S,
                must=True,
                facts=names(inverters),
            )
        )
    places = ["the bus"] + (["the inverter's DC terminals", "its AC outlet"] if inverters else [])
    places += [f"the rig's end of the {lower(other.device.name)}'s feed" for other in stands.others]
    lithium = (cautions.ASLEEP,) if not analysis.chemistry.is_lead else ()
    steps.append(
        Step(
            "proven_dead",
            "dead",
            "Prove it dead",
            (
                "Prove the meter on a live battery.",
                f"Measure at {', '.join(places)}.",
                "Prove the meter again on the live battery.",
            ),
            (*lithium, *((cautions.MAINS,) if inverters else ()), cautions.FIRST),
            ask="volts",
            asked="highest volts left",
            must=True,
            most=DEAD_V,
            facts="; ".join(places),
        )
    )
    return steps


SOURCES: tuple[tuple[Callable[[list[ResolvedDevice]], Step], Callable[[ResolvedDevice], bool]], ...] = (
    (_solar_off, lambda device: device.is_solar),
    (_wind_off, lambda device: "wind" in device.preset.traits),
    (_shore_off, lambda device: "shore" in device.preset.traits),
    (_engine_off, lambda device: device.preset.needs_engine),
)
