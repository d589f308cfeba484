"""The demo yard: Saltreach Mobile Power, a made-up shop with seven made-up rigs."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.numbers.defaults import default_numbers
from volnik.core.readings import Readings
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.rig.rig import Rig
from volnik.core.rig.use import Use
from volnik.core.settings import Numbers
from volnik.core.shelf.cells import Protection, bank_model
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.simulation.chargers import Charger
from volnik.core.simulation.loads import bursts, cycling, hours
from volnik.core.simulation.measurement import metered
from volnik.core.simulation.simulate import Truth, simulate
from volnik.core.simulation.weather import bank_temperature, panel_w, weather
from volnik.services.context import AppContext
from volnik.services.live.tokens import bridges_of
from volnik.services.log import sources as log
from volnik.services.numbers import versions
from volnik.services.survey.enquiry import keep_enquiry
from volnik.store import rigs as store
from volnik.tasks.demo_wiring import fill_wiring
from volnik.tasks.demo_work import fill_work

DEMO_VERSION = 9
LATITUDE, LONGITUDE, ZONE_H = 52.0, 1.0, 0.0
DAYS = 45
FIRST_YEAR_DAYS, YEAR_S = 30, 365.0 * 86_400.0  # of the library van: read for a month, then not for a year
STEP_S = 60.0
SEED = 20261
CELL_OFF_V = (0.002, -0.001, 0.004, -0.003, 0.001, 0.0, -0.002, 0.003)  # of the lorry's pack, cell by cell


@dataclass(frozen=True, slots=True)
class DemoRig:
    """One rig of the demo: what it is, its bank, None at its very beginning, whether it has numbers and a
    log, and what was answered before anything was touched.
    """

    key: str
    name: str
    silhouette: str
    what: str
    bank: Bank | None
    numbered: bool = True
    changes: tuple[tuple[str, float | None], ...] = ()
    use: Use = Use()
    language: str = "en"
    enquiry: tuple[tuple[str, object], ...] = ()


RIGS = (
    DemoRig(
        "bookbus",
        "Bookbus",
        "van",
        "county mobile-library van",
        Bank(
            "lfp",
            4,
            1,
            2,
            CapacityLabel("nameplate", ah=160.0),
            product="Lowtide 160",
            cut_out_pct=5.0,
            made_year=2024,
        ),
        changes=(("initial_soc", 1.0), ("charged_voltage_v", 13.9)),
        use=Use(drive_days=5, drive_h=1.8, shore_nights=3, season="autumn"),
        enquiry=(
            ("reason", "the percentage is not believed"),
            ("complaint", "it says 80 in the morning and the lamps are dim at noon"),
            ("nights", 3.0),
            ("matters", "reading lamps, issue desk"),
            ("own_counter", "no"),
            ("critical", "no"),
        ),
    ),
    DemoRig(
        "marigold",
        "Marigold",
        "narrowboat",
        "steel canal narrowboat",
        Bank(
            "flooded", 3, 4, 2, CapacityLabel("nameplate", ah=225.0), product="Harrow 6-225", made_year=2025
        ),
        use=Use(drive_days=4, drive_h=5, shore_nights=2),
        language="de",
    ),
    DemoRig(
        "vetvan",
        "Vet Van Two",
        "van",
        "mobile veterinary van, vaccine fridge",
        Bank("agm", 6, 1, 3, CapacityLabel("nameplate", ah=110.0), product="Quarry A110", made_year=2024),
        use=Use(drive_days=5, drive_h=3, shore_nights=4),
    ),
    DemoRig(
        "curlew",
        "Curlew",
        "sailboat",
        "wooden gaff cutter",
        Bank(
            "gel",
            6,
            1,
            2,
            CapacityLabel("reserve_minutes", minutes=206.0, test_a=25.0),
            takeoff="one_end",
            product="Stillwater G",
            made_year=2018,
        ),
        numbered=False,
        use=Use(drive_days=2, drive_h=1.5, shore_nights=1, season="summer"),
    ),
    DemoRig(
        "kettle",
        "Copper Kettle",
        "trailer",
        "coffee trailer",
        Bank(
            "lfp",
            16,
            1,
            1,
            CapacityLabel("energy", kwh=5.12),
            product="Lowtide 48",
            cut_out_pct=10.0,
            made_year=2025,
        ),
        numbered=False,
        use=Use(drive_days=0, drive_h=0, shore_nights=2, season="summer"),
    ),
    DemoRig(
        "dome",
        "Dome Truck",
        "lorry",
        "travelling planetarium lorry",
        Bank(
            "lfp",
            4,
            2,
            1,
            CapacityLabel("nameplate", ah=200.0),
            product="Lowtide 200",
            cut_out_pct=5.0,
            made_year=2023,
        ),
        changes=(("initial_soc", 1.0), ("charged_voltage_v", 27.8)),
        use=Use(drive_days=5, drive_h=1.8, shore_nights=0.5),
    ),
    DemoRig(
        "lantern",
        "Lantern",
        "motorhome",
        "puppet theatre on wheels",
        None,
        numbered=False,
        enquiry=(
            ("reason", "nearly flat in bad weather"),
            ("complaint", "two grey days and the stage went dark in the second act"),
            ("nights", 3.0),
            ("matters", "stage lamps, sound, fridge"),
            ("keeps_for", "packing up with the lights on"),
            ("survived_days", 1.5),
            ("own_counter", "no"),
            ("past_gauge", "yes"),
            ("reads", "both"),
            ("gauges", ("factory", "sun")),
            ("wants", ("relay", "alarm_charge", "log")),
            ("access", "under the stage, four screws, ten minutes"),
        ),
    ),
)


def fill_yard(context: AppContext, *, renew: bool = False) -> None:
    """Bring the demo yard to this version.

    An untouched rig of an older version is replaced; a touched one is kept and the new one stands beside it.

    Args:
        renew: replace every demo rig, touched or not.
    """
    with context.db.reading() as session:
        standing = [*store.all_rigs(session), *store.all_rigs(session, archived=True)]
    by_key = {rig.demo_key: rig for rig in standing if rig.demo_key}
    for demo in RIGS:
        old = by_key.get(demo.key)
        if old is not None and old.demo_version == DEMO_VERSION and not renew:
            continue
        if old is not None:
            _make_room(context, old, renew=renew)
        _add(context, demo)


def _make_room(context: AppContext, old: Rig, *, renew: bool) -> None:
    """Remove an older demo rig; one that was touched is kept under a name of its own."""
    if not renew and old.modified_by_user:
        with context.change(by_user=False) as work:
            store.change_rig(work.session, old.id, demo_key=None, name=f"{old.name} (kept)"[:80])
        return
    context.live.drop([token.id for token in bridges_of(context, old.id)])
    with context.change(by_user=False) as work:
        store.remove_rig(work.session, old.id)


def demo_numbers(demo: DemoRig) -> Numbers:
    """The numbers a demo rig was set to."""
    assert demo.bank is not None
    numbers = default_numbers(demo.bank, CHEMISTRIES[demo.bank.chemistry])
    return Numbers(**{**numbers.as_dict(), **dict(demo.changes)})  # type: ignore[arg-type]


def _add(context: AppContext, demo: DemoRig) -> None:
    with context.change(by_user=False) as work:
        rig = store.add_rig(
            work.session,
            Rig(
                0,
                demo.name,
                demo.silhouette,
                demo.what,
                "Europe/London",
                context.now(),
                bank=demo.bank,
                demo_key=demo.key,
                demo_version=DEMO_VERSION,
                latitude=LATITUDE,
                climate="mild coast, cloudy winters",
                use=demo.use,
                language=demo.language,
            ),
        )
        work.touch(rig.id)
    if demo.enquiry:
        keep_enquiry(context, rig.id, dict(demo.enquiry), who="Maren")
    if demo.bank is not None:
        fill_wiring(context, rig.id, demo.key)
    if demo.numbered:
        versions.save(
            context,
            rig.id,
            demo_numbers(demo),
            holds_from_s=None,
            reason="set at commissioning",
            power_up="blank",
            by_user=False,
        )
    for name, readings in _logs(demo.key, context.now()):
        log.take_in(
            context,
            rig.id,
            readings,
            kind="file",
            name=name,
            report={"problems": [], "left_out": 0},
            by_user=False,
        )
    fill_work(context, rig.id, demo.key)
    with context.change(by_user=False) as work:
        store.change_rig(work.session, rig.id, modified_by_user=False)


def _logs(key: str, now_s: float) -> Iterator[tuple[str, Readings]]:
    """The logs of a demo rig, with the names of their files."""
    if key == "bookbus":
        yield "bookbus-log.csv", bookbus_log(now_s)
        yield "bookbus-first-year.csv", bookbus_log(now_s - YEAR_S, FIRST_YEAR_DAYS)
    elif key == "dome":
        yield "dome-log.csv", dome_log(now_s)


def _clock(end_s: float, days: int) -> Floats:
    end = np.floor(end_s / STEP_S) * STEP_S
    return np.asarray(end - STEP_S * np.arange(int(days * 86400 / STEP_S))[::-1])


def bookbus_log(end_s: float, days: int = DAYS) -> Readings:
    """Forty-five days of a healthy library van.

    Rounds on weekdays, a depot lead two nights a week, a little sun.
    """
    rng = np.random.default_rng(SEED)
    time_s = _clock(end_s, days)
    sky = weather(rng, time_s, latitude=LATITUDE, longitude=LONGITUDE, mean_c=11.0)
    celsius = bank_temperature(sky.air_c + 3.0, STEP_S)
    weekdays = (0, 1, 2, 3, 4)
    open_hours = hours(rng, time_s, amps=1.0, start_h=9.5, end_h=16.5, zone_h=ZONE_H, weekdays=weekdays)
    load = 0.35 + cycling(rng, time_s, amps=3.6, duty=0.30, period_s=2400.0)
    load += 5.5 * open_hours  # reading lamps, issue desk
    load += bursts(
        rng, time_s, amps=42.0, length_s=240.0, a_day=3.0, when=open_hours
    )  # kettle and printer by inverter
    load += hours(
        rng, time_s, amps=4.0, start_h=6.5, end_h=9.0, zone_h=ZONE_H, weekdays=weekdays, chance=0.7
    )  # blower heater
    driving = sum(
        hours(
            rng,
            time_s,
            amps=28.0,
            start_h=start,
            end_h=start + length,
            zone_h=ZONE_H,
            weekdays=weekdays,
            jitter_h=0.2,
        )
        for start, length in ((9.0, 0.6), (12.3, 0.5), (16.6, 0.7))
    )
    depot = hours(
        rng, time_s, amps=30.0, start_h=17.5, end_h=30.5, zone_h=ZONE_H, weekdays=(1, 4), chance=0.92
    )
    solar = panel_w(sky.sun_w_m2, sky.air_c, 340.0) / 14.0
    chargers = [
        Charger("solar", solar, 14.2, 13.5, 7200.0, 1.0, 0.004),
        Charger("engine", np.asarray(driving), 14.2, 13.6, 3600.0, 3.0, 0.003),
        Charger("depot", depot, 14.3, 13.5, 5400.0, 3.0, 0.003),
    ]
    truth = simulate(
        time_s,
        bank=bank_model("lfp", capacity_ah=318.0, cells=4),
        charge=0.999,
        celsius=celsius,
        load_a=load,
        chargers=chargers,
    )
    return metered(rng, truth, celsius)


def dome_log(end_s: float, days: int = DAYS) -> Readings:
    """Forty-five days of a lorry whose solar controller was landed on the battery post.

    Its amps are never seen.
    """
    rng = np.random.default_rng(SEED + 1)
    time_s = _clock(end_s, days)
    sky = weather(rng, time_s, latitude=LATITUDE, longitude=LONGITUDE, mean_c=12.0)
    celsius = bank_temperature(sky.air_c + 2.0, STEP_S)
    show_days = (1, 2, 3, 4, 5)
    shows = hours(
        rng, time_s, amps=1.0, start_h=10.0, end_h=15.0, zone_h=ZONE_H, weekdays=show_days, chance=0.85
    )
    load = 0.25 + 16.0 * shows * cycling(
        rng, time_s, amps=1.0, duty=0.55, period_s=4200.0
    )  # projector and dome fan
    load += cycling(rng, time_s, amps=2.2, duty=0.25, period_s=3000.0)
    driving = hours(
        rng, time_s, amps=25.0, start_h=8.3, end_h=9.2, zone_h=ZONE_H, weekdays=show_days, chance=0.8
    )
    driving = driving + hours(
        rng, time_s, amps=25.0, start_h=16.0, end_h=17.0, zone_h=ZONE_H, weekdays=show_days, chance=0.8
    )
    shore = hours(rng, time_s, amps=30.0, start_h=18.0, end_h=31.0, zone_h=ZONE_H, weekdays=(6,), chance=0.55)
    solar = panel_w(sky.sun_w_m2, sky.air_c, 900.0) / 28.0
    chargers = [
        Charger("solar", solar, 28.4, 27.0, 7200.0, 1.5, 0.006, counted=0.0),
        Charger("engine", driving, 28.4, 27.2, 3600.0, 3.0, 0.005),
        Charger("shore", shore, 28.4, 27.0, 5400.0, 3.0, 0.005),
    ]
    truth = simulate(
        time_s,
        bank=bank_model("lfp", capacity_ah=198.0, cells=8, protection=Protection(cut_out_pct=5.0)),
        charge=0.999,
        celsius=celsius,
        load_a=load,
        chargers=chargers,
    )
    read = metered(rng, truth, celsius)
    own = _lorrys_own(rng, truth, {"solar_controller": 0.006, "dc_dc_charger": 0.005, "shore_charger": 0.005})
    runs = (load > 10.0) & (read.amps < 5.0 - load)  # its contactor drops out where the pack has switched off
    return replace(read, extra={**read.extra, **own, "switch_dome_fan": runs.astype(float)})


def _lorrys_own(rng: np.random.Generator, truth: Truth, ohms: dict[str, float]) -> dict[str, Floats]:
    """What the lorry's pack and chargers say on their own buses.

    Args:
        ohms: of each charger's way to the battery, in the order of the truth's chargers [ohm].
    """
    cells = [truth.volts / len(CELL_OFF_V) + off for off in CELL_OFF_V]
    found = {
        "percent_pack": np.round(100.0 * np.clip(truth.charge - 0.01, 0.0, 1.0)),
        "cell_volts_low": np.round(np.min(cells, axis=0), 3),
        "cell_volts_high": np.round(np.max(cells, axis=0), 3),
    }
    for (name, ohm), amps in zip(ohms.items(), truth.charger_a, strict=True):
        shown = truth.volts + ohm * amps + 0.012 + rng.normal(0.0, 0.004, len(amps))
        found[f"charger_volts_{name}"] = np.round(shown, 2)
        found[f"charger_amps_{name}"] = np.round(amps, 1)
    return found
