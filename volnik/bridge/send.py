"""Readings brought to Volnik, over HTTP or MQTT; the bench rig speaks as a bridge does."""

from __future__ import annotations

import json
import time
from contextlib import suppress
from dataclasses import dataclass
from typing import Any, Protocol

import httpx2
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from volnik.core.columns import values_of
from volnik.core.instants import iso_text
from volnik.core.readings import Row
from volnik.core.signing import signed, signed_text

SIGNED = "x-bridge-signed"  # header of a signed message that tells how a bridge stands
MOST_SAID = 300
MOST_A_POST = 5_000  # well under what Volnik takes at once


def as_objects(rows: list[Row]) -> list[dict[str, Any]]:
    """Readings as a bridge sends them: the CSV's column names, what is unknown left out."""
    return [{"time": iso_text(row[0] / 1000.0), **values_of(row)} for row in rows]


@dataclass(frozen=True, slots=True)
class Ends:
    """Where a rig's log ends: its last instant [s since 1970] and charge 0..1.

    None where there is none yet.
    """

    time_s: float | None
    charge: float | None
    now_s: float


class Sender(Protocol):
    """Brings readings to Volnik."""

    def send(self, rows: list[Row]) -> str: ...

    def close(self) -> None: ...


class HttpSender:
    """Over HTTP, the answer says they are kept; signed by the key, which itself never travels."""

    def __init__(self, address: str, rig_id: int, key: str) -> None:
        self._client = httpx2.Client(base_url=address, timeout=30.0)
        self._key = key
        self._counter = int(time.time() * 1000)  # rises over restarts too
        self._path = f"/api/rigs/{rig_id}/readings"
        self.shut_out = False  # whether it was the key that was refused the last time

    def ends(self) -> Ends:
        """Where the rig's log ends.

        Raises:
            ConnectionError: when Volnik cannot be asked; the sentence says why.
        """
        from datetime import datetime

        try:
            answer = self._client.get(self._path, headers={SIGNED: self._signed("")})
        except httpx2.TransportError as wrong:
            raise ConnectionError(f"Volnik does not answer at {self._client.base_url}: {wrong}") from None
        if answer.status_code != 200:
            raise ConnectionError(str(answer.json().get("error", answer.status_code)))
        body = answer.json()
        last = body["last"]
        time_s = None if last is None else datetime.fromisoformat(last["time"]).timestamp()
        return Ends(
            time_s, None if last is None else last["soc"], datetime.fromisoformat(body["now"]).timestamp()
        )

    def say(self, words: str) -> None:
        """Tell Volnik how it stands; Doors shows the last that was said. Nothing happens where it is away.

        Args:
            words: in one line.
        """
        plain = words.encode("ascii", "replace").decode()[:MOST_SAID]
        with suppress(httpx2.TransportError):
            self._client.get(self._path, headers={SIGNED: self._signed(plain)})

    def send(self, rows: list[Row]) -> str:
        """Send; returns "" when they are kept, else why not.

        Raises:
            ConnectionError: when they may be sent again.
        """
        try:
            body = self._signed(json.dumps(as_objects(rows)))
            answer = self._client.post(self._path, content=body, headers={"content-type": "application/json"})
        except httpx2.TransportError as wrong:
            raise ConnectionError(str(wrong)) from None
        self.shut_out = answer.status_code in (401, 403)
        if answer.status_code in (401, 403, 422):
            return str(answer.json().get("error", answer.status_code))
        if answer.status_code != 200:
            raise ConnectionError(f"Volnik answers {answer.status_code}")
        return ""

    def _signed(self, body: str) -> str:
        """A signed message."""
        self._counter += 1
        return signed_text(self._key, self._path, body, at_s=time.time(), counter=self._counter)

    def close(self) -> None:
        """Hang up."""
        self._client.close()


class MqttSender:
    """Over an MQTT broker, which keeps them for Volnik."""

    def __init__(self, host: str, port: int, rig_id: int, key: str) -> None:
        self._client = mqtt.Client(CallbackAPIVersion.VERSION2)
        self._topic, self._key = f"volnik/rigs/{rig_id}/readings", key
        self._counter = int(time.time() * 1000)  # rises over restarts too
        self._client.connect_async(host, port)
        self._client.loop_start()

    def send(self, rows: list[Row]) -> str:
        """Send; raises ConnectionError when the broker did not take them."""
        self._counter += 1
        body = signed(self._key, self._topic, as_objects(rows), at_s=time.time(), counter=self._counter)
        message = self._client.publish(self._topic, body, qos=1)
        try:
            message.wait_for_publish(10.0)
        except (RuntimeError, ValueError) as wrong:
            raise ConnectionError(str(wrong)) from None
        if not message.is_published():
            raise ConnectionError("the broker did not take them")
        return ""

    def close(self) -> None:
        """Hang up."""
        self._client.disconnect()
        self._client.loop_stop()
