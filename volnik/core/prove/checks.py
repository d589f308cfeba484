"""The measurements beside the roll call, each with its limits, in an order that saves walking.

Limits: docs/domain/prove.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal, get_args

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.prove.rollcall import Verdict
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import Chemistry

Place = Literal[
    "at the bay",
    "round the vehicle",
    "back at the bay",
    "walking away",
    "days later",
    "where something looks odd",
]
PLACES: tuple[Place, ...] = get_args(Place)
OFF_V_12 = 0.05  # monitor against a meter at the posts, per 12 V; source: estimate
OFF_GAIN = 0.03  # shunt against a clamp meter; a clamp is no better; source: estimate
LEAST_CLAMP_A = 5.0  # a clamp meter's own zero is good to about 0.1 A; source: estimate
NEAR_C = 5.0  # sensor against the air at the bank, rested; source: estimate
MIDPOINT_OFF = 0.02  # of half the volts; source: trade practice
STARTER_V = (11.5, 15.5)  # flat to charging: outside it the lead is on something else
STARTER_OFF_V = 0.2  # monitor against a meter; the lead is thin and long; source: estimate
HOT_OHM, LOOSE_OHM = (
    1.0e-3,
    0.3e-3,
)  # a joint above it heats, above it is worth a look; a good one has 0.1 mOhm; source: estimate
LOOP_OFF = 2.0  # times what is drawn, from which a way is worth a look; source: estimate
MOST_CELL_V = {"lead": 2.8, "lithium": 3.75}  # equalising, a protection's own limit; source: cell tables
STATE_TITLES = {
    "installed": "Installed",
    "proven": "Devices tested",
    "numbers": "Numbers set",
    "full": "First full witnessed",
}
"""The four things a rig must show, by key."""

MOST_HELD_MIN = 48 * 60.0
WRONG_WAY = 0.3  # of the clamp's, from which the sign of the monitor says something
BELOW_KNOWN = 0.5  # of what is known to draw, under which the list or the state is wrong; source: estimate
HOT_W = 5.0  # a joint cannot shed more without getting hot; source: estimate
IDLE_A_12 = 0.5  # hidden draw worth finding, at 12 V; source: estimate


@dataclass(frozen=True, slots=True)
class Field:
    """One thing typed or taken from the readings: `live` names the column that can fill it, or ""; what is
    not `needed` may stay empty; `signed` amps go out of the battery or into it.
    """

    key: str
    label: str
    unit: str
    live: str = ""
    needed: bool = True
    signed: bool = False


@dataclass(frozen=True, slots=True)
class Check:
    """One measurement: where it is made, what is done, what is recorded.

    Attributes:
        about: which of several like things it is of.
        asks: what is asked of the one who measures, where that is typed; each entry stands by itself.
    """

    key: str
    title: str
    place: Place
    how: str
    fields: tuple[Field, ...]
    about: str = ""
    asks: str = ""


VOLTS = Check(
    "volts",
    "Volts against a meter at the posts",
    "at the bay",
    "Meter on the lowest minus and the highest plus post, at the same moment as the monitor.",
    (Field("meter", "meter at the posts", "V"), Field("monitor", "monitor", "V", "volts")),
)
ZERO = Check(
    "zero",
    "Zero",
    "at the bay",
    "As read at Wire-up; later only with main fuse or isolator open and every fuse fed ahead of it out.",
    (Field("amps", "shown with nothing flowing", "A", "amps"),),
)
ROLLCALL = Check(
    "rollcall",
    "Roll call",
    "round the vehicle",
    "Each load and each source on and off; the shunt must see it.",
    (),
)
GAIN = Check(
    "gain",
    "Amps against a clamp meter",
    "round the vehicle",
    f"A steady load of {LEAST_CLAMP_A:g} A or more on, nothing else; clamp round the whole link to the "
    "battery.",
    (
        Field("clamp", "clamp meter", "A", signed=True),
        Field("monitor", "monitor", "A", "amps", signed=True),
    ),
)
MAIN = Check(
    "main",
    "Clamp on the main positive against the shunt",
    "round the vehicle",
    "Clamp round every cable on the battery's plus post, loads steady: chassis or hull may carry what "
    "the shunt "
    "never sees.",
    (
        Field("clamp", "clamp meter, main positive", "A", signed=True),
        Field("monitor", "monitor", "A", "amps", signed=True),
    ),
)
IDLE = Check(
    "idle",
    "Idle draw with everything off",
    "round the vehicle",
    "All loads and chargers off; what is left never sleeps.",
    (Field("amps", "monitor", "A", "amps", signed=True),),
)
TEMPERATURE = Check(
    "temperature",
    "Temperature",
    "back at the bay",
    "Battery rested, so that it is as warm as the air about it.",
    (
        Field("sensor", "monitor", "°C", "celsius"),
        Field("air", "thermometer beside the battery", "°C"),
    ),
)
JOINT = Check(
    "joint",
    "Millivolts across a joint",
    "back at the bay",
    "A known heavy current flowing, the heavier the better; meter tips on lug and stud.",
    (Field("mv", "across the joint", "mV"), Field("amps", "through it", "A", "amps")),
    asks="Which joint",
)
REACH = Check(
    "reach",
    "How far the reading still arrives",
    "walking away",
    "Walk outward with the phone that will be used.",
    (
        Field("bay", "from the bay", "m"),
        Field("cab", "in the cab, if it still arrives there", "m", needed=False),
        Field("tent", "outside, at the tent or table", "m", needed=False),
    ),
)
FULL = Check(
    "full",
    "First full charge, witnessed",
    "days later",
    "Stay, log or return: volts and tail reached and held, and the monitor says 100 %.",
    (
        Field("volts", "volts then", "V", "volts"),
        Field("amps", "tail current then", "A", "amps"),
        Field("minutes", "held for", "min"),
    ),
)
STARTER = Check(
    "auxiliary",
    "Starter battery's volts",
    "back at the bay",
    "Meter on the starter battery at the same moment.",
    (
        Field("shown", "monitor", "V", "starter_volts"),
        Field("meter", "meter at the starter battery", "V"),
    ),
)
MIDPOINT = Check(
    "auxiliary",
    "Midpoint volts",
    "back at the bay",
    "At rest; the two halves of the string should share the volts evenly.",
    (
        Field("shown", "monitor, midpoint", "V", "midpoint_volts"),
        Field("whole", "monitor, whole battery", "V", "volts"),
    ),
)
BY_AUXILIARY = {"temperature": TEMPERATURE, "starter": STARTER, "midpoint": MIDPOINT}


def checks_for(analysis: WiringAnalysis) -> list[Check]:
    """The measurements this rig wants, in the order they are made; the roll call stands among them.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    sources = [device for device in analysis.devices if device.gives and analysis.is_on_bank(device)]
    auxiliary = BY_AUXILIARY.get(analysis.wiring.auxiliary)
    return [
        VOLTS,
        ZERO,
        ROLLCALL,
        GAIN,
        *([MAIN] if any(analysis.is_ground(bar.id) for bar in analysis.wiring.bars) else []),
        *(_net(device) for device in sources),
        IDLE,
        *([] if auxiliary is None else [auxiliary]),
        *(_halves() if auxiliary is MIDPOINT else []),
        JOINT,
        REACH,
        FULL,
    ]


