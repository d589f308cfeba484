"""The demo's bench rigs: each a program of its own, with a key of its own, started with the demo and ended
with it.
"""

from __future__ import annotations

import logging
import os
import socket
import subprocess
import sys
import threading
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

from volnik.benchrig.figures import PACK_LOW
from volnik.services.context import AppContext
from volnik.services.live import tokens
from volnik.services.watch.own_columns import standing
from volnik.services.yard.document import give_out
from volnik.store import rigs as store

log = logging.getLogger("volnik")


@dataclass(frozen=True, slots=True)
class DemoBench:
    """One bench rig of the demo.

    Attributes:
        key: whose.
        behind: how far behind Volnik's port its controls are.
        more: how it is started.
        bridged: whether it speaks lines of text to a bridge, which brings them, as in a vehicle.
    """

    key: str
    behind: int
    more: tuple[str, ...]
    bridged: bool = False

    @property
    def interval_s(self) -> float:
        """Between its readings [s]."""
        return float(self.more[self.more.index("--interval-s") + 1]) if "--interval-s" in self.more else 1.0


# The heater is planned on the rig side, but in the bench vehicle it was left on the battery post.
BENCHES = (
    DemoBench("vetvan", 21, ("--fault", "blower_heater_minus.b=C1.minus")),
    DemoBench("bookbus", 22, ("--living", "--factor", "10", "--interval-s", "60")),
    DemoBench("dome", 23, ("--living", "--wiring", "found"), bridged=True),
)


KEY_VARIABLE = "VOLNIK_BENCH_KEY"


def sources_of(address: str, rig_id: int, port: int, name: str) -> str:
    """SOURCES.toml of a bench rig that speaks lines of text.

    Args:
        address: of Volnik.
        rig_id: number of the rig there.
        port: of this machine, on which the lines are said.
        name: of the file in which readings wait.
    """
    return f"""# How the demo's bridge listens to its bench rig.
[volnik]
address = "{address}"
box = "{name}.sqlite"

[[rig]]
id = {rig_id}
key_env = "{KEY_VARIABLE}"

[[rig.source]]
kind = "text"
listen = "tcp://127.0.0.1:{port}"
"""


def free_port(port: int, behind: int) -> int:
    """The port that far behind another, or any free one where it is taken."""
    for wanted in (port + behind, 0):
        with socket.socket() as probe, suppress(OSError):
            probe.bind(("127.0.0.1", wanted))
            return int(probe.getsockname()[1])
    raise OSError("no port of this machine is free")


class BenchYard:
    """Starts the demo's bench rigs once Volnik answers, and ends them."""

    def __init__(self, context: AppContext, folder: Path, address: str) -> None:
        self.context, self.folder, self.address = context, folder, address
        self.running: list[subprocess.Popen[str]] = []

    def start(self) -> None:
        """Start them all; what they say is told."""
        self.folder.mkdir(parents=True, exist_ok=True)
        with self.context.db.reading() as session:
            rigs = {rig.demo_key: rig for rig in store.all_rigs(session) if rig.demo_key}
        for bench in BENCHES:
            rig = rigs.get(bench.key)
            if rig is None:
                continue
            self._start(bench, rig.id)

    def _start(self, bench: DemoBench, rig_id: int) -> None:
        """Start one, with a key of its own, and its bridge where it speaks to one."""
        for old in tokens.bridges_of(self.context, rig_id):
            if old.kind == "bench" and old.ended_s is None:
                tokens.end(self.context, old.id)
        port = free_port(urlsplit(self.address).port or 0, bench.behind)
        made = tokens.make(
            self.context,
            kind="bench",
            rig_id=rig_id,
            name=f"bench rig, controls at 127.0.0.1:{port}",
            interval_s=bench.interval_s,
        )
        document = self.folder / f"{bench.key}.json"
        document.write_text(give_out(self.context, rig_id), encoding="utf-8")
        where = ["--to", self.address, "--rig", str(rig_id), "--port", str(port)]
        says = free_port(port, 1) if bench.bridged else 0
        spoken = ["--say", f"text={says}", *self._as_its_pack_says(rig_id)] if bench.bridged else []
        self._begin(["bench-rig", str(document), *where, *bench.more, *spoken], made.secret)
        if bench.bridged:
            file = self.folder / f"{bench.key}.toml"
            file.write_text(sources_of(self.address, rig_id, says, file.stem), encoding="utf-8")
            self._begin(["bridge", str(file)], made.secret)

    def _as_its_pack_says(self, rig_id: int) -> list[str]:
        """The charge a rig starts with whose count misses what flows: what its pack's counter said last."""
        _, told = standing(self.context, rig_id)
        said = None if told is None else told.latest.get("percent_pack")
        return [] if said is None else ["--charge", f"{said[0] / 100.0 + PACK_LOW:.2f}"]

    def _begin(self, command: list[str], secret: str) -> None:
        """Start a program of Volnik's own with a key; what it says is told."""
        given = {**os.environ, KEY_VARIABLE: secret, "VOLNIK_BENCH_CHILD": "1"}
        child = subprocess.Popen(
            [sys.executable, "-m", "volnik.cli", *command],
            env=given,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        self.running.append(child)
        threading.Thread(target=self._listen, args=(child,), daemon=True).start()

    def _listen(self, child: subprocess.Popen[str]) -> None:
        assert child.stdout is not None
        with child.stdout:
            for line in child.stdout:
                log.info("%s", line.rstrip())

    def close(self) -> None:
        """End them all."""
        for child in self.running:
            child.terminate()
        for child in self.running:
            try:
                child.wait(5.0)
            except subprocess.TimeoutExpired:
                child.kill()
