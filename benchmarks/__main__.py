"""`make bench`: prints each figure with its goal, and keeps them in docs/performance.md."""

from __future__ import annotations

import json
import os
import platform
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import polars as pl
from fastapi.testclient import TestClient

from benchmarks.paths import large_rig
from benchmarks.practice import practised
from benchmarks.timing import slowest_window, timed
from benchmarks.trials.judging import judging
from benchmarks.yard_of_years import years
from benchmarks.years import START_S, YEAR, demo_year, write_csv
from volnik.core.count.entries import Entry, EntryKind
from volnik.core.count.epochs import epochs
from volnik.core.count.log import LogCounter
from volnik.core.document import RigDocument, RigSection, WiringSection, written
from volnik.core.numbers.recommend import recommend
from volnik.core.numbers.reset_map import grid_for, reset_map, sampled
from volnik.core.path.analysis import WiringAnalysis, analyse
from volnik.core.path.judgement import judge
from volnik.core.path.protection.circuit import Circuit
from volnik.core.path.protection.rule import Protection
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.presets import PRESETS
from volnik.core.simulation.season import Days, season
from volnik.feeds.files import open_log, read_log
from volnik.main import build, warm
from volnik.services.context import AppContext
from volnik.services.log import sources as log
from volnik.services.log.band import width_of
from volnik.services.log.counted_log import open_counted_log
from volnik.services.log.half_hours import half_hours
from volnik.services.log.history import history
from volnik.services.log.recount import recount
from volnik.services.numbers import versions
from volnik.services.numbers.study import make_study, read_inputs
from volnik.services.survey.bank import save_bank
from volnik.services.yard.document import take_in
from volnik.services.yard.rigs import new_rig, rig_head
from volnik.store import rigs as store

NUMBERS = Numbers(320, 20, 1.03, 0.99, 13.9, 4, 180, 0.1, 15, 1.0, 180)
EVENTS: tuple[EntryKind, ...] = ("set", "supply_lost", "full", "block_swapped")
DOC = Path(__file__).parent.parent / "docs" / "performance.md"
ROWS: list[tuple[str, str, str, bool]] = []


def row(what: str, measured: str, goal: str, met: bool) -> None:
    """Note one figure."""
    ROWS.append((what, measured, goal, met))
    print(f"{what:64} {measured:34} goal {goal:22} {'met' if met else 'NOT MET'}", flush=True)


def counting() -> None:
    """Whole-array count against one cumsum of the same length."""
    year = demo_year()
    warm()

    def count(amps: np.ndarray, numbers: Numbers) -> None:
        LogCounter.opened(numbers).feed(year.time_s, year.volts, amps, gap_s=300.0)

    summed = timed(lambda: np.cumsum(year.amps), 5)
    plain = timed(lambda: count(year.amps, NUMBERS), 5)
    row(
        f"count of {YEAR:,} readings, a year like the demo's",
        f"{plain / summed:.2f} x cumsum ({plain:.2f} s)",
        "1.5 x",
        plain <= 1.5 * summed,
    )
    bent = Numbers(320, 20, 1.25, 0.99, 13.9, 4, 180, 0.1, 15, 1.0, 180)
    heavy = -16.5 - np.abs(year.amps)
    slow = timed(lambda: count(heavy, bent), 3)
    row(
        "the same, every discharge above C/H, Peukert 1.25",
        f"{slow / summed:.2f} x cumsum ({slow:.2f} s)",
        "7 x",
        slow <= 7 * summed,
    )


def at_hand(path: Path) -> None:
    """Read a file once, so that neither side waits for a cold disk."""
    with path.open("rb") as raw:
        while raw.read(1 << 24):
            pass


def importing(folder: Path) -> None:
    """A year from CSV into the store, and every page and plot of it."""
    path = folder / "year.csv"
    write_csv(demo_year(), path)
    at_hand(path)
    read = timed(lambda: pl.read_csv(path), 3)
    running = build(folder / "data", demo=False)
    context = running.context
    rigs = [
        new_rig(context, name=f"Rig {at:03}", silhouette="van", what="bench", zone="UTC") for at in range(500)
    ]
    bank = Bank("lfp", 4, 1, 2, CapacityLabel("nameplate", ah=160.0))
    for rig in rigs[:40]:
        save_bank(context, rig.id, bank)
    versions.save(context, rigs[0].id, NUMBERS, holds_from_s=None, reason="bench", power_up="blank")
    at_hand(path)
    start = time.perf_counter()
    with path.open("rb") as raw:
        found = read_log(open_log(raw))
    parsed = time.perf_counter() - start
    log.take_in(context, rigs[0].id, found.readings, kind="file", name="year.csv", report={})
    took = time.perf_counter() - start
    row(
        "import of that year from CSV, counted too",
        f"{took / read:.2f} x polars ({took:.1f} s, parse {parsed:.1f})",
        "4 x",
        took <= 4 * read,
    )
    with context.db.engine.begin() as connection:
        connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
    size = sum(path.stat().st_size for path in (folder / "data").glob("volnik.sqlite3*")) / YEAR
    row("on disk, overviews and count included", f"{size:.2f} bytes a reading", "12 bytes", size <= 12)
    start = time.perf_counter()
    versions.trial(context, rigs[0].id, NUMBERS, holds_from_s=None)
    took = time.perf_counter() - start
    row("trial recount of that year", f"{took:.2f} s", "none set", True)
    histories(running.context, rigs[0].id)
    pages(running, rigs[0].id)
    running.close()


