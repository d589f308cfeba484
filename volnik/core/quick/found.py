"""What a usual van has, drawn from lines: where plus and minus cables land that nobody told of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from volnik.core.path.findings.fuses import LOAD_DUMP
from volnik.core.path.findings.mends import fitting_fuse
from volnik.core.path.fitted import device_cables, fitted
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device, ResolvedDevice, all_drawn
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import block_names, highest_post, preset_of
from volnik.core.rig.wiring import Bar, Cable, Fuse, Wiring
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.shelf.fuses import next_size
from volnik.core.shelf.presets import Preset
from volnik.core.survey.lines import enter, starter_of

FUSE_BOX, MAIN_BAR, CHASSIS = StudRef("fuse_box"), StudRef("plus_busbar"), StudRef("chassis")
IN_THE_BOX_A = 20.0  # up to which a load's fuse sits in a fuse box; source: trade practice
EVENING_H = 18.0  # when an inverter's hours begin that nobody told; source: estimate


@dataclass(frozen=True, slots=True)
class Found:
    """The devices and the drawing of what is there, and problems by line number."""

    devices: tuple[Device, ...]
    wiring: Wiring
    problems: dict[int, str]


@dataclass(slots=True)
class _Van:
    """What is being put together.

    Attributes:
        bank, chemistry, presets, answers: as asked for.
        devices: so far.
        wiring: so far.
    """

    bank: Bank
    chemistry: Chemistry
    presets: dict[str, Preset]
    answers: Mapping[str, str]
    devices: list[Device] = field(default_factory=list)
    wiring: Wiring = Wiring()

    @property
    def top_post(self) -> StudRef:
        return StudRef(highest_post(self.bank))

    @property
    def low_post(self) -> StudRef:
        rows = block_names(self.bank)
        row = rows[-1] if self.bank.takeoff == "diagonal" else rows[0]
        return StudRef.of(row[-1], "minus")

    @property
    def is_fused(self) -> bool:
        return self.answers.get("fuses") != "none"

    def _preset(self, device: Device) -> Preset:
        return preset_of(device, self.presets)

    @property
    def kinds(self) -> list[Preset]:
        return [self._preset(device) for device in self.devices]

    @property
    def starter(self) -> Device | None:
        return starter_of(self.devices, self.presets)

    def resolved(self) -> list[ResolvedDevice]:
        return all_drawn(tuple(self.devices), self.presets, self.bank.nominal_v(self.chemistry))

    def join(self, cable: Cable) -> None:
        """Put a cable in, unless one of its id is there."""
        if self.wiring.cable(cable.id) is None:
            self.wiring = self.wiring.with_cable(cable)


def usual_van(
    text: str,
    bank: Bank,
    chemistry: Chemistry,
    presets: dict[str, Preset],
    *,
    answers: Mapping[str, str],
    minuses: str = "post",
) -> Found:
    """The lines as a drawing of what is there today, with all that a line leaves out as is usual.

    Args:
        text: a device a line.
        bank, chemistry: of the battery.
        presets: kinds of devices by key.
        answers: by key of the question.
        minuses: where minus cables land of which no line tells: "post" or "busbar".
    """
    van = _Van(bank, chemistry, presets, answers)
    entered = enter(text, bank, (), fitted(van.wiring, bank, (), presets), presets)
    van.devices, van.wiring = list(entered.devices), entered.wiring
    _add_engine(van)
    _set_inverter_hours(van)
    minus_home = _minus_home(van, minuses)
    _draw_bars(van)
    for device in van.resolved():
        _join_minus(van, device, minus_home)
        _join_plus(van, device)
    _bond(van)
    drawn = fitted(van.wiring, bank, van.devices, presets)
    return Found(tuple(van.devices), drawn, entered.problems)


def _add_engine(van: _Van) -> None:
    """What charges from the engine, as answered, and the starter battery it needs."""
    asked = {"relay": ("split_relay", "Split charge relay"), "dcdc": ("dcdc", "DC-DC charger")}
    wanted = asked.get(van.answers.get("engine", "no"))
    if wanted is not None:
        _add(van, *wanted)
    kinds = van.kinds
    closes = any(kind.closes_with_engine for kind in kinds)
    if closes and not any(kind.is_alternator for kind in kinds):
        _add(van, "alternator", "Alternator")
    if van.starter is None and any(map(_hangs_on_engine, kinds)):
        _add(van, "starter", "Starter battery")


def _hangs_on_engine(kind: Preset) -> bool:
    return kind.far or "cranks" in kind.traits


def _add(van: _Van, kind: str, name: str) -> None:
    taken = {device.id for device in van.devices}
    if kind not in taken:
        van.devices.append(Device(id=kind, kind=kind, name=name))


def _set_inverter_hours(van: _Van) -> None:
    hours = van.answers.get("inverter")
    if hours is None:
        return
    spell = ((EVENING_H, min(24.0, EVENING_H + float(hours))),)
    van.devices = [
        device.changed(hours=spell) if kind.is_inverter and device.hours is None else device
        for device, kind in zip(van.devices, van.kinds, strict=True)
    ]


def _minus_home(van: _Van, minuses: str) -> StudRef:
    """Where a minus cable lands of which no line tells; a busbar is put in for it."""
    if minuses != "busbar":
        return van.low_post
    home = StudRef("minus_busbar")
    if not any(bar.id == home for bar in van.wiring.bars):
        van.wiring = van.wiring.changed(
            bars=(*van.wiring.bars, Bar(id=home, kind="busbar", name="Negative busbar"))
        )
    van.join(Cable(id="feed_minus_busbar", a=van.low_post, b=home))
    return home


def _draw_bars(van: _Van) -> None:
    """The fuse box, and the busbar behind a main fuse, as answered; not where nothing would hang on them."""
    if not van.is_fused:
        return
    main = van.answers.get("main", "no")
    source = van.top_post
    if main != "no":
        _bar(van, Bar(id=MAIN_BAR, kind="busbar", pole="plus", name="Positive busbar"))
        van.join(Cable(id="main_plus", a=source, b=MAIN_BAR, fuse=Fuse(amps=float(main))))
        source = MAIN_BAR
    if any(_sits_in_box(device) for device in van.resolved()):
        _bar(van, Bar(id=FUSE_BOX, kind="fuse_block", pole="plus", name="Fuse box"))
        van.join(Cable(id="fuse_box_plus", a=source, b=FUSE_BOX))


def _bar(van: _Van, bar: Bar) -> None:
    if not any(other.id == bar.id for other in van.wiring.bars):
        van.wiring = van.wiring.changed(bars=(*van.wiring.bars, bar))


def _sits_in_box(device: ResolvedDevice) -> bool:
    return device.preset.is_plain_load and max(device.running_a, device.surge_a) <= IN_THE_BOX_A


def _join_minus(van: _Van, device: ResolvedDevice, home: StudRef) -> None:
    own = StudRef.of(device.id, "minus")
    if device.preset.joins_positives or van.wiring.at(own):
        return
    on_engine = device.preset.is_battery or _is_of_engine(device)
    if on_engine and van.starter is not None:
        _ground(van)
        home = CHASSIS
    twin = van.wiring.cable(f"{device.id}_plus")  # a line's size and length are those of both
    size, length_m = ("", None) if twin is None else (twin.size, twin.length_m)
    van.join(Cable(id=f"{device.id}_minus", a=own, b=home, size=size, length_m=length_m))


def _join_plus(van: _Van, device: ResolvedDevice) -> None:
    """A device's plus where it usually lands, its fuse in it; what its line says of it stays."""
    if device.preset.is_battery:
        return
    far = None if van.starter is None else StudRef.of(van.starter.id, "plus")
    fuse_a = _usual_fuse_a(van, device) if van.is_fused else None
    drawn = device_cables(
        device.device, device.preset, minus=None, plus=_plus_home(van, device, far), far=far, fuse_a=fuse_a
    )
    usual = None if fuse_a is None else Fuse(amps=fuse_a)
    for cable in drawn:
        kept = van.wiring.cable(cable.id) or cable
        landing = cable.b if kept.b == van.top_post else kept.b
        van.wiring = van.wiring.with_cable(kept.changed(b=landing, fuse=kept.fuse or usual))


