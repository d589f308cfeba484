"""Readings of a bench rig on their way: kept in memory while the link is away, sent again."""

from __future__ import annotations

from collections import deque

from volnik.bridge.send import MOST_A_POST, Ends, HttpSender, MqttSender, Sender
from volnik.core.readings import Row

__all__ = ["Ends", "HttpSender", "MqttSender", "Outbox", "Sender"]

MOST_WAITING = 200_000  # two days at 1 Hz without a link; the oldest go first


class Outbox:
    """Readings on their way; the oldest first, each once it is kept let go."""

    def __init__(self, sender: Sender) -> None:
        self.sender = sender
        self.waiting: deque[Row] = deque(maxlen=MOST_WAITING)
        self.sent = 0
        self.trouble = ""

    def put(self, rows: list[Row]) -> None:
        """Add readings to be sent."""
        self.waiting.extend(rows)

    def flush(self) -> None:
        """Send what waits; what cannot be brought now waits on, what is refused is dropped and told."""
        while self.waiting:
            rows = [self.waiting[at] for at in range(min(MOST_A_POST, len(self.waiting)))]
            try:
                refused = self.sender.send(rows)
            except ConnectionError as wrong:
                self.trouble = f"not sent, trying on: {wrong}"
                return
            for _ in rows:
                self.waiting.popleft()
            self.trouble = f"refused: {refused}" if refused else ""
            self.sent += 0 if refused else len(rows)
