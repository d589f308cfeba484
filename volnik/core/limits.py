"""What anybody may cost: every limit set against strangers, wild files and odd input, in one table.

docs/limits.md is written from it.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Limit:
    """A limit: of what, how much, in which unit, and why so much."""

    of: str
    value: float
    unit: str
    reason: str

    def __int__(self) -> int:
        return int(self.value)


HEAD = Limit("the head of a request", 32 << 10, "bytes", "a browser's has 2 kB, all our cookies among them")
ADDRESS = Limit("an address", 8 << 10, "bytes", "the longest of our own has 700")
HEAD_S = Limit("sending a head", 10, "s", "a phone behind two walls needs one")
BODY_START_S = Limit("sending a body, at first", 20, "s", "a phone that wakes its radio needs some")
BODY_RATE = Limit("then at least", 2048, "bytes a second", "the slowest link has ten times that")
BODY = Limit("a body", 1 << 20, "bytes", "20,000 readings of a bridge have 0.9 MB")
UPLOAD = Limit("an uploaded log", 3 << 30, "bytes", "a year at a reading a second has 1.2 GB as text")
FIELDS = Limit("fields of a form", 400, "", "the largest, a read-back, has 60")
CONNECTIONS = Limit("connections of an address", 40, "", "a phone opens six, a bridge two")
CONNECTIONS_ALL = Limit("connections of the network", 200, "", "the machine's own find room beside them")
CODE_TRIES = Limit("wrong codes of an address before it has to wait", 3, "", "one mistypes, or reads 8 for B")
CODE_WAIT_S = Limit("the first wait", 10, "s", "doubled with each wrong code after it")
CODE_WAIT_MOST_S = Limit("the longest wait", 900, "s", "a forgotten phone is let in the same day")
CODE_WRONG = Limit("wrong codes of all before the code is burnt", 40, "", "of 850,000,000,000 codes")
LINE = Limit("a line of a log", 64 << 10, "bytes", "the longest known has 600 letters")
ROWS = Limit("readings of a file", 70_000_000, "", "two years at a reading a second")
WRONG_LINES = Limit("lines without a reading, where nine of ten are so", 10_000, "", "then it is no log")
UNPACKED = Limit("a packed file, unpacked", 6 << 30, "bytes", "twice the largest upload")
RATIO = Limit("bytes unpacked for one packed, beyond the first 4 MB", 150, "", "logs of idle rigs have 40")
RATIO_FROM = Limit("bytes unpacked before the ratio is looked at", 16 << 20, "", "a small file cannot hurt")
WAITING = Limit("uploads that wait to be looked at", 8, "", "each up to 3 GB; the oldest goes first")
WAITING_S = Limit("an upload waits", 6 * 3600, "s", "a mapping is chosen at once, or after lunch")

TABLE = [value for value in list(globals().values()) if isinstance(value, Limit)]
"""Every limit, in the order above."""