def histories(context: AppContext, rig_id: int) -> None:
    """That year with forty events: cut and banded anew; then the verdict, nothing having changed."""
    for at in range(40):
        kind = EVENTS[at % 4]
        entry = Entry(START_S + YEAR * (at + 0.5) / 40.0, kind, soc=0.7 if kind == "set" else None)
        with context.change(rig_id) as work:
            store.add_entry(work.session, rig_id, entry, note="bench", written_s=context.now() + at)
    with context.change(rig_id) as work:
        recount(work.session, context, rig_id)
        work.recounted()
    with context.db.reading() as session:
        counted_log = open_counted_log(session, context, rig_id)
        assert counted_log is not None
        half_hours(session, context, counted_log)  # read once as the log came in
        start = time.perf_counter()
        epochs(history(session, rig_id, counted=counted_log.events), "bank", "wiring")
        width_of(session, context, counted_log, wait=True)
        took = time.perf_counter() - start
    row("a year at 1 Hz with 40 events, cut and banded", f"{took:.2f} s", "2 s", took <= 2)
    took = timed(lambda: rig_head(context, rig_id), 5)
    row("verdict of a rig, nothing changed", f"{1000 * took:.1f} ms", "10 ms", took <= 0.01)


def pages(running: object, rig_id: int) -> None:
    """Answers of the server, through the whole application."""
    running.hosts.add("testserver")  # type: ignore[attr-defined]
    with TestClient(running.app) as client:  # type: ignore[attr-defined]
        client.get(f"/rigs/{rig_id}/watch")
        worst = slowest_window(client, rig_id, seed=3)
        row(
            "any plot window of that year, three pens, 1200 wide (worst of 21)",
            f"{1000 * worst:.0f} ms",
            "100 ms",
            worst <= 0.1,
        )
        for name in ("survey", "numbers", "watch"):
            took = timed(lambda name=name: client.get(f"/rigs/{rig_id}/{name}"), 5)  # type: ignore[misc]
            row(f"rig page {name}, 500 rigs in the yard", f"{1000 * took:.0f} ms", "50 ms", took <= 0.05)
        took = timed(lambda: client.get("/"), 5)
        row("the Yard with 500 rigs", f"{1000 * took:.0f} ms", "60 ms", took <= 0.06)


def _protected(looked: WiringAnalysis) -> None:
    """What can flow through every conductor, reckoned anew."""
    protection = Protection(Circuit(looked))
    _ = protection.positives, protection.causes, protection.negatives


def paths(folder: Path) -> None:
    """The solver on a large rig, and a change of its drawing through the whole application."""
    chemistry = CHEMISTRIES["agm"]
    for partial, word in ((False, "every share whole"), (True, "40 shares partial, with their ranges")):
        bank, devices, wiring = large_rig(partial=partial)
        took = timed(lambda: judge(analyse(bank, chemistry, devices, wiring, presets=PRESETS)), 20)  # noqa: B023
        row(
            f"60 devices, 120 studs of theirs, solved and judged: {word}",
            f"{1000 * took:.1f} ms",
            "30 ms",
            took <= 0.03,
        )
        looked = analyse(bank, chemistry, devices, wiring, presets=PRESETS)
        judge(looked)
        took = timed(lambda: _protected(looked), 20)  # noqa: B023
        row(f"protection of the same: {word}", f"{1000 * took:.1f} ms", "15 ms", took <= 0.015)
    running = build(folder / "path", demo=False)
    document = RigDocument(
        rig=RigSection(name="Large"),
        bank=bank.as_dict(),
        devices=devices,
        wiring=WiringSection(found=wiring, planned=wiring),
    )
    rig = take_in(running.context, written(document).encode())
    running.hosts.add("testserver")
    with TestClient(running.app) as client:
        token = client.get("/").text.split('name="form-token" content="')[1].split('"')[0]
        turns = iter(range(1000))

        def move() -> None:
            turn = next(turns)  # never the same drawing twice: what was solved before is kept
            ops = [
                {"op": "move_end", "cable": "d1_minus", "end": "b", "to": ("chassis", "nb")[turn % 2]},
                {"op": "set_cable", "cable": "d2_minus", "size": "6 mm²", "length_m": 2.0 + turn / 100},
            ]
            answer = client.post(
                f"/rigs/{rig.id}/path/change", data={"ops": json.dumps(ops)}, headers={"x-form-token": token}
            )
            assert answer.status_code == 200, answer.text

        took = timed(move, 10)
        row(
            "a cable end moved on that rig, solved, kept and drawn anew",
            f"{1000 * took:.0f} ms",
            "100 ms",
            took <= 0.1,
        )
    running.close()


