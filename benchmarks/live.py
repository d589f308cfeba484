"""Live load: batches and single readings for a minute, pages listening, every answer timed, every reading
accounted for.
"""

from __future__ import annotations

import asyncio
import json
import multiprocessing
import statistics
import subprocess
import sys
import time
from dataclasses import dataclass
from pathlib import Path

import httpx2

from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.settings import Numbers
from volnik.main import build
from volnik.services.live import tokens
from volnik.services.live.pending import ingest_pending
from volnik.services.numbers import versions
from volnik.services.survey.bank import save_bank
from volnik.services.yard.rigs import new_rig
from volnik.serving import take_port
from volnik.store import logs

NUMBERS = Numbers(100, 20, 1.03, 0.99, 13.9, 4, 180, 0.1, 15, 1.0, 180)
SINGLE_RIGS, BATCH_RIGS, BATCH = 200, 20, 100
SERVER = """
import sys
from pathlib import Path
from volnik.main import serve
serve(Path(sys.argv[1]), port=int(sys.argv[2]), demo=False)
"""


@dataclass(frozen=True, slots=True)
class LiveLoad:
    """What a minute of live load came to.

    Answers [s], readings sent and acknowledged, kept in the log, events that pages heard.
    """

    answers_s: list[float]
    sent: int
    acknowledged: int
    kept: int
    heard: int

    @property
    def p99_s(self) -> float:
        """99 of 100 answers came within this [s]."""
        return statistics.quantiles(self.answers_s, n=100)[98]


def _reading(at_s: float) -> dict[str, float]:
    return {"time": at_s, "volts": 13.1, "amps": -6.0}


async def _send(
    port: int, keys: list[tuple[int, str]], *, many: int, seconds: int, phase: float, start: float
) -> list[tuple[float, int, int]]:
    """One connection a bridge, kept open.

    Written by hand, because a full client would take more of the machine than the server.
    """
    found: list[tuple[float, int, int]] = []
    begin = time.perf_counter() + phase

    async def bridge(at: int, rig_id: int, key: str) -> None:
        reader, writer = await asyncio.open_connection("127.0.0.1", port)
        head = (
            f"POST /api/rigs/{rig_id}/readings HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nAuthorization: "
            f"Bearer {key}\r\n"
        )
        for second in range(seconds):
            if (left := begin + second + at / len(keys) - time.perf_counter()) > 0:
                await asyncio.sleep(left)
            body = json.dumps([_reading(start + second * many + number) for number in range(many)])
            began = time.perf_counter()
            writer.write(
                f"{head}Content-Type: application/json\r\nContent-Length: {len(body)}\r\n\r\n{body}".encode()
            )
            answer = await reader.readuntil(b"\r\n\r\n")
            length = int(answer.lower().split(b"content-length:")[1].split(b"\r\n")[0])
            message = json.loads(await reader.readexactly(length))
            found.append((time.perf_counter() - began, many, message.get("taken", 0)))
        writer.close()

    await asyncio.gather(*(bridge(at, rig_id, key) for at, (rig_id, key) in enumerate(keys)))
    return found


def _sender(
    port: int,
    keys: list[tuple[int, str]],
    *,
    many: int,
    seconds: int,
    phase: float,
    start: float,
    out: multiprocessing.Queue[list[tuple[float, int, int]]],
) -> None:
    out.put(asyncio.run(_send(port, keys, many=many, seconds=seconds, phase=phase, start=start)))


async def _listen(port: int, rigs: list[int], seconds: float) -> int:
    heard = 0

    async def page(client: httpx2.AsyncClient, rig_id: int) -> None:
        nonlocal heard
        async with client.stream("GET", f"/rigs/{rig_id}/live") as answer:
            async for line in answer.aiter_lines():
                heard += line.startswith("data:")

    async with httpx2.AsyncClient(base_url=f"http://127.0.0.1:{port}", timeout=60) as client:
        pages = [asyncio.create_task(page(client, rig_id)) for rig_id in rigs]
        await asyncio.sleep(seconds)
        for task in pages:
            task.cancel()
    return heard


