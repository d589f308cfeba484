"""Devices by kind: what each usually draws or gives.

Figures for a 12 V system; volts and amps scale with the bank.

Source of every figure: estimate; the plate on the device comes before it.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from volnik.core.values import Plain

Role = Literal["load", "source", "both", "bond", "battery", "link"]
Trait = Literal[
    "inverter",
    "bursts",
    "cranks",
    "cycles",
    "bails",
    "engine",
    "shore",
    "wind",
    "no_float",
    "starter_battery",
    "own_minus",
    "runs_down",
    "joins",
    "one_way",
    "regenerates",
    "senses",
    "balances",
]
Hour = Annotated[float, Field(ge=0, le=24)]


class Preset(Plain):
    """One kind of device.

    Attributes:
        key, name: as stored and shown.
        words: what it is also called in a quick line.
        role: load, source, both (an inverter-charger), bond (chassis or hull), battery (another one), link
            (joins two batteries' positives).
        power_w, current_a: running power, or running amps at 12 V; one of them.
        surge_a: largest amps for seconds, at 12 V.
        duty: share of its time it draws, while in use.
        together: whether it usually runs with others.
        efficiency: of what passes through it, 0..1.
        standby_a: drawn while idle, at 12 V.
        hours: hours of the day it is in use, (from, to).
        most_a: most amps it gives, at 12 V.
        absorption_v, float_v: at 12 V; absorption_h, end_a, slope_mv_c (a cell, per °C), panel_w: of its
            charging.
        drop_v: volts lost in it, whatever the system's volts, where it joins two batteries.
        start_a, start_s: a start phase: amps at 12 V, and how long.
        fuse_a: usual fuse.
        mm2: usual cable.
        far: has a second positive on another battery.
        safety: must not go dead.
        surface: the bond is a "chassis" or a "hull".
        traits: what rules ask of a kind instead of its key.
            inverter: capacitors at its input, mains at its output; bursts: heavy amps for seconds;
            cranks: turns an engine; cycles: a thermostat switches it; bails: keeps a boat afloat;
            engine: gives only while an engine runs; shore: fed by mains;
            wind: must be braked, never left open; no_float: never steps down to float;
            starter_battery: starts an engine; own_minus: a link that has a minus of its own;
            runs_down: must cool before it is cut; joins: joins two batteries while an engine runs;
            one_way: lets current towards the bank alone; regenerates: a motor that gives current back;
            senses: leads that carry no current; balances: its maker's harness between blocks.
    """

    key: Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[a-z0-9_]+$")]
    name: Annotated[str, Field(min_length=1, max_length=60)]
    words: tuple[Annotated[str, Field(max_length=40)], ...] = ()
    role: Role = "load"
    power_w: Annotated[float, Field(ge=0, le=100_000)] | None = None
    current_a: Annotated[float, Field(ge=0, le=5000)] | None = None
    surge_a: Annotated[float, Field(ge=0, le=10_000)] | None = None
    duty: Annotated[float, Field(ge=0, le=1)] = 1.0
    together: bool = True
    efficiency: Annotated[float, Field(gt=0, le=1)] = 1.0
    standby_a: Annotated[float, Field(ge=0, le=50)] = 0.0
    hours: Annotated[tuple[tuple[Hour, Hour], ...], Field(max_length=8)] = ()
    most_a: Annotated[float, Field(ge=0, le=5000)] | None = None
    absorption_v: Annotated[float, Field(ge=1, le=200)] | None = None
    float_v: Annotated[float, Field(ge=1, le=200)] | None = None
    absorption_h: Annotated[float, Field(ge=0, le=24)] | None = None
    end_a: Annotated[float, Field(ge=0, le=500)] | None = None
    slope_mv_c: Annotated[float, Field(ge=-10, le=0)] | None = None
    panel_w: Annotated[float, Field(ge=0, le=100_000)] | None = None
    start_a: Annotated[float, Field(ge=0, le=5000)] | None = None
    start_s: Annotated[float, Field(ge=0, le=7200)] | None = None
    drop_v: Annotated[float, Field(ge=0, le=3)] | None = None
    fuse_a: Annotated[float, Field(gt=0, le=2000)] | None = None
    mm2: Annotated[float, Field(gt=0, le=500)] = 6.0
    far: bool = False
    safety: bool = False
    surface: Literal["", "chassis", "hull"] = ""
    traits: Annotated[tuple[Trait, ...], Field(max_length=12)] = ()
    source: Annotated[str, Field(max_length=80)] = "estimate"

    @model_validator(mode="before")
    @classmethod
    def _traits_of_key(cls, given: Any) -> Any:
        """A kind kept before there were traits, or edited without them, has those of its key."""
        if isinstance(given, dict) and "traits" not in given and given.get("key") in TRAITS:
            return {**given, "traits": TRAITS[given["key"]]}
        return given

    @property
    def is_battery(self) -> bool:
        """Whether it is another battery."""
        return self.role == "battery"

    @property
    def is_bond(self) -> bool:
        """Whether it is no device at all but the bond of a chassis or hull."""
        return self.role == "bond"

    @property
    def is_starter_battery(self) -> bool:
        """Whether it is the battery that starts the engine."""
        return "starter_battery" in self.traits

    @property
    def closes_with_engine(self) -> bool:
        """Whether it joins two batteries by itself while an engine runs."""
        return "joins" in self.traits

    @property
    def is_alternator(self) -> bool:
        """Whether an engine drives it and it drives a battery."""
        return self.is_source and "engine" in self.traits

    @property
    def is_inverter(self) -> bool:
        """Whether it makes mains voltage from the bank."""
        return "inverter" in self.traits

    @property
    def is_source(self) -> bool:
        """Whether it gives current and draws none."""
        return self.role == "source"

    @property
    def is_plain_load(self) -> bool:
        """Whether it draws current and nothing else."""
        return self.role == "load"

    @property
    def is_link(self) -> bool:
        """Whether it joins two batteries."""
        return self.role == "link"

    @property
    def joins_positives(self) -> bool:
        """Whether it joins two batteries' positives and has no minus at all."""
        return self.is_link and self.far and "own_minus" not in self.traits

    @property
    def has_two_leads(self) -> bool:
        """Whether it is a circuit of one positive and one negative."""
        return not (self.is_battery or self.is_link or self.is_bond or self.far)

    @property
    def needs_engine(self) -> bool:
        """Whether it hangs on an engine: driven by one, or between the bank and its battery."""
        return "engine" in self.traits or self.far


def _p(key: str, name: str, words: str = "", **given: object) -> Preset:
    return Preset(key=key, name=name, words=tuple(words.split("|")) if words else (), **given)  # type: ignore[arg-type]


TRAITS: dict[str, tuple[Trait, ...]] = {
    "inverter": ("inverter",),
    "inverter_charger": ("inverter", "shore"),
    "heater": ("runs_down",),
    "fridge": ("cycles",),
    "medical": ("cycles",),
    "bilge": ("bails",),
    "windlass": ("bursts",),
    "thruster": ("bursts",),
    "cranking": ("bursts", "cranks"),
    "mains": ("shore",),
    "alternator": ("engine", "no_float"),
    "wind": ("wind",),
    "trickle": ("own_minus",),
    "split_relay": ("joins",),
    "split_diode": ("joins", "one_way"),
    "splitter": ("joins", "one_way"),
    "propulsion": ("bursts", "regenerates"),
    "generator": ("shore",),
    "sensing": ("senses",),
    "balancer": ("senses", "balances"),
    "starter": ("starter_battery",),
}

_CHARGE = {"absorption_v": 14.4, "float_v": 13.6, "absorption_h": 2.0, "end_a": 3.0}

PRESETS: dict[str, Preset] = {
    preset.key: preset
    for preset in (
        _p(
            "inverter",
            "Inverter",
            "inverter",
            power_w=1500,
            surge_a=300,
            duty=0.1,
            efficiency=0.9,
            standby_a=1.0,
            fuse_a=250,
            mm2=70,
            hours=((7, 21),),
        ),
        _p(
            "inverter_charger",
            "Inverter-charger",
            "inverter-charger|inverter charger|combi",
            role="both",
            power_w=2000,
            surge_a=400,
            duty=0.1,
            efficiency=0.9,
            standby_a=1.2,
            most_a=70,
            slope_mv_c=-3.0,
            fuse_a=300,
            mm2=95,
            hours=((7, 21),),
            **_CHARGE,
        ),
        _p(
            "fridge",
            "Compressor fridge",
            "fridge|freezer|refrigerator|cool box|coolbox",
            current_a=4.5,
            surge_a=12,
            duty=0.35,
            fuse_a=15,
            hours=((0, 24),),
        ),
        _p(
            "heater",
            "Blower heater",
            "heater|diesel heater|air heater|night heater",
            current_a=2.0,
            duty=0.6,
            start_a=9.0,
            start_s=180,
            standby_a=0.05,
            fuse_a=15,
            hours=((6, 9), (17, 23)),
        ),
        _p(
            "pump",
            "Water pump",
            "pump|water pump|tap|shower",
            current_a=6.0,
            surge_a=10,
            duty=0.03,
            fuse_a=10,
            mm2=4,
            hours=((7, 22),),
        ),
        _p(
            "bilge",
            "Bilge pump",
            "bilge|bilge pump",
            current_a=5.0,
            duty=0.01,
            fuse_a=10,
            mm2=4,
            hours=((0, 24),),
            safety=True,
        ),
        _p(
            "lights",
            "Lights",
            "lights|light|lamps|lamp|lighting|led|leds|strip|spots",
            current_a=3.0,
            duty=0.7,
            fuse_a=10,
            mm2=2.5,
            hours=((17, 23),),
        ),
        _p(
            "socket",
            "Socket",
            "socket|sockets|outlet|usb|charger socket|phone charger|laptop charger",
            current_a=5.0,
            duty=0.2,
            fuse_a=15,
            mm2=4,
            hours=((7, 23),),
        ),
        _p(
            "fan",
            "Fan",
            "fan|fans|vent|extractor|blower|roof fan",
            current_a=3.0,
            duty=0.4,
            fuse_a=10,
            mm2=2.5,
            hours=((8, 22),),
        ),
        _p(
            "radio",
            "Radio and aerials",
            "radio|instruments|plotter|navigation",
            current_a=1.5,
            duty=0.5,
            standby_a=0.05,
            fuse_a=5,
            mm2=2.5,
            hours=((8, 22),),
        ),
        _p(
            "windlass",
            "Windlass",
            "windlass|winch|anchor winch|ground tackle",
            current_a=80,
            surge_a=180,
            duty=0.002,
            together=False,
            fuse_a=100,
            mm2=35,
            hours=((8, 20),),
        ),
        _p(
            "thruster",
            "Thruster",
            "thruster|bow thruster",
            current_a=250,
            surge_a=400,
            duty=0.001,
            together=False,
            fuse_a=300,
            mm2=70,
            hours=((8, 20),),
        ),
        _p(
            "alarm",
            "Gas and smoke alarm",
            "alarm|gas alarm|gas detector|smoke alarm|co alarm",
            current_a=0.15,
            fuse_a=2,
            mm2=1.5,
            hours=((0, 24),),
            safety=True,
        ),
        _p(
            "medical",
            "Medical or vaccine device",
            "medical|vaccine fridge|vaccine|cpap|oxygen concentrator|oxygen|nebuliser",
            current_a=4.0,
            duty=0.4,
            fuse_a=15,
            hours=((0, 24),),
            safety=True,
        ),
        _p(
            "sensing",
            "Volts-sense lead",
            "volts sense|voltage sense|sense lead|sensing lead|battery sense|temperature sensor",
            current_a=0.0,
            fuse_a=1,
            mm2=1,
        ),
        _p(
            "balancer",
            "Balancer",
            "balancer|equaliser|equalizer|balance lead",
            current_a=0.0,
            fuse_a=5,
            mm2=1.5,
        ),
        _p(
            "load",
            "Other load",
            "load|other|tv|television|router|water heater|immersion heater|boiler|kettle|levellers",
            current_a=5.0,
            duty=0.3,
            fuse_a=15,
            hours=((8, 22),),
        ),
        _p(
            "solar",
            "Solar controller",
            "solar|solar controller|solar charger|panel|panels|pv|mppt|pwm",
            role="source",
            most_a=20,
            panel_w=300,
            fuse_a=30,
            mm2=6,
            slope_mv_c=-4.0,
            standby_a=0.02,
            **_CHARGE,
        ),
        _p(
            "mains",
            "Mains charger",
            "mains|mains charger|shore|shore charger|shore power|battery charger|charger|hook up",
            role="source",
            most_a=30,
            fuse_a=40,
            mm2=10,
            slope_mv_c=-4.0,
            efficiency=0.9,
            **_CHARGE,
        ),
        _p(
            "dcdc",
            "Engine DC-DC charger",
            "dc-dc|dcdc|dc dc|dc dc charger|engine charger|b2b|b2b charger|battery to battery"
            "|battery to battery charger|booster|charge booster|dcdc charger",
            role="source",
            most_a=30,
            fuse_a=40,
            mm2=10,
            efficiency=0.92,
            far=True,
            **_CHARGE,
        ),
        _p(
            "alternator",
            "Alternator",
            "alternator|engine",
            role="source",
            most_a=90,
            fuse_a=125,
            mm2=35,
            **{**_CHARGE, "absorption_h": 0.0, "float_v": 14.2},
        ),
        _p(
            "wind",
            "Wind generator",
            "wind|wind generator|turbine",
            role="source",
            most_a=25,
            fuse_a=40,
            mm2=10,
            **_CHARGE,
        ),
        _p(
            "trickle",
            "Trickle charger to the starter",
            "trickle|trickle charger|starter maintainer",
            role="link",
            current_a=2.0,
            far=True,
            fuse_a=5,
            mm2=2.5,
            hours=((9, 17),),
        ),
        _p(
            "combine",
            "Emergency-start link",
            "combine|emergency start",
            role="link",
            current_a=60,
            surge_a=450,
            duty=0.001,
            together=False,
            far=True,
            fuse_a=150,
            mm2=35,
        ),
        _p(
            "split_relay",
            "Split-charge relay",
            "split charge|split-charge|split-charge relay|split relay|relay|voltage-sensing relay|vsr",
            role="link",
            far=True,
            mm2=25,
        ),
        _p(
            "split_diode",
            "Split-charge diode",
            "diode|split diode|isolating diode",
            role="link",
            far=True,
            drop_v=0.7,
            mm2=25,
        ),
        _p(
            "splitter",
            "Electronic divider",
            "splitter|divider|electronic divider|battery isolator",
            role="link",
            far=True,
            drop_v=0.1,
            mm2=25,
        ),
        _p(
            "generator",
            "Generator",
            "generator|genset|dc generator",
            role="source",
            most_a=50,
            fuse_a=70,
            mm2=16,
            **_CHARGE,
        ),
        _p(
            "propulsion",
            "Propulsion motor",
            "propulsion|propulsion motor|drive motor|electric outboard|electric motor",
            role="both",
            power_w=3000,
            duty=0.1,
            together=False,
            most_a=10,
            mm2=95,
            **{**_CHARGE, "absorption_h": 0.0},
        ),
        _p(
            "cranking",
            "Starter motor",
            "starter motor|cranking",
            current_a=150,
            surge_a=500,
            duty=0.001,
            together=False,
            mm2=50,
        ),
        _p(
            "chassis_bond",
            "Chassis bond",
            "bond|chassis|chassis bond|ground|earth",
            role="bond",
            surface="chassis",
            mm2=16,
        ),
        _p("hull_bond", "Hull bond", "hull|hull bond|bonding", role="bond", surface="hull", mm2=16),
        _p(
            "starter",
            "Starter battery",
            "starter|starter battery|engine battery|chassis battery|start battery|cranking battery"
            "|vehicle battery",
            role="battery",
            mm2=35,
        ),
        _p("second_bank", "Second bank", "second bank|other bank", role="battery", mm2=35),
    )
}
