"""Figures from a broker that already has them: topics and paths in what is said there, mapped to columns."""

from __future__ import annotations

import json
import math
import os
from typing import Any

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from volnik.bridge.plan import MqttSource, Topic
from volnik.bridge.sources.heard import Ear

LONGEST_WORD = 12  # that a switch says
MOST_BYTES = 65_536  # of a message: figures are short


STATES = {"on": 1.0, "true": 1.0, "off": 0.0, "false": 0.0}
"""What switches say in words."""


def value_at(payload: bytes, path: str, *, is_switch: bool = False) -> float:
    """The number at a path in a message: JSON, or the bare number.

    Args:
        payload: of the message.
        path: names with dots between them; "" for the message itself.
        is_switch: whether it may say on or off in words.

    Raises:
        ValueError: where there is no number, in words.
    """
    if len(payload) > MOST_BYTES:
        raise ValueError(f"a message of {len(payload)} bytes is none of figures")
    found = _at(_said(payload), path)
    word = str(found).strip().lower()
    if is_switch and word in STATES:
        return STATES[word]
    value = _number(found) if isinstance(found, str) else found
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise ValueError(f"“{str(found)[:40]}”, at {path or 'its head'}, is no number")
    return float(value)


def _said(payload: bytes) -> Any:
    """A message as JSON, a bare word as itself."""
    try:
        return json.loads(payload)
    except (ValueError, RecursionError):
        pass
    text = payload.decode(errors="replace").strip()
    if len(text) <= LONGEST_WORD and text.isalpha():
        return text
    raise ValueError(f"“{text[:40]}” is neither JSON nor a number")


def _at(found: Any, path: str) -> Any:
    """What lies at a path."""
    for name in path.split(".") if path else []:
        if isinstance(found, list) and name.isdigit() and int(name) < len(found):
            found = found[int(name)]
        elif isinstance(found, dict) and name in found:
            found = found[name]
        else:
            raise ValueError(f"it holds no {name} on the way {path}")
    return found


def _number(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        return math.nan


class MqttListening:
    """A broker that is listened to."""

    def __init__(self, source: MqttSource, ear: Ear) -> None:
        self.source, self.ear = source, ear
        self._wrong: dict[tuple[str, str], str] = {}  # what a topic last said that was no figure of a column
        self._client = mqtt.Client(CallbackAPIVersion.VERSION2)
        if source.user:
            self._client.username_pw_set(source.user, os.environ.get(source.password_env, "") or None)
        if source.tls:
            self._client.tls_set()
        self._client.on_connect = self._connected
        self._client.on_disconnect = self._cut
        self._client.on_message = self._said
        self._client.reconnect_delay_set(1, 60)
        ear.trouble = f"{source.host} was not reached yet"

    def start(self) -> None:
        """Begin; the broker is called again by itself where it drops."""
        self._client.connect_async(self.source.host, self.source.port)
        self._client.loop_start()

    def close(self) -> None:
        """End."""
        self._client.disconnect()
        self._client.loop_stop()

    def _connected(self, client: mqtt.Client, _data: Any, _flags: Any, reason: Any, _properties: Any) -> None:
        if reason.is_failure:
            self.ear.trouble = f"{self.source.host} refuses: {reason}"
            return
        self.ear.trouble = ""
        self._wrong.clear()
        for topic in sorted({topic.topic for topic in self.source.topics}):
            client.subscribe(topic, qos=1)

    def _cut(self, _client: Any, _data: Any, _flags: Any, reason: Any, _properties: Any) -> None:
        self.ear.trouble = f"{self.source.host} hung up: {reason}"

    def _said(self, _client: Any, _data: Any, message: mqtt.MQTTMessage) -> None:
        for topic in self.source.topics:
            if mqtt.topic_matches_sub(topic.topic, message.topic):
                self._take(topic, message)

    def _take(self, topic: Topic, message: mqtt.MQTTMessage) -> None:
        key = (message.topic, topic.column)
        try:
            value = value_at(bytes(message.payload), topic.path, is_switch=topic.column.startswith("switch_"))
        except ValueError as wrong:
            self._wrong[key] = f"{message.topic}: {wrong}"
            self.ear.trouble = "; ".join(self._wrong.values())
            return
        if self._wrong.pop(key, None):
            self.ear.trouble = "; ".join(self._wrong.values())
        self.ear.figure(topic.column, value * topic.scale + topic.offset)