def maps(folder: Path) -> None:
    """A season, its reset map, the error map and a dragged cross-hair, on the demo's library van.

    One weather.
    """
    running = build(folder / "maps", demo=True, now="2026-11-20T15:40:00Z")
    context = running.context
    with context.db.reading() as session:
        given = read_inputs(
            session, context, next(rig.id for rig in store.all_rigs(session) if rig.demo_key == "bookbus")
        )
    vehicle, grid = given.vehicle, grid_for(given.vehicle.chemistry, given.vehicle.bank.cells)
    days = Days(vehicle.use.season, vehicle.use.sky)
    took = timed(lambda: season(vehicle, days), 5)
    row("a season simulated: 90 days at 1 min, the demo's library van", f"{took:.2f} s", "1.5 s", took <= 1.5)
    made = season(vehicle, days)
    seen = sampled(made, made.readings(), is_lead=False, capacity_ah=320.0, dead_band_a=0.1)
    took = timed(lambda: reset_map(seen, grid, hold_s=180.0, with_error=False), 5)
    row("outcomes of 50 by 50 settings over it", f"{1000 * took:.0f} ms", "100 ms", took <= 0.1)
    took = timed(lambda: reset_map(seen, grid, hold_s=180.0), 5)
    row("the same with the expected error of each", f"{1000 * took:.0f} ms", "1000 ms", took <= 1.0)
    took = timed(lambda: recommend(vehicle), 1)
    row("the recommended point: 10 circumstances, 8 holds", f"{took:.1f} s", "none set", True)
    make_study(context, given)
    running.hosts.add("testserver")
    with TestClient(running.app) as client:
        tails = iter(range(1000))
        took = timed(
            lambda: client.get(f"/rigs/{given.rig.id}/numbers/map/at?v=13.8&t={2 + next(tails) / 10}&h=180"),
            10,
        )
        row(
            "a dragged cross-hair answered: two settings counted and drawn",
            f"{1000 * took:.0f} ms",
            "60 ms",
            took <= 0.06,
        )
    running.close()


def living(folder: Path) -> None:
    """A minute of live readings in, pages listening."""
    command = [sys.executable, "-m", "benchmarks.live", str(folder / "live"), "60"]
    answer = json.loads(
        subprocess.run(command, check=True, capture_output=True, text=True).stdout.splitlines()[-1]
    )
    whole = answer["sent"] == answer["acknowledged"] == answer["kept"]
    row(
        "live: 2,000 readings a second in batches, 200 rigs at 1 Hz singly, 20 pages listening, 60 s",
        f"p99 {1000 * answer['p99_s']:.0f} ms, median {1000 * answer['p50_s']:.1f} ms",
        "p99 50 ms",
        answer["p99_s"] <= 0.05,
    )
    row(
        "readings lost of those",
        f"{answer['sent'] - answer['kept']} of {answer['sent']:,}; {answer['heard']} events to pages",
        "none",
        whole,
    )


def replaying(folder: Path) -> None:
    """`volnik replay` on half a million rows, start-up included."""
    path, settings = folder / "half.csv", folder / "settings.json"
    write_csv(demo_year(500_000), path)
    settings.write_text(json.dumps(NUMBERS.as_dict()))
    command = [
        str(Path(sys.executable).with_name("volnik")),
        "replay",
        str(path),
        "--settings",
        str(settings),
        "--out",
        str(folder / "out.csv"),
    ]
    took = timed(lambda: subprocess.run(command, check=True, capture_output=True), 3)
    row("volnik replay of 500,000 rows, start-up and output included", f"{took:.2f} s", "3 s", took <= 3)
    half = demo_year(500_000)
    took = timed(lambda: LogCounter.opened(NUMBERS).feed(half.time_s, half.volts, half.amps, gap_s=300.0))
    row("the count itself", f"{1000 * took:.0f} ms", "200 ms", took <= 0.2)


def main() -> None:
    """Measure everything and write the document."""
    with tempfile.TemporaryDirectory() as held:
        folder = Path(held)
        living(folder)
        paths(folder)
        maps(folder)
        counting()
        replaying(folder)
        importing(folder)
        years(folder, row)
    judging(row)
    cases, solved, wrong = practised()
    row("cases of Practice solved by the search shown", f"{solved} of {cases}", "all", solved == cases)
    row("cases of Practice that a part of Volnik misjudges", f"{wrong} of {cases}", "none set", True)
    lines = [
        "# Performance",
        "",
        "Written by `make bench`, goals met or not. Ratios are taken within one run; the machines "
        "are shared and noisy.",
        "",
        f"Machine: {os.cpu_count()} cores, {platform.machine()}, Python {platform.python_version()}.",
        "",
        "| what | measured | goal | met |",
        "|---|---|---|---|",
        *(
            f"| {what} | {measured} | {goal} | {'yes' if met else 'no'} |"
            for what, measured, goal, met in ROWS
        ),
    ]
    kept = DOC.read_text(encoding="utf-8").split("\n## Notes", 1) if DOC.exists() else [""]
    notes = "\n## Notes" + kept[1] if len(kept) > 1 else "\n"
    DOC.write_text("\n".join(lines) + "\n" + notes, encoding="utf-8")


main()
