"""Starting a bench rig: from a rig document and a key, its clock and charge from where the rig's log ends."""

from __future__ import annotations

import logging
import os
import signal
import socket
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import uvicorn

from volnik.benchrig.control import control_app
from volnik.benchrig.running import BenchRig
from volnik.benchrig.speak import Ends, HttpSender, MqttSender, Outbox, Sender
from volnik.benchrig.ways import way_of
from volnik.benchrig.wires import read_faults
from volnik.core.document import read_document
from volnik.core.errors import InvalidInput
from volnik.core.simulation.wired import Faults

log = logging.getLogger("volnik")

KEY_VARIABLE = "VOLNIK_BENCH_KEY"
USUAL_CHARGE = 0.85  # of a rig that nobody has counted yet


@dataclass(frozen=True, slots=True)
class BenchPlan:
    """How a bench rig is started.

    Attributes:
        document: the rig document.
        to: address of Volnik.
        rig_id: of the rig there.
        key: the bench rig's own.
        port: of the control page on 127.0.0.1, 0 for any.
        which: "planned" or "found".
        faults: as typed.
        mqtt: "host:port" of a broker the readings go by, or "".
        living: in use, rather than in the bay.
        say: ways it speaks by, for a bridge to listen to, instead of HTTP.
        charge: it starts with, 0..1; None for what Volnik counts.
    """

    document: Path
    to: str
    rig_id: int
    key: str
    port: int = 0
    which: str = "planned"
    faults: tuple[str, ...] = ()
    seed: int = 1
    factor: float = 1.0
    interval_s: float = 1.0
    mqtt: str = ""
    living: bool = False
    say: tuple[str, ...] = ()
    charge: float | None = None


def begin(plan: BenchPlan) -> BenchRig:
    """A bench rig that stands where its rig's log ends; its clock is not yet going.

    Raises:
        InvalidInput: for a document, fault or key that cannot be used.
        ConnectionError: when Volnik cannot be asked.
    """
    try:
        document = read_document(plan.document.read_bytes())
    except OSError as wrong:
        raise InvalidInput({"document": f"{plan.document}: {wrong.strerror}."}) from None
    if not plan.key:
        raise InvalidInput(
            {"key": f"A bench rig needs a key of its own, from the page Doors: --key, or {KEY_VARIABLE}."}
        )
    faults: Faults = read_faults(list(plan.faults))
    http = HttpSender(plan.to, plan.rig_id, plan.key)
    ends: Ends = http.ends()
    sender: Sender = http
    if plan.mqtt:
        host, _, port = plan.mqtt.partition(":")
        sender = MqttSender(host, int(port or 1883), plan.rig_id, plan.key)
        http.close()
    rig = BenchRig(
        document,
        Outbox(sender),
        which=plan.which,
        faults=faults,
        start_s=ends.now_s if ends.time_s is None else ends.time_s,
        charge=_charge(plan, ends),
        seed=plan.seed,
        interval_s=plan.interval_s,
        living=plan.living,
    )
    rig.vehicle.set(factor=plan.factor)
    rig.ways = tuple(way_of(spec) for spec in plan.say)
    return rig


def _charge(plan: BenchPlan, ends: Ends) -> float:
    """The charge it starts with: as asked, else as counted, else a usual one."""
    if plan.charge is not None:
        return plan.charge
    return USUAL_CHARGE if ends.charge is None else ends.charge


def run(plan: BenchPlan) -> None:
    """Run a bench rig until stopped; raises as `begin`, and OSError for a port in use."""
    listener = socket.socket()
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    listener.bind(("127.0.0.1", plan.port))
    port = listener.getsockname()[1]
    rig = begin(plan)
    name = rig.document.rig.name if rig.document.rig is not None else "a rig"
    app = control_app(rig, name=name, hosts={f"127.0.0.1:{port}", f"localhost:{port}"})
    server = uvicorn.Server(
        uvicorn.Config(app, log_level="warning", server_header=False, timeout_graceful_shutdown=1)
    )
    end_with_parent()
    rig.start()
    log.info("Bench rig of %s: controls at http://127.0.0.1:%d/", name, port)
    try:
        server.run(sockets=[listener])
    finally:
        rig.close()


def end_with_parent() -> None:
    """Started by the demo, it ends with it, also when that was killed."""
    if os.environ.get("VOLNIK_BENCH_CHILD"):
        import ctypes

        with suppress(AttributeError, OSError, TypeError):  # Linux alone knows it
            ctypes.CDLL(None).prctl(1, signal.SIGTERM)
