"""The wiring of the demo rigs: typed as the installer would, mended as the tool would, spoilt where the demo
needs it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from volnik.core.rig.wiring import Wiring
from volnik.services.context import AppContext
from volnik.services.path import drawings
from volnik.services.survey.devices import add_lines, set_monitor


@dataclass(frozen=True, slots=True)
class DemoWiring:
    """One rig's wiring: quick lines, the monitor, what is done to the plan before and after mending, whether
    it stands since days.
    """

    lines: str
    before: tuple[dict[str, Any], ...] = ()
    after: tuple[dict[str, Any], ...] = ()
    found: tuple[dict[str, Any], ...] = ()
    planned: bool = True
    stands_days: float | None = None
    monitor: dict[str, Any] | None = None


def _cable(cable: str, length_m: float, size: str, lug_a: str = "", lug_b: str = "") -> dict[str, Any]:
    return {
        "op": "set_cable",
        "cable": cable,
        "length_m": length_m,
        "size": size,
        "lug_a": lug_a,
        "lug_b": lug_b,
    }


def _fuse(
    cable: str, amps: float, *, volts: float = 58, breaks_ka: float = 20, from_post_mm: float | None = None
) -> dict[str, Any]:
    return {
        "op": "set_fuse",
        "cable": cable,
        "fuse": {"amps": amps, "volts": volts, "breaks_ka": breaks_ka, "from_post_mm": from_post_mm},
    }


_PARALLEL_LFP = (
    _cable("plus_A1_B1", 0.3, "50 mm²", "M8", "M8"),
    _cable("minus_A1_B1", 0.3, "50 mm²", "M8", "M8"),
    _fuse("plus_A1_B1", 200),
)

WIRING = {
    "bookbus": DemoWiring(
        """Inverter, 600 W, duty 8 %, busbar, plus busbar, fuse 100 A, 25 mm², 1.2 m, 9-17
Fridge, 3.6 A, duty 30 %, busbar, plus busbar, fuse 10 A, 6 mm², 2.5 m
Reading lamps, 3.5 A, busbar, plus busbar, fuse 7.5 A, 4 mm², 3 m, 9-17
Issue desk: socket, 2 A, busbar, plus busbar, fuse 7.5 A, 4 mm², 3 m, 9-17
Blower heater, 2 A, start 9 A, busbar, plus busbar, fuse 15 A, 6 mm², 1.8 m, 6-9
Solar controller, 24 A, panel 340 W, busbar, plus busbar, fuse 40 A, 10 mm², 1.5 m
DC-DC charger, 28 A, busbar, plus busbar, fuse 40 A, 10 mm², 1.4 m
Depot charger: mains charger, 30 A, busbar, plus busbar, fuse 40 A, 10 mm², 1.2 m
Starter battery, chassis, 35 mm², 1 m
Chassis bond, busbar, 35 mm², 0.8 m""",
        found=(
            _cable("feed_plus_busbar", 0.4, "70 mm²", "M8", "M8"),
            _cable("feed_minus_busbar", 0.3, "70 mm²", "M8", "M8"),
            _fuse("feed_plus_busbar", 200, from_post_mm=150),
            *_PARALLEL_LFP,
        ),
        before=({"op": "set_auxiliary", "use": "temperature"},),
        stands_days=400.0,
        monitor={"kind": "shunt with a screen", "reporting_s": 60, "dialect": "phone"},
    ),
    "marigold": DemoWiring(
        """Cabin lights, 4 A, busbar, plus busbar, fuse 10 A, 4 mm², 6 m