def _plus_home(van: _Van, device: ResolvedDevice, far: StudRef | None) -> StudRef:
    if far is not None and _is_of_engine(device):
        return far
    bars = {bar.id for bar in van.wiring.bars}
    if FUSE_BOX in bars and _sits_in_box(device):
        return FUSE_BOX
    return MAIN_BAR if MAIN_BAR in bars else van.top_post


def _is_of_engine(device: ResolvedDevice) -> bool:
    return device.preset.is_alternator or "cranks" in device.preset.traits


def _usual_fuse_a(van: _Van, device: ResolvedDevice) -> float | None:
    """The fuse a device usually has: its kind's, or what suits the amps its line states [A]."""
    if device.preset.closes_with_engine:
        given = [one.gives_a for one in van.resolved() if one.preset.is_alternator]
        return fitting_fuse(max(given, default=0.0), None)
    if device.preset.is_alternator:
        return next_size(LOAD_DUMP * device.gives_a, itself=True)
    stated = any(device.states(name) for name in ("current_a", "power_w", "most_a", "panel_w"))
    if device.preset.fuse_a is not None and not stated:
        return device.preset.fuse_a
    return fitting_fuse(max(device.running_a, device.gives_a), None) or device.preset.fuse_a


def _ground(van: _Van) -> None:
    _bar(van, Bar(id=CHASSIS, kind="chassis", name="Chassis"))


def _bond(van: _Van) -> None:
    """The cable between the battery's minus and the vehicle's metal, where there is one."""
    has_ground = any(bar.is_ground for bar in van.wiring.bars)
    if not has_ground or van.answers.get("bond", "yes") != "yes":
        return
    ground = StudRef(next(bar.id for bar in van.wiring.bars if bar.is_ground))
    if not any(
        ground in (cable.a, cable.b) and van.low_post in (cable.a, cable.b) for cable in van.wiring.cables
    ):
        van.join(Cable(id="chassis_bond", a=ground, b=van.low_post))
