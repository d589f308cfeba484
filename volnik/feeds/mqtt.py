"""Readings heard over MQTT: one topic a rig, JSON signed by the bridge's key, acknowledged once kept."""

from __future__ import annotations

import json
import logging
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
from paho.mqtt.reasoncodes import ReasonCode

from volnik.core.readings import NotKept, ReadingsRefused
from volnik.core.signing import FORM, SignedMessage, read_signed
from volnik.settings import Broker

log = logging.getLogger("volnik")

TOPIC = "volnik/rigs/+/readings"
NAMED = re.compile(r"^volnik/rigs/(\d{1,9})/readings$")
MOST_BYTES = 1 << 20

Take = Callable[[int, str, "Sent"], dict[str, Any]]
"""Takes a rig's number, the topic and a message; returns the answer.

It raises NotKept or TimeoutError when it should come again, and anything else when it never can be kept.
"""


@dataclass(frozen=True, slots=True)
class Sent:
    """A message: signed, or in the old form with the key itself and its readings as JSON."""

    signed: SignedMessage | None
    key: str = ""
    readings: bytes = b""


def parse_payload(payload: bytes) -> Sent:
    """One message, signed or in the old form {"key": "…", "readings": [ … ]}.

    Raises:
        ReadingsRefused: when it is neither.
    """
    if len(payload) > MOST_BYTES:
        raise ReadingsRefused(f"A message has at most {MOST_BYTES >> 20} MiB.")
    try:
        body = json.loads(payload)
    except (ValueError, RecursionError):
        body = None
    if not isinstance(body, dict):
        raise ReadingsRefused(FORM)
    if isinstance(body.get("key"), str) and "readings" in body:
        return Sent(None, body["key"], json.dumps(body["readings"]).encode())
    found = read_signed(body)
    return Sent(found, readings=found.body.encode())


class MqttSubscriber:
    """Listens at a broker; reconnects by itself.

    A message that could not be kept is not acknowledged and comes again.
    """

    def __init__(self, broker: Broker, take: Take) -> None:
        self._take, self._where = take, broker.where
        self.connected = False
        self.refused = 0  # messages that could not be taken; each is answered and acknowledged
        self._status = f"volnik/status/{broker.client_id}"
        self._client = mqtt.Client(
            CallbackAPIVersion.VERSION2, client_id=broker.client_id, clean_session=False, manual_ack=True
        )
        if broker.user:
            self._client.username_pw_set(broker.user, broker.password)
        if broker.ca is not None:
            self._client.tls_set(str(broker.ca))
        self._client.will_set(self._status, "offline", qos=1, retain=True)
        self._client.on_connect = self._connected
        self._client.on_connect_fail = self._failed
        self._client.on_disconnect = self._parted
        self._client.on_message = self._heard
        self._client.reconnect_delay_set(1, 30)
        self._client.connect_async(broker.host, broker.port, keepalive=30)
        self._client.loop_start()

    def _connected(self, client: mqtt.Client, _data: Any, _flags: Any, reason: ReasonCode, *_: Any) -> None:
        if reason.is_failure:
            log.warning("The MQTT broker %s does not let Volnik in: %s.", self._where, reason)
            return
        self.connected = True
        client.subscribe(TOPIC, qos=1)
        client.publish(self._status, "online", qos=1, retain=True)
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
            sent = parse_payload(bytes(message.payload))
            answer = self._take(int(named.group(1)), message.topic, sent)
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
        self.refused += "error" in answer
        client.ack(message.mid, message.qos)
        client.publish(message.topic.replace("/readings", "/answer"), json.dumps(answer))

    def close(self) -> None:
        """Stop listening."""
        if self.connected:
            self._client.publish(self._status, "offline", qos=1, retain=True)
        self._client.disconnect()
        self._client.loop_stop()