Fridge, 3 A, busbar, plus busbar, fuse 10 A, 10 AWG, 5 m
Water pump, 4 A, busbar, plus busbar, fuse 10 A, 6 mm², 5 m
Bilge pump, 3 A, busbar, plus A1, fuse 7.5 A, 4 mm², 7 m
Gas alarm, 0.1 A, busbar, plus A1, fuse 2 A, 1.5 mm², 4 m
Inverter, 1600 W, peak 160 A, battery post, plus busbar, fuse 125 A, 1/0 AWG, 1.5 m
Solar controller, 15 A, panel 480 W, battery post, plus busbar, fuse 30 A, 10 mm², 3 m
Mains charger, 30 A, busbar, plus busbar, fuse 40 A, 10 mm², 2 m
Alternator, 45 A, battery post, plus busbar, fuse 80 A, 25 mm², 3 m
Hull bond, battery post, 35 mm², 1 m""",
        found=(
            _cable("feed_plus_busbar", 0.5, "2/0 AWG", "5/16 in", "5/16 in"),
            _cable("feed_minus_busbar", 0.5, "2/0 AWG", "5/16 in", "5/16 in"),
            _fuse("feed_plus_busbar", 200, from_post_mm=180),
        ),
        before=({"op": "set_auxiliary", "use": "midpoint"},),
    ),
    "vetvan": DemoWiring(
        """Vaccine fridge, 4 A, duty 40 %, busbar, plus A1, fuse 15 A, 6 mm², 2 m
Blower heater, 2 A, start 9 A, battery post, plus busbar, fuse 15 A, 6 mm², 1.6 m
Surgery lights, 4 A, busbar, plus busbar, fuse 10 A, 4 mm², 3 m
Sockets, 6 A, busbar, plus busbar, fuse 10 A, 4 mm², 2 m
Water pump, 6 A, busbar, plus busbar, fuse 10 A, 4 mm², 2 m
DC-DC charger, 30 A, busbar, plus busbar, fuse 40 A, 10 mm², 2 m
Mains charger, 25 A, busbar, plus busbar, fuse 40 A, 10 mm², 1 m
Starter battery, chassis, 35 mm², 1 m
Chassis bond, busbar, 35 mm², 0.8 m""",
        found=(
            _cable("feed_plus_busbar", 0.5, "35 mm²", "M8", "M8"),
            _cable("feed_minus_busbar", 0.5, "35 mm²", "M8", "M8"),
            _fuse("feed_plus_busbar", 125, from_post_mm=120),
        ),
        before=({"op": "set_auxiliary", "use": "starter"},),
    ),
    "curlew": DemoWiring(
        """Starter battery, battery post, 35 mm², 1 m
Engine: alternator, 55 A, starter, fuse 80 A, 16 mm², 1.5 m
Starter motor, peak 420 A, starter, 35 mm², 1.2 m
Emergency start: combine, battery post
Windlass, 70 A, peak 160 A, battery post, fuse 100 A, 35 mm², 6 m
Cabin lights, 3 A, busbar, fuse 10 A, 2.5 mm², 5 m
Navigation lights, 2.4 A, busbar, fuse 5 A, 2.5 mm², 8 m
Instruments: radio, 1.2 A, busbar, fuse 5 A, 2.5 mm², 4 m
Bilge pump, 4 A, B1, no fuse, 2.5 mm², 4 m
Cabin heater, 1.8 A, start 8 A, B1, fuse 15 A, 4 mm², 3 m
Fridge, busbar, fuse 15 A
Solar controller, 8 A, panel 120 W, battery post, no fuse, 4 mm², 2 m
Mains charger, 20 A, ?""",
        planned=False,
        monitor={"lamps_v": (11.8, 12.2, 12.6, 13.2)},
    ),
    "kettle": DemoWiring(
        """Inverter, 3000 W, peak 120 A, busbar, plus busbar, fuse 125 A, 35 mm², 0.8 m, 7-15
Solar controller, 25 A, panel 1400 W, battery post, plus busbar, fuse 40 A, 10 mm², 2 m
Mains charger, 20 A, busbar, plus busbar, fuse 30 A, 10 mm², 1.2 m
Lights, 1.2 A, busbar, plus busbar, fuse 3 A, 2.5 mm², 3 m
Water pump, 1.5 A, busbar, plus busbar, fuse 3 A, 2.5 mm², 2 m
Fan, 1 A, chassis, plus busbar, fuse 2 A, 2.5 mm², 2 m
Gas alarm, 0.05 A, busbar, plus A1, fuse 1 A, 1.5 mm², 2 m
Chassis bond, battery post, 35 mm², 0.6 m""",
        found=(
            _cable("feed_plus_busbar", 0.4, "50 mm²", "M8", "M8"),
            _cable("feed_minus_busbar", 0.4, "50 mm²", "M8", "M8"),
            _fuse("feed_plus_busbar", 150, from_post_mm=160),
        ),
        before=({"op": "set_auxiliary", "use": "temperature"},),
        after=(
            {"op": "move_end", "cable": "chassis_bond", "end": "b", "to": "A1.minus"},
            {"op": "set_precharge", "device": "inverter", "fitted": False},
        ),
    ),
    "dome": DemoWiring(
        """Projector: load, 11 A, duty 55 %, busbar, plus busbar, fuse 20 A, 10 mm², 3 m, 10-15