def _halves() -> list[Check]:
    """The midpoint once more while it works: a weak half falls first under load and rises first on charge."""
    return [
        replace(
            MIDPOINT, title="Midpoint volts on charge", how="While a charger gives its most.", about="charge"
        ),
        replace(
            MIDPOINT, title="Midpoint volts under load", how="Under the heaviest usual load.", about="load"
        ),
    ]


def _net(device: ResolvedDevice) -> Check:
    return Check(
        "net",
        f"{device.name}'s own display against the shunt",
        "round the vehicle",
        "While it charges, loads steady, solar in steady sun only: what is missing is being used.",
        (
            Field("display", "its own display", "A"),
            Field("monitor", "monitor, net", "A", "amps", signed=True),
            Field("charger_v", "its own display, volts", "V", needed=False),
            Field("bank_v", "monitor, at the same moment", "V", "volts", needed=False),
        ),
        device.id,
    )


def judge_volts(meter: float, monitor: float, *, nominal_v: float) -> Verdict:
    """Monitor against meter: within 0.05 V per 12 V.

    Args:
        meter, monitor: what each shows at the bank [V].
        nominal_v: of the bank [V].
    """
    off, limit = monitor - meter, OFF_V_12 * nominal_v / 12.0
    message = (
        f"The monitor shows {monitor:.2f} V, the meter {meter:.2f} V: {abs(off):.2f} V "
        f"{'high' if off > 0 else 'low'}."
    )
    if abs(off) <= limit + 1e-9:
        return Verdict("well", None, message)
    return Verdict(
        "off",
        "fix",
        message,
        f"More than {limit:.2f} V: look at the sense lead's joint and landing; sync volts are off by "
        "as much.",
    )


