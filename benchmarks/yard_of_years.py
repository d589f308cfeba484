"""Fifty rigs, three with a year at 1 Hz.

Pages, plots, recount, check-up, with live readings coming in meanwhile.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from fastapi.testclient import TestClient

from benchmarks.timing import slowest_window, timed
from benchmarks.years import demo_year
from volnik.core.readings import Readings
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.settings import Numbers
from volnik.main import build
from volnik.services.live import tokens
from volnik.services.log import sources as log
from volnik.services.log.counted_log import open_counted_log
from volnik.services.log.half_hours import half_hours
from volnik.services.log.recount import recount
from volnik.services.numbers import versions
from volnik.services.survey.bank import save_bank
from volnik.services.watch.checked import checked
from volnik.services.yard.rigs import new_rig

NUMBERS = Numbers(320, 20, 1.03, 0.99, 13.9, 4, 180, 0.1, 15, 1.0, 180)
Row = Callable[[str, str, str, bool], None]


def years(folder: Path, row: Row) -> None:
    """Build the yard and measure it."""
    running = build(folder / "years", demo=False)
    context = running.context
    bank = Bank("lfp", 4, 1, 2, CapacityLabel("nameplate", ah=160.0))
    year = demo_year()
    month = demo_year(60 * 43_200).part(0, 60 * 43_200)
    month = Readings(month.time_s[::60], month.volts[::60], month.amps[::60])
    ids = []
    for at in range(50):
        rig = new_rig(context, name=f"Rig {at:02}", silhouette="van", what="bench", zone="UTC")
        save_bank(context, rig.id, bank)
        versions.save(context, rig.id, NUMBERS, holds_from_s=None, reason="bench", power_up="blank")
        log.take_in(context, rig.id, year if at < 3 else month, kind="file", name="log", report={})
        ids.append(rig.id)
    took = timed(lambda: _recount(context, ids[0]), 3)
    row(
        "recount of a year at 1 Hz, among 3 such rigs and 47 with a month at 1 min",
        f"{took:.2f} s",
        "2 s",
        took <= 2.0,
    )
    running.hosts.add("testserver")
    with TestClient(running.app) as client:
        made = tokens.make(context, kind="bridge", rig_id=ids[10], name="bridge")
        slow: list[float] = []
        stop = threading.Event()
        thread = threading.Thread(target=_send, args=(client, ids[10], made.secret, slow, stop))
        client.get(f"/rigs/{ids[0]}/watch")
        start = time.perf_counter()
        with context.db.reading() as session:
            counted_log = open_counted_log(session, context, ids[0])
            assert counted_log is not None
            half_hours(session, context, counted_log)
        row(
            "half hours of that year, for the band, the forecast and the record; once, in the background",
            f"{time.perf_counter() - start:.1f} s",
            "none set",
            True,
        )
        client.get(f"/rigs/{ids[0]}/watch")
        thread.start()
        worst = slowest_window(client, ids[0], seed=5, times=2)
        row(
            "any plot window of that year with its band, while a bridge sends",
            f"{1000 * worst:.0f} ms",
            "100 ms",
            worst <= 0.1,
        )
        for part in ("", "/ahead", "/sums", "/alarms"):
            client.get(f"/rigs/{ids[5]}/watch{part}")
            took = timed(lambda part=part: client.get(f"/rigs/{ids[5]}/watch{part}"), 3)  # type: ignore[misc]
            row(f"Watch{part} of a month at 1 min, seen before", f"{1000 * took:.0f} ms", "none set", True)
        start = time.perf_counter()
        checked(context, ids[0])
        row("check-up of that year, once, as a job", f"{time.perf_counter() - start:.1f} s", "none set", True)
        stop.set()
        thread.join()
        row(
            f"live readings sent meanwhile ({len(slow)} posts), p99",
            f"{1000 * float(np.quantile(slow, 0.99)):.0f} ms",
            "none set",
            True,
        )
    running.close()


def _recount(context, rig_id: int) -> None:  # type: ignore[no-untyped-def]
    with context.db.writing() as session:
        recount(session, context, rig_id)


def _send(client: TestClient, rig_id: int, secret: str, slow: list[float], stop: threading.Event) -> None:
    at = time.time()
    while not stop.is_set():
        start = time.perf_counter()
        answer = client.post(
            f"/api/rigs/{rig_id}/readings",
            json=[{"time": at, "volts": 13.2, "amps": -3.0}],
            headers={"authorization": f"Bearer {secret}"},
        )
        assert answer.status_code == 200, answer.text
        slow.append(time.perf_counter() - start)
        at += 1.0
        time.sleep(0.05)