Dome fan, 5 A, busbar, plus busbar, fuse 10 A, 6 mm², 3 m, 10-15
Fridge, 2.2 A, duty 25 %, busbar, plus busbar, fuse 10 A, 6 mm², 3 m
Solar controller, 32 A, panel 900 W, busbar, plus busbar, fuse 50 A, 16 mm², 2 m
DC-DC charger, 25 A, busbar, plus busbar, fuse 40 A, 10 mm², 2 m
Shore charger: mains charger, 30 A, busbar, plus busbar, fuse 40 A, 10 mm², 2 m
Starter battery, chassis, 35 mm², 1 m
Chassis bond, busbar, 35 mm², 1 m""",
        found=(
            _cable("feed_plus_busbar", 0.5, "50 mm²", "M8", "M8"),
            _cable("feed_minus_busbar", 0.5, "50 mm²", "M8", "M8"),
            _fuse("feed_plus_busbar", 150, from_post_mm=150),
            _cable("link_A1_A2", 0.25, "50 mm²", "M8", "M8"),
        ),
        before=({"op": "set_auxiliary", "use": "temperature"},),
        stands_days=50.0,
        monitor={"kind": "shunt read by a phone", "reporting_s": 60},
    ),
}


def fill_wiring(context: AppContext, rig_id: int, key: str) -> None:
    """Enter a demo rig's devices, draw its plan, and let it stand where it has been fitted for long."""
    wiring = WIRING[key]
    entered = add_lines(context, rig_id, wiring.lines, by_user=False)
    if entered.problems:
        raise AssertionError(f"{key}: {entered.problems}")
    if wiring.found:
        drawings.change(context, rig_id, "found", list(wiring.found), by_user=False)
    if wiring.monitor:
        set_monitor(context, rig_id, wiring.monitor, by_user=False)
    if not wiring.planned:
        return
    found = drawings.rig_path(context, rig_id).found
    drawings.change(context, rig_id, "found", [*_measured(found), *_rated(found)], by_user=False)
    drawings.mend_everything(context, rig_id, by_user=False)
    drawings.use(context, rig_id, "link", by_user=False)
    drawings.use(context, rig_id, "lugs", by_user=False)
    measured = _measured(drawings.rig_path(context, rig_id).planned)
    drawings.change(
        context,
        rig_id,
        "planned",
        [*measured, {"op": "set_socket", "socket": "right"}, *wiring.before],
        by_user=False,
    )
    drawings.mend_everything(context, rig_id, by_user=False)
    rated = _rated(drawings.rig_path(context, rig_id).planned)
    if rated or wiring.after:
        drawings.change(context, rig_id, "planned", [*rated, *wiring.after], by_user=False)
    if wiring.stands_days is not None:
        drawings.let_stand(
            context,
            rig_id,
            from_s=context.now() - wiring.stands_days * 86_400.0,
            reason="wired and tested",
            by_user=False,
        )


def _measured(wiring: Wiring) -> list[dict[str, Any]]:
    """Changes that give every cable nobody measured a length and a size."""
    return [
        _cable(cable.id, cable.length_m or 0.3, cable.size or "50 mm²", cable.lug_a, cable.lug_b)
        for cable in wiring.cables
        if (cable.length_m is None or not cable.size) and not cable.a.of_monitor
    ]


def _rated(wiring: Wiring) -> list[dict[str, Any]]:
    """Changes that give every fuse nobody read its volts and what it interrupts."""
    return [
        _fuse(cable.id, cable.fuse.amps, from_post_mm=cable.fuse.from_post_mm, volts=80)
        for cable in wiring.cables
        if cable.fuse is not None and cable.fuse.breaks_ka is None and not cable.a.of_monitor
    ]