def judge_zero(amps: float, numbers: Numbers | None) -> Verdict:
    """With nothing flowing: within the dead band.

    Args:
        amps: the monitor shows with all off [A].
        numbers: the settings, or None.
    """
    limit = numbers.dead_band_a if numbers is not None else 0.1
    message = f"{amps:+.2f} A with nothing flowing".replace("-", "−")
    if abs(amps) <= limit + 1e-9:
        return Verdict("well", None, f"{message}: within the dead band of {limit:g} A.")
    return Verdict(
        "off",
        "fix",
        f"{message}: {24 * abs(amps):.1f} Ah a day that never flowed.",
        "Set zero in the monitor, with nothing connected.",
    )


def judge_gain(clamp: float, monitor: float) -> Verdict:
    """Shunt against clamp at a steady load: within 3 %.

    Args:
        clamp, monitor: what each shows at a steady load, minus while discharging [A].
    """
    if abs(clamp) < LEAST_CLAMP_A:
        return Verdict(
            "too small to tell",
            "advise",
            f"{abs(clamp):.1f} A is too little to compare.",
            f"Use a load of {LEAST_CLAMP_A:g} A or more.",
        )
    ratio = abs(monitor) / abs(clamp)
    message = f"The shunt shows {abs(monitor):.2f} A, the clamp {abs(clamp):.2f} A: {100 * ratio:.0f} %."
    if monitor * clamp < -WRONG_WAY * clamp * clamp:
        return _unlike_signs(clamp, monitor)
    if abs(ratio - 1.0) <= OFF_GAIN + 1e-9:
        return Verdict("well", None, message, ratio=ratio)
    return Verdict(
        "off",
        "fix",
        message,
        "Look at the shunt's amps and millivolts as set in the monitor; zero the clamp and try again.",
        ratio,
    )


def _unlike_signs(clamp: float, monitor: float) -> Verdict:
    """The monitor shows the other way than what was typed of the clamp."""
    if clamp > 0.0:
        return Verdict(
            "sign",
            "advise",
            f"The clamp has {clamp:+.2f} A, charging, the monitor {monitor:+.2f} A.".replace("-", "−"),
            "With a load on type the clamp's minus too; then it is judged.",
        )
    return Verdict(
        "sign",
        "fix",
        f"A load of {-clamp:.2f} A is on, and the monitor shows {monitor:+.2f} A, charging.",
        "Was the monitor's minus left out? Else the shunt is turned round.",
    )


