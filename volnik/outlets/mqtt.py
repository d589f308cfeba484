"""The counted state told over MQTT: one retained topic a rig."""

from __future__ import annotations

import json
import logging
import time
from typing import Any

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

log = logging.getLogger("volnik")

EVERY_S = 2.0  # a wall display needs no more; a bridge may send ten a second


class MqttPublisher:
    """Publishes `volnik/rigs/N/state`, retained, at most every two seconds a rig.

    Reconnects by itself, and never waits for the broker.
    """

    def __init__(self, host: str, port: int) -> None:
        self._client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="volnik-state")
        self._client.on_connect_fail = lambda *_: log.warning(
            "No MQTT broker answers at %s:%d; trying on.", host, port
        )
        self._client.reconnect_delay_set(1, 30)
        self._client.connect_async(host, port, keepalive=30)
        self._client.loop_start()
        self._told: dict[int, float] = {}

    def say(self, rig_id: int, state: dict[str, Any]) -> None:
        """Tell a rig's state."""
        now = time.monotonic()
        if now - self._told.get(rig_id, -EVERY_S) >= EVERY_S:
            self._told[rig_id] = now
            self._client.publish(f"volnik/rigs/{rig_id}/state", json.dumps(state), qos=0, retain=True)

    def close(self) -> None:
        """Stop."""
        self._client.disconnect()
        self._client.loop_stop()
