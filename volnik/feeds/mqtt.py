"""Readings heard over MQTT: one topic a rig, JSON payloads with the bridge's key, acknowledged once they are
kept.
"""

from __future__ import annotations

import json
import logging
import re
from collections.abc import Callable
from typing import Any

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from volnik.core.readings import NotKept, ReadingsRefused

log = logging.getLogger("volnik")

TOPIC = "volnik/rigs/+/readings"
NAMED = re.compile(r"^volnik/rigs/(\d{1,9})/readings$")
MOST_BYTES = 1 << 20

Take = Callable[[int, str, bytes], dict[str, Any]]
"""Takes a rig's number, the bridge's key and its readings as JSON; returns the answer.

It raises NotKept or TimeoutError when they should come again, and anything else when they never can be kept.
"""


def parse_payload(payload: bytes) -> tuple[str, bytes]:
    """The key and the readings of one message: {"key": "…", "readings": [ … ]}.

    Raises:
        ReadingsRefused: when it is no such object.
    """
    if len(payload) > MOST_BYTES:
        raise ReadingsRefused(f"A message has at most {MOST_BYTES >> 20} MiB.")
    try:
        body = json.loads(payload)
    except (ValueError, RecursionError):
        body = None
    if not isinstance(body, dict) or not isinstance(body.get("key"), str) or "readings" not in body:
        raise ReadingsRefused('A message is a JSON object: {"key": "…", "readings": [ … ]}.')
    return body["key"], json.dumps(body["readings"]).encode()


class MqttSubscriber:
    """Listens at a broker; reconnects by itself.

    A message that could not be kept is not acknowledged and comes again.
    """

    def __init__(self, host: str, port: int, take: Take) -> None:
        self._take, self._where = take, f"{host}:{port}"
        self.connected = False
        self._client = mqtt.Client(
            CallbackAPIVersion.VERSION2, client_id="volnik", clean_session=False, manual_ack=True
        )
        self._client.on_connect = self._connected
        self._client.on_connect_fail = self._failed
        self._client.on_disconnect = self._parted
        self._client.on_message = self._heard
        self._client.reconnect_delay_set(1, 30)
        self._client.connect_async(host, port, keepalive=30)
        self._client.loop_start()

    def _connected(self, client: mqtt.Client, *_: Any) -> None:
        self.connected = True
        client.subscribe(TOPIC, qos=1)
        log.info("Listening for readings at the MQTT broker %s.", self._where)

    def _parted(self, *_: Any) -> None:
        self.connected = False

    def _failed(self, *_: Any) -> None:
        log.warning("No MQTT broker answers at %s; trying on.", self._where)

    def _heard(self, client: mqtt.Client, _data: Any, message: mqtt.MQTTMessage) -> None:
        named = NAMED.match(message.topic)
        if named is None:
            client.ack(message.mid, message.qos)
            return
        try:
            key, readings = parse_payload(bytes(message.payload))
            answer = self._take(int(named.group(1)), key, readings)
        except ReadingsRefused as wrong:
            reply = {"error": wrong.sentence, "index": wrong.index, "field": wrong.field or None}
            answer = {name: value for name, value in reply.items() if value is not None}
        except PermissionError as wrong:
            answer = {"error": str(wrong)}
        except (NotKept, TimeoutError) as wrong:  # left unacknowledged, the broker brings it again
            log.warning("Readings heard over MQTT could not be kept: %s", wrong)
            return
        except Exception as wrong:
            # Acknowledged all the same: it would fail again for ever, and such messages fill the window.
            log.error("A message heard over MQTT could not be read: %r", wrong)
            answer = {"error": "This message could not be read."}
        client.ack(message.mid, message.qos)
        client.publish(message.topic.replace("/readings", "/answer"), json.dumps(answer))

    def close(self) -> None:
        """Stop listening."""
        self._client.disconnect()
        self._client.loop_stop()