def judge_net(device: ResolvedDevice, display: float, net: float, *, known_a: float) -> Verdict:
    """A charger's display against the shunt's net: what is missing is being used in the background.

    Args:
        device: with its figures filled in.
        display: what the charger's own display shows [A].
        net: what the shunt shows, positive charging [A].
        known_a: what is known to be drawn meanwhile [A].
    """
    gap = display - net
    message = (
        f"{device.device.name} gives {display:.2f} A, {net:+.2f} A reach the battery: {gap:.2f} A are used "
        "in the background"
    ).replace("-", "−")
    limit = known_a + max(0.3, 0.1 * abs(display))
    if display < 0.5:
        return Verdict(
            "too small to tell",
            "advise",
            f"{device.device.name} gives only {display:.2f} A: the battery is full.",
            "Put a load of 20 to 40 A on and read both again.",
        )
    if -max(0.2, 0.05 * display) <= gap <= limit:
        return Verdict(
            "well", None, f"{message}, as the idle budget of {known_a:.2f} A lets expect.", proven=True
        )
    if gap > 0.9 * display:
        return Verdict(
            "not counted",
            "stop",
            f"{message}.",
            "Nearly all of it is missing: this charger bypasses the shunt, or a load as large is on.",
        )
    if gap < 0:
        return Verdict(
            "off",
            "fix",
            f"{message}.",
            "More arrives than it gives: another charger is on, or one of the two displays is wrong.",
        )
    return Verdict(
        "more than listed",
        "advise",
        f"{message}, more than the idle budget of {known_a:.2f} A.",
        "Find the load that is on, or the device that bypasses.",
    )


def judge_loop(charger_v: float, bank_v: float, amps: float, *, drawn_ohm: float | None) -> str:
    """What the way from a charger to the bank resists, R = ΔV / I, in a sentence (F8).

    Args:
        charger_v, bank_v: both read at the same moment [V].
        amps: what the charger gave then [A].
        drawn_ohm: of its cables as drawn, out and back, or None [Ω].
    """
    lost_v = charger_v - bank_v
    if amps < LEAST_CLAMP_A:
        return f"{amps:.1f} A is too little to tell its cables by."
    ohm = lost_v / amps
    if ohm < 0.0:
        return (
            f"It shows {-lost_v:.2f} V less than the battery has: one of the two is read wrongly, or sensed "
            "far away."
        )
    said = f"Its way loses {lost_v:.2f} V at {amps:.1f} A: {1000 * ohm:.1f} mΩ, {lost_v * amps:.1f} W."
    if drawn_ohm is None:
        return said
    if ohm > LOOP_OFF * drawn_ohm + LOOSE_OHM:
        return f"{said} As drawn it has {1000 * drawn_ohm:.1f} mΩ: look at its joints and fuse holders."
    return f"{said} As drawn it has {1000 * drawn_ohm:.1f} mΩ."


def judge_main(clamp: float, monitor: float) -> Verdict:
    """Amps in the main positive against the shunt's: what differs returns past it.

    Args:
        clamp, monitor: read at the same moment, their signs alike [A].
    """
    if abs(clamp) < LEAST_CLAMP_A:
        return Verdict(
            "too small to tell",
            "advise",
            f"{abs(clamp):.1f} A is too little to compare.",
            f"Use a load of {LEAST_CLAMP_A:g} A or more.",
        )
    unseen = abs(clamp) - abs(monitor)
    message = (
        f"{abs(clamp):.2f} A in the main positive, {abs(monitor):.2f} A at the shunt: {abs(unseen):.2f} A "
        f"{'not seen' if unseen >= 0 else 'too much'}."
    ).replace("-", "−")
    if abs(unseen) <= max(0.3, OFF_GAIN * abs(clamp)) + 1e-9:
        return Verdict("well", None, message)
    return Verdict(
        "not counted" if unseen > 0 else "off",
        "stop" if unseen > 0.2 * abs(clamp) else "fix",
        message,
        "Something returns past the shunt, by chassis, hull or a negative on the post: find it by switching "
        "one device at a time."
        if unseen > 0
        else "Clamp round every positive of the battery, zero it, and compare the gain.",
    )


