"""The counted state told over MQTT: one retained topic a rig."""

from __future__ import annotations

import json
import logging
import threading
import time
from typing import Any

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from volnik.settings import Broker

log = logging.getLogger("volnik")

EVERY_S = 2.0  # a wall display needs no more; a bridge may send ten a second
FIGURES = ("volts", "amps", "celsius", "charge_percent", "charge_low", "charge_high", "believed")
AGED_S = 15.0  # so often what nobody renewed is told anew, older


def figures_of(state: dict[str, Any]) -> dict[str, str]:
    """Single figures of a state as plain numbers, for devices that take no object; "" takes one back.

    A figure that is old is no figure: a charger that goes by it must go by its own again. So is a charge that
    is not believed.

    Args:
        state: as told whole.
    """
    found = dict.fromkeys(FIGURES, "")
    if not state.get("fresh"):
        return found
    for name in ("volts", "amps", "celsius"):
        if state.get(name) is not None:
            found[name] = f"{state[name]:.3f}"
    found["believed"] = "1" if state.get("believed") else "0"
    for name, key in (("charge_percent", "soc"), ("charge_low", "soc_low"), ("charge_high", "soc_high")):
        if state.get(key) is not None:
            found[name] = f"{100.0 * state[key]:.1f}"
    return found


class MqttPublisher:
    """Publishes `volnik/rigs/N/state`, retained, and single figures under it, every two seconds at most.

    A state that is not renewed is told again with its age, and as no longer fresh once it is not; single
    figures are taken back then. These are never retained: a broker would give a dead machine's last volts
    to a charger for ever. Reconnects by itself, and never waits for the broker.
    """

    def __init__(self, broker: Broker) -> None:
        self._client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id=f"{broker.client_id}-state")
        if broker.user:
            self._client.username_pw_set(broker.user, broker.password)
        if broker.ca is not None:
            self._client.tls_set(str(broker.ca))
        self._client.on_connect_fail = lambda *_: log.warning(
            "No MQTT broker answers at %s; trying on.", broker.where
        )
        self._client.reconnect_delay_set(1, 30)
        self._client.connect_async(broker.host, broker.port, keepalive=30)
        self._client.loop_start()
        self._told: dict[int, float] = {}
        self._states: dict[int, tuple[float, dict[str, Any]]] = {}
        self._lock, self._stop = threading.Lock(), threading.Event()
        self._ageing = threading.Thread(target=self._age, name="mqtt ages", daemon=True)
        self._ageing.start()

    def say(self, rig_id: int, state: dict[str, Any]) -> None:
        """Tell a rig's state, with how old its reading was when it was told [s]."""
        now = time.monotonic()
        with self._lock:
            self._states[rig_id] = (now, state)
            if now - self._told.get(rig_id, -EVERY_S) < EVERY_S:
                return
            self._told[rig_id] = now
        self._publish(rig_id, state)

    def _publish(self, rig_id: int, state: dict[str, Any]) -> None:
        self._client.publish(f"volnik/rigs/{rig_id}/state", json.dumps(state), qos=0, retain=True)
        for name, value in figures_of(state).items():
            self._client.publish(f"volnik/rigs/{rig_id}/{name}", value, qos=0, retain=False)

    def _age(self) -> None:
        while not self._stop.wait(AGED_S):
            self.age()

    def age(self) -> None:
        """Tell what was not renewed of late anew, as old as it is now."""
        now = time.monotonic()
        with self._lock:
            waiting = [
                (rig_id, aged(state, now - at))
                for rig_id, (at, state) in self._states.items()
                if now - at >= EVERY_S
            ]
        for rig_id, state in waiting:
            self._publish(rig_id, state)

    def close(self) -> None:
        """Stop."""
        self._stop.set()
        self._client.disconnect()
        self._client.loop_stop()
        self._ageing.join(5.0)


def aged(state: dict[str, Any], more_s: float) -> dict[str, Any]:
    """A state so many seconds later."""
    age_s = float(state.get("age_s", 0.0)) + more_s
    return {**state, "age_s": round(age_s, 1), "fresh": age_s <= float(state.get("fresh_s", 0.0))}
