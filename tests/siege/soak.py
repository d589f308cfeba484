"""A server in long use: readings without end, pages that listen and are opened; what memory it takes."""

import asyncio
import contextlib
import itertools
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path

import httpx2
import psutil

from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.settings import Numbers
from volnik.main import build
from volnik.services.live import tokens
from volnik.services.numbers import versions
from volnik.services.survey.bank import save_bank
from volnik.services.yard.rigs import new_rig
from volnik.serving import take_port

NUMBERS = Numbers(100, 20, 1.03, 0.99, 13.9, 4, 180, 0.1, 15, 1.0, 180)
RIGS, A_SECOND, PAGES = 20, 10, 20
SECONDS, SETTLED_S = 480, 180
MOST_MB, MOST_GROWTH = 400, 1.2
SERVER = """
import sys
from pathlib import Path
from volnik.main import serve
serve(Path(sys.argv[1]), port=int(sys.argv[2]), demo=True, bench=False)
"""
OPENED = [
    f"/rigs/{rig}/{part}"
    for rig in (1, 3)
    for part in ("watch", "watch/checkup", "watch/sums", "watch/ahead", "path", "numbers", "prove", "wireup")
]


@dataclass
class Soak:
    """Memory [MB] by the second, what was sent and taken, and what pages answered with an error."""

    memory: dict[int, float] = field(default_factory=dict)
    sent: int = 0
    taken: int = 0
    opened: int = 0
    failed: int = 0

    def level(self, at_s: float) -> float:
        """Memory about a second [MB]."""
        near = [size for second, size in self.memory.items() if abs(second - at_s) <= 20]
        return sum(near) / len(near)

    @property
    def good(self) -> bool:
        """Whether it ended within a fifth of the level after three minutes, under the most, nothing lost."""
        end, settled = self.level(max(self.memory)), self.level(SETTLED_S)
        return end < MOST_GROWTH * settled and end < MOST_MB and self.taken == self.sent and not self.failed

    def __str__(self) -> str:
        levels = ", ".join(f"{at} s {size:.0f} MB" for at, size in self.memory.items() if at % 60 < 10)
        return (
            f"{levels}; {self.taken:,} of {self.sent:,} readings taken, {self.opened} pages opened, "
            f"{self.failed} failed"
        )


def soak(seconds: int = SECONDS) -> Soak:
    """200 readings a second from 20 bridges, 20 pages listening, a page opened each second."""
    with tempfile.TemporaryDirectory() as folder:
        running = build(Path(folder), demo=True)
        keys = []
        for at in range(RIGS):
            rig = new_rig(running.context, name=f"Rig {at}", silhouette="van", what="", zone="UTC")
            save_bank(running.context, rig.id, Bank("lfp", 4, 1, 1, CapacityLabel("nameplate", ah=100.0)))
            versions.save(
                running.context, rig.id, NUMBERS, holds_from_s=None, reason="soak", power_up="blank"
            )
            made = tokens.make(running.context, kind="bridge", rig_id=rig.id, name="bridge", interval_s=0.1)
            keys.append((rig.id, made.secret))
        running.close()
        listener = take_port(0)
        port = listener.getsockname()[1]
        listener.close()
        server = subprocess.Popen([sys.executable, "-c", SERVER, folder, str(port)])
        try:
            return asyncio.run(_use(server.pid, port, keys, seconds))
        finally:
            server.terminate()
            server.wait(30)


async def _use(pid: int, port: int, keys: list[tuple[int, str]], seconds: int) -> Soak:
    found, process = Soak(), psutil.Process(pid)
    async with httpx2.AsyncClient(base_url=f"http://127.0.0.1:{port}", timeout=60) as client:
        while True:
            with contextlib.suppress(httpx2.TransportError):
                await client.get("/")
                break
            await asyncio.sleep(0.2)
        tasks = [asyncio.create_task(_listen(client, rig_id)) for rig_id, _ in keys[:PAGES]]
        began = time.monotonic()
        for second in range(seconds):
            sends = [_send(client, rig_id, key, found) for rig_id, key in keys]
            await asyncio.gather(*sends, _open(client, OPENED[second % len(OPENED)], found))
            if second % 10 == 0:
                found.memory[second] = process.memory_info().rss / 1e6
            await asyncio.sleep(max(0.0, began + second + 1 - time.monotonic()))
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
    return found


_step = itertools.count()


async def _send(client: httpx2.AsyncClient, rig_id: int, key: str, found: Soak) -> None:
    now, step = time.time(), next(_step)
    body = [{"time": now + at / A_SECOND, "volts": 13.1, "amps": step % 7 - 3.0} for at in range(A_SECOND)]
    found.sent += len(body)
    answer = await client.post(
        f"/api/rigs/{rig_id}/readings", json=body, headers={"authorization": f"Bearer {key}"}
    )
    if answer.status_code == 200:
        told = answer.json()
        found.taken += told["taken"] + told["repeated"]


async def _open(client: httpx2.AsyncClient, address: str, found: Soak) -> None:
    answer = await client.get(address, follow_redirects=True)
    found.opened += 1
    found.failed += answer.status_code != 200


async def _listen(client: httpx2.AsyncClient, rig_id: int) -> None:
    async with client.stream("GET", f"/rigs/{rig_id}/live", timeout=None) as answer:
        async for _ in answer.aiter_lines():
            pass