def _listener(port: int, rigs: list[int], seconds: float, out: multiprocessing.Queue[int]) -> None:
    out.put(asyncio.run(_listen(port, rigs, seconds)))


def live_load(folder: Path, *, seconds: int = 60, pages: int = 20) -> LiveLoad:
    """A server of its own, 2,000 readings a second in batches beside 200 rigs at 1 Hz singly, pages
    listening.
    """
    running = build(folder, demo=False)
    keys = []
    bank = Bank("lfp", 4, 1, 1, CapacityLabel("nameplate", ah=100.0))
    for at in range(SINGLE_RIGS + BATCH_RIGS):
        rig = new_rig(running.context, name=f"Rig {at:03}", silhouette="van", what="bench", zone="UTC")
        save_bank(running.context, rig.id, bank)
        versions.save(running.context, rig.id, NUMBERS, holds_from_s=None, reason="bench", power_up="blank")
        made = tokens.make(running.context, kind="bridge", rig_id=rig.id, name="bench")
        keys.append((rig.id, made.secret))
    running.close()
    probe = take_port(0)
    port = probe.getsockname()[1]
    probe.close()
    server = subprocess.Popen(
        [sys.executable, "-c", SERVER, str(folder), str(port)], stdout=subprocess.DEVNULL
    )
    try:
        _until_up(port)
        time.sleep(6.0)  # the compiler is warmed up in the first seconds
        start = float(int(time.time()) - 50_000)
        out: multiprocessing.Queue[list[tuple[float, int, int]]] = multiprocessing.Queue()
        heard: multiprocessing.Queue[int] = multiprocessing.Queue()
        listened = [rig_id for rig_id, _ in keys[:: len(keys) // pages][:pages]]
        alike = {"seconds": seconds, "phase": 2.0, "start": start, "out": out}
        workers = [
            multiprocessing.Process(target=_listener, args=(port, listened, seconds + 4.0, heard)),
            multiprocessing.Process(
                target=_sender, args=(port, keys[:SINGLE_RIGS]), kwargs={"many": 1, **alike}
            ),
            multiprocessing.Process(
                target=_sender, args=(port, keys[SINGLE_RIGS:]), kwargs={"many": BATCH, **alike}
            ),
        ]
        for process in workers:
            process.start()
        answers = [answer for _ in range(2) for answer in out.get(timeout=seconds + 120)]
        message = heard.get(timeout=60)
        for process in workers:
            process.join()
    finally:
        server.terminate()
        server.wait(60)
    running = build(folder, demo=False)
    kept = 0
    for rig_id, _ in keys:
        ingest_pending(running.context, rig_id)
        with running.context.db.reading() as session:
            kept += sum(source.readings for source in logs.sources(session, rig_id))
    running.close()
    return LiveLoad(
        [answer[0] for answer in answers],
        sum(answer[1] for answer in answers),
        sum(answer[2] for answer in answers),
        kept,
        message,
    )


def _until_up(port: int) -> None:
    for _ in range(300):
        try:
            httpx2.get(f"http://127.0.0.1:{port}/", timeout=5)
            return
        except httpx2.TransportError:
            time.sleep(0.1)
    raise RuntimeError("the server did not start")


if __name__ == "__main__":  # a process of its own: the parent's threads must not be forked along
    load = live_load(Path(sys.argv[1]), seconds=int(sys.argv[2]))
    message = {
        "answers": len(load.answers_s),
        "p50_s": statistics.median(load.answers_s),
        "p99_s": load.p99_s,
        "most_s": max(load.answers_s),
    }
    print(
        json.dumps(
            {
                **message,
                "sent": load.sent,
                "acknowledged": load.acknowledged,
                "kept": load.kept,
                "heard": load.heard,
            }
        )
    )
