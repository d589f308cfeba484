"""Messages signed by a key that itself never travels: HMAC-SHA256 over topic, instant, counter and body.

Source of the construction: RFC 2104. What is kept of a key here is its SHA-256; both sides sign with that.
"""

from __future__ import annotations

import hashlib
import hmac
import json
from dataclasses import dataclass
from typing import Any

from volnik.core.readings import ReadingsRefused

BEHIND = 1000  # messages a broker may bring again after later ones
FORM = 'A message is {"id": "…", "at": seconds, "counter": n, "body": "[ … ]", "mac": "…"}.'


def kept_of(secret: str) -> str:
    """What is kept of a key, and signed with: its SHA-256 in hex.

    Args:
        secret: the key.
    """
    return hashlib.sha256(secret.encode()).hexdigest()


def name_of(kept: str) -> str:
    """The name a key goes by in messages; nothing of the key can be told from it.

    Args:
        kept: what is kept of the key.
    """
    return hashlib.sha256(kept.encode()).hexdigest()[:16]


def _mac(kept: str, topic: str, at_s: float, counter: int, body: str) -> str:
    text = f"{topic}\n{at_s:.3f}\n{counter}\n{body}"
    return hmac.new(kept.encode(), text.encode(), hashlib.sha256).hexdigest()


def signed(secret: str, topic: str, readings: list[dict[str, Any]], *, at_s: float, counter: int) -> str:
    """A message of readings.

    Args:
        secret: the key.
        topic: where the message goes.
        readings: as JSON values.
        at_s: the sender's clock [s since 1970].
        counter: one more than that of the message before.
    """
    return signed_text(secret, topic, json.dumps(readings), at_s=at_s, counter=counter)


def signed_text(secret: str, topic: str, body: str, *, at_s: float, counter: int) -> str:
    """A message of any text, such as how a bridge stands.

    Args:
        secret: the key.
        topic: where the message goes.
        body: the text.
        at_s: the sender's clock [s since 1970].
        counter: one more than that of the message before.
    """
    kept = kept_of(secret)
    told = {"id": name_of(kept), "at": round(at_s, 3), "counter": counter, "body": body}
    return json.dumps({**told, "mac": _mac(kept, topic, at_s, counter, body)})


@dataclass(frozen=True, slots=True)
class SignedMessage:
    """A signed message as read, its signature not looked at yet."""

    id: str
    at_s: float
    counter: int
    body: str
    mac: str

    def is_by(self, kept: str, topic: str) -> bool:
        """Whether it was signed with that key, for that topic.

        Args:
            kept: what is kept of the key.
            topic: where the message was heard.
        """
        right = _mac(kept, topic, self.at_s, self.counter, self.body)
        return hmac.compare_digest(right.encode(), self.mac.encode("utf-8", "replace"))


def read_signed(message: dict[str, Any]) -> SignedMessage:
    """A signed message.

    Raises:
        ReadingsRefused: when a part is missing or is not what it should be.
    """
    at_s, counter = message.get("at"), message.get("counter")
    texts = [message.get(name) for name in ("id", "body", "mac")]
    plain = isinstance(at_s, int | float) and isinstance(counter, int) and not isinstance(counter, bool)
    if not plain or not all(isinstance(text, str) for text in texts):
        raise ReadingsRefused(FORM)
    assert isinstance(at_s, int | float)
    assert isinstance(counter, int)
    if not (abs(at_s) < 1e11 and 0 <= counter < 2**62):
        raise ReadingsRefused(FORM)
    name, body, mac = (str(text) for text in texts)
    return SignedMessage(name, float(at_s), counter, body, mac)


def signed_in(body: bytes) -> SignedMessage | None:
    """The signed message a body is, None where it is none.

    Args:
        body: JSON, UTF-8.

    Raises:
        ReadingsRefused: when it is one that lacks a part.
    """
    if b'"mac"' not in body:
        return None
    try:
        found = json.loads(body)
    except (ValueError, RecursionError):
        return None
    return read_signed(found) if isinstance(found, dict) and "mac" in found else None


class Counters:
    """The counters of keys: a message far behind the last one is one that was caught and sent again."""

    def __init__(self) -> None:
        self._last: dict[str, int] = {}

    def check(self, name: str, counter: int) -> None:
        """Note a counter.

        Args:
            name: the key's in messages.
            counter: of the message.

        Raises:
            ReadingsRefused: when it is far behind the last one.
        """
        last = self._last.get(name, counter)
        if counter < last - BEHIND:
            raise ReadingsRefused(f"Its counter, {counter}, lies far behind the last one, {last}.")
        self._last[name] = max(last, counter)