def known_charging(analysis: WiringAnalysis) -> float:
    """What is known to draw while the bank is charged: the idle budget, and chargers that feed another
    battery from this one (I_net = I_charger - I_trickle - I_idle) [A].

    Args:
        analysis: the drawing, solved and judged as one.
    """
    idle = sum(value for _, value in known_idle(analysis))
    feeds = (
        device.running_a
        for device in analysis.devices
        if device.preset.is_link and "own_minus" in device.preset.traits and analysis.is_on_bank(device)
    )
    return idle + sum(feeds)


def known_idle(analysis: WiringAnalysis) -> list[tuple[str, float]]:
    """What is known to draw with everything off.

    Standby of each device, and what must not be switched off [A].

    Args:
        analysis: the drawing, solved and judged as one.
    """
    found = []
    for device in analysis.devices:
        if device.id not in analysis.shares or analysis.shares[device.id].expected != 1.0:
            continue
        amps = device.usual_a * device.number("duty") if device.safety else device.number("standby_a")
        if amps > 0:
            found.append((device.device.name, float(amps)))
    return found


def judge_idle(amps: float, analysis: WiringAnalysis) -> Verdict:
    """Idle draw split into what is known and what is not.

    Args:
        amps: the monitor shows with loads off [A].
        analysis: the drawing, solved and judged as one.
    """
    parts = known_idle(analysis)
    known = sum(value for _, value in parts)
    drawn = -amps
    named = ", ".join(f"{name} {value:.2f}" for name, value in parts) or "nothing listed"
    message = (
        f"{drawn:.2f} A with everything off, {24 * drawn:.1f} Ah a day. Known: {named}, together "
        f"{known:.2f} A."
    )
    limit = IDLE_A_12 * 12.0 / analysis.nominal_v
    if drawn < -0.1:
        return Verdict(
            "off",
            "fix",
            f"{-drawn:.2f} A flow in with everything off.",
            "A charger is still on, or zero is off.",
        )
    if known - drawn > max(0.1, (1.0 - BELOW_KNOWN) * known):
        return Verdict(
            "less than listed",
            "advise",
            message + f" {known - drawn:.2f} A less than known.",
            "Something listed is off, or draws less than listed: see which, and correct it at Survey.",
        )
    if drawn - known <= limit:
        return Verdict("well", None, message + f" {max(0.0, drawn - known):.2f} A are not named.")
    return Verdict(
        "more than listed",
        "advise",
        message + f" {drawn - known:.2f} A are not named.",
        "Pull fuses one by one, below; the battery is flat after weeks of storage else.",
    )


def judge_temperature(sensor: float, air: float) -> Verdict:
    """A rested bank is as warm as the air about it, within 5 °C.

    Args:
        sensor, air: what the sensor and a thermometer in the air beside it show [°C].
    """
    message = f"The sensor says {sensor:.1f} °C, the air at the battery {air:.1f} °C."
    if abs(sensor - air) <= NEAR_C:
        return Verdict("well", None, message)
    return Verdict(
        "off", "fix", message, "Is the sensor on the battery, and the second input set to temperature?"
    )


def judge_auxiliary(use: str, shown: float, other: float) -> Verdict:
    """Starter volts against a meter, or midpoint volts against half the bank's.

    Args:
        use: of the spare input.
        shown: what the monitor shows.
        other: what another meter shows.
    """
    if use == "starter":
        message = f"The monitor shows {shown:.2f} V of the starter battery, the meter {other:.2f} V."
        if abs(shown - other) <= STARTER_OFF_V + 1e-9 and STARTER_V[0] <= shown <= STARTER_V[1]:
            return Verdict("well", None, message)
        return Verdict(
            "off",
            "fix",
            message,
            "Is the lead on the starter's positive, fused, and the second input set to starter volts?",
        )
    half = other / 2.0
    off = (shown - half) / half if half else math.nan
    message = f"Midpoint {shown:.2f} V of {other:.2f} V: {100 * off:+.1f} % from half.".replace("-", "−")
    if abs(off) <= MIDPOINT_OFF:
        return Verdict("well", None, message)
    return Verdict(
        "off",
        "fix",
        message,
        "Is the lead on the middle of the string, and set so? Else one half is weaker: charge the "
        "batteries alone, compare again.",
    )


