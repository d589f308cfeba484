"""The bench rig at work: its clock, its readings on their way, its switches, and what its control
page shows.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from volnik.benchrig.figures import figures
from volnik.benchrig.speak import Outbox
from volnik.benchrig.ways import Way
from volnik.benchrig.wires import wire_document
from volnik.core.columns import values_of
from volnik.core.document import RigDocument
from volnik.core.errors import InvalidInput
from volnik.core.readings import Row
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import Stud, may_join
from volnik.core.simulation.switched import SwitchedVehicle, Switches
from volnik.core.simulation.wired import Faults

FACTORS = (1.0, 10.0, 60.0, 300.0, 1000.0)
TICK_S = 0.25
SWITCHES = ("off", "on", "auto")


WEATHER = {"sun": (0.0, 1.0), "celsius": (-30.0, 60.0)}  # least and most that can be set
METER_FAULTS = {"scale": (0.1, 10.0), "offset_a": (-20.0, 20.0)}


@dataclass(frozen=True, slots=True)
class Where:
    """One device as the control page shows it.

    Attributes:
        amps: really flowing, + charges [A].
        switch: as set.
        landing: stud its negative really sits on;
        drawn: where the drawing has it.
        choices: (stud, name) its negative may be moved to.
        share: of its current the shunt sees.
    """

    id: str
    name: str
    amps: float
    switch: str
    gives: bool
    cable: str
    landing: str
    drawn: str
    choices: list[tuple[StudRef, str]]
    share: float


def _may_take(stud: Stud, minus: Stud) -> bool:
    """Whether a device's negative can really sit on a stud."""
    is_place = stud.place in ("block", "shunt", "bar", "ground") and stud.pole == "minus"
    return is_place and may_join(minus, stud)


class BenchRig:
    """A vehicle, a clock and an outbox, run by a thread."""

    def __init__(
        self,
        document: RigDocument,
        outbox: Outbox,
        *,
        which: str,
        faults: Faults,
        start_s: float,
        charge: float,
        seed: int,
        interval_s: float,
        living: bool = False,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self.document, self.outbox, self.which, self.interval_s = document, outbox, which, interval_s
        self.ways: tuple[Way, ...] = ()
        wired = wire_document(document, which=which, faults=faults)
        switches = Switches.living(wired) if living else Switches.in_the_bay(wired)
        self.vehicle = SwitchedVehicle(wired, start_s=start_s, charge=charge, seed=seed, switches=switches)
        self._clock, self._last = clock, clock()
        self._due = self.vehicle.time_s
        self._lock = threading.RLock()
        self._stop = threading.Event()
        self._threads = [threading.Thread(target=work, daemon=True) for work in (self._run, self._speak)]

    def start(self) -> None:
        """Set the clock going."""
        self._last = self._clock()
        for thread in self._threads:
            thread.start()

    def tick(self) -> None:
        """Bring the vehicle to where its clock stands now."""
        with self._lock:
            now = self._clock()
            self._due += (now - self._last) * self.vehicle.switches.factor
            self._last = now
            if self._due - self.vehicle.time_s >= 1.0:
                self._say(self.vehicle.run(self._due, every_s=self.interval_s))

    def _say(self, rows: list[Row]) -> None:
        """Send readings; by other ways only the latest, with what the other devices say."""
        if not self.ways:
            self.outbox.put(rows)
        elif rows:
            values = values_of(rows[-1]) | figures(self.vehicle)
            for way in self.ways:
                way.say(rows[-1][0] / 1000.0, values)
            self.outbox.sent += 1

    def _run(self) -> None:
        while not self._stop.wait(TICK_S):
            self.tick()

    def _speak(self) -> None:
        while not self._stop.wait(TICK_S):
            self.outbox.flush()

    def switch(self, name: str, value: str) -> None:
        """Set one thing: a device's or a feed's switch, sun, temperature, time factor, a cable's end, a
        fault.

        Raises:
            InvalidInput: naming what cannot be set so.
        """
        kind, _, about = name.partition(":")
        with self._lock:
            if kind == "device":
                self._switch_device(name, about, value)
            elif kind == "cable":
                cable, _, end = about.rpartition(".")
                self._fault(moved={**self.vehicle.wired.faults.moved, (cable, end): value})
            elif name in ("shore", "engine"):
                self._one_of(name, value, SWITCHES)
                self.vehicle.set(**{name: value})
            elif name in WEATHER:
                self.vehicle.set(
                    **{name: None if value == "auto" else self._number(name, value, *WEATHER[name])}
                )
            elif name == "factor":
                self.tick()
                self.vehicle.set(factor=self._number(name, value, 1.0, 1000.0))
            elif name in ("reversed", "dead"):
                self._fault(**{name: value == "1"})
            elif name in METER_FAULTS:
                self._fault(**{name: self._number(name, value, *METER_FAULTS[name])})
            else:
                raise InvalidInput({name: "There is no such switch."})

    def _switch_device(self, name: str, device: str, value: str) -> None:
        self._one_of(name, value, SWITCHES)
        if device not in self.vehicle.switches.devices:
            raise InvalidInput({name: "This vehicle has no such device."})
        self.vehicle.set(devices={device: value})

    def _fault(self, **changes: Any) -> None:
        faults = replace(self.vehicle.wired.faults, **changes)
        self.vehicle.rewire(wire_document(self.document, which=self.which, faults=faults))

    @staticmethod
    def _one_of(name: str, value: str, allowed: tuple[str, ...]) -> None:
        if value not in allowed:
            raise InvalidInput({name: f"One of {', '.join(allowed)}."})

    @staticmethod
    def _number(name: str, value: str, low: float, high: float) -> float:
        try:
            number = float(value.replace(",", "."))
        except ValueError:
            number = float("nan")
        if not low <= number <= high:
            raise InvalidInput({name: f"From {low:g} to {high:g}, got “{value[:20]}”."})
        return number

    def devices(self) -> list[Where]:
        """The devices as the control page shows them, sources first."""
        with self._lock:
            wired, shown = self.vehicle.wired, self.vehicle.shown
            studs = wired.analysis.studs
            found = []
            for device in wired.analysis.devices:
                if device.id not in wired.vehicle.shares:
                    continue
                minus = f"{device.id}.minus"
                cable = next(
                    (cable for cable in wired.analysis.wiring.cables if minus in (cable.a, cable.b)), None
                )
                if cable is None:
                    continue
                end = "b" if cable.a == minus else "a"
                drawn = wired.drawn.cable(cable.id)
                choices = [(stud.id, stud.name) for stud in studs.values() if _may_take(stud, studs[minus])]
                found.append(
                    Where(
                        device.id,
                        device.device.name,
                        shown.amps.get(device.id, 0.0),
                        self.vehicle.switches.devices.get(device.id, "on"),
                        device.gives,
                        f"{cable.id}.{end}",
                        getattr(cable, end),
                        getattr(drawn, end) if drawn is not None else "",
                        choices,
                        wired.vehicle.shares[device.id],
                    )
                )
            return sorted(found, key=lambda place: not place.gives)

    def close(self) -> None:
        """Stop the clock and hang up."""
        self._stop.set()
        for thread in self._threads:
            if thread.is_alive():
                thread.join(5.0)
        self.outbox.sender.close()
        for way in self.ways:
            way.close()