def judge_joint(name: str, mv: float, amps: float) -> Verdict:
    """R = V / I of one joint; hot ones are flagged.

    Args:
        name: of the joint.
        mv: lost over the joint [mV].
        amps: through it [A].
    """
    if abs(amps) < LEAST_CLAMP_A:
        return Verdict(
            "too small to tell",
            "advise",
            f"{name}: {abs(amps):.1f} A is too little to tell a joint by.",
            f"Put {LEAST_CLAMP_A:g} A or more through it.",
        )
    ohm = abs(mv) / 1000.0 / abs(amps)
    watts = ohm * amps * amps
    message = f"{name}: {abs(mv):.1f} mV at {abs(amps):.1f} A are {1000 * ohm:.2f} mΩ, {watts:.1f} W."
    if ohm > HOT_OHM or watts > HOT_W:
        return Verdict(
            "hot",
            "stop",
            message,
            "Power down, clean the faces, torque it, measure again: it heats under load.",
            at=name,
        )
    if ohm > LOOSE_OHM:
        return Verdict(
            "worth a look",
            "advise",
            message,
            "A good joint has about 0.1 mΩ: torque it at the next power-down.",
            at=name,
        )
    return Verdict("well", None, message, at=name)


def judge_reach(metres: dict[str, float]) -> Verdict:
    """The distances at which the reading still arrives.

    Args:
        metres: how far it is read, by place [m].
    """
    message = ", ".join(f"{name} {value:g} m" for name, value in metres.items())
    return Verdict("well", None, f"The reading still arrives: {message}.")


def _no_full(volts: float, minutes: float, chemistry: Chemistry, *, cells: int) -> str:
    """Why figures are of no full charge of any battery, "" where they can be."""
    most_v = MOST_CELL_V["lead" if chemistry.is_lead else "lithium"] * cells
    if volts > most_v:
        return f"No charger of such a battery holds more than {most_v:.1f} V."
    if minutes > MOST_HELD_MIN:
        return f"Nobody watches for more than {MOST_HELD_MIN / 60:.0f} hours."
    return ""


def judge_full(
    volts: float, amps: float, minutes: float, numbers: Numbers | None, chemistry: Chemistry, *, cells: int
) -> Verdict:
    """The first full charge as witnessed: charged voltage and tail both reached, and held.

    Args:
        volts: the monitor shows [V].
        amps: positive charging [A].
        minutes: how long the state held [min].
        numbers: the settings, or None.
        chemistry: of the bank.
        cells: of the bank in series.
    """
    message = f"{volts:.2f} V and {amps:.1f} A held for {minutes:g} min.".replace("-", "−")
    if numbers is None:
        return Verdict("seen", "advise", message, "Save the numbers, so that it can be judged.")
    if refused := _no_full(volts, minutes, chemistry, cells=cells):
        return Verdict("cannot be", "fix", f"{message} {refused}", "Look at the figures once more.")
    lacks = []
    if volts < numbers.charged_voltage_v - 1e-9:
        lacks.append(f"volts stayed under {numbers.charged_voltage_v:g} V")
    if amps > numbers.tail_a + 1e-9:
        lacks.append(f"amps stayed over {numbers.tail_a:.1f} A")
    if amps < numbers.floor_a - 1e-9:
        floor = f"{numbers.floor_a:.1f} A".replace("-", "−")
        lacks.append(f"amps fell under {floor}: the battery was giving, not held full")
    if minutes * 60.0 < numbers.hold_s:
        lacks.append(f"it was not held for {numbers.hold_s / 60:g} min")
    if lacks:
        return Verdict(
            "not yet",
            "fix",
            f"{message} No reset by these numbers: {', '.join(lacks)}.",
            "Charge on, or look at the reset map.",
        )
    return Verdict(
        "well", None, f"{message} The numbers call that full, {chemistry.name} of {cells} cells.", proven=True
    )
