"""Every route asked oddly: addresses, queries, forms and JSON that no page sends. None may fail inside."""

import json
import random
import re
from collections import Counter
from dataclasses import dataclass, field
from urllib.parse import quote

from tests.web.shops import routes_of, visitor

TEXTS = (
    "",
    "0",
    "-1",
    "1",
    "2",
    "999999",
    str(2**63),
    "9" * 400,
    "1e308",
    "nan",
    "-inf",
    "²",
    "É",
    "\x00",
    "\x1b[31m",
    "\u202e",
    "<script>",
    "'; DROP TABLE rigs; --",
    "../../etc/passwd",
    "a" * 5000,
    "{}",
    "[1]",
    '{"op":"move_end","cable":"x","end":"a","to":"y"}',
    "2026-11-28T12:00",
    "9999-12-31T23:59",
    "0001-01-01T00:00",
    "UTC",
    "planned",
    "save",
    "1,5",
    "−3",
    "%s%n",
    "{{7*7}}",
    " " * 300,
)
VALUES = (None, True, 0, -1, 1e308, 2**62, "", "x", [], {}, [[]], {"a": {"b": []}}, "\x00", 1.5)
LONG = {"/rigs/{rig_id}/live"}  # a stream has no end


@dataclass
class Fuzzed:
    """What was asked, answers by code, and what failed inside."""

    asked: int = 0
    codes: Counter[int] = field(default_factory=Counter)
    failed: list[str] = field(default_factory=list)

    @property
    def good(self) -> bool:
        """Whether nothing failed inside."""
        return not self.failed and self.codes[200] > 0

    def __str__(self) -> str:
        codes = ", ".join(f"{code} {count} times" for code, count in sorted(self.codes.items()))
        return f"{self.asked} asked: {codes}; failed inside: {self.failed[:10] or 'none'}"


def fuzz(each: int, seed: int = 1) -> Fuzzed:
    """Ask every route so many times; the same seed asks the same."""
    dice, found = random.Random(seed), Fuzzed()
    with visitor(demo=True) as client:
        token = client.token()
        for route in routes_of(client.app):
            if route.path in LONG:
                continue
            for _ in range(each):
                method = "POST" if "POST" in route.methods else "GET"
                ask = _asked(dice, route, method)
                headers = {"x-form-token": token, **ask.pop("headers", {})}
                answer = client.request(
                    method, ask.pop("address"), headers=headers, follow_redirects=False, **ask
                )
                found.asked += 1
                found.codes[answer.status_code] += 1
                if answer.status_code >= 500 and answer.status_code not in (503, 507):
                    found.failed.append(f"{method} {answer.request.url} {str(ask)[:200]}")
    return found


def _asked(dice: random.Random, route, method: str) -> dict:
    """One odd question."""
    address = re.sub(r"\{rig_id\}", lambda _: dice.choice(("1", "2", "3", "4", _part(dice))), route.path)
    address = re.sub(r"\{[^}]+\}", lambda _: _part(dice), address)
    names = [field_.alias for field_ in route.dependant.query_params]
    asked = {
        "address": address,
        "params": {name: dice.choice(TEXTS) for name in names if dice.random() < 0.7},
    }
    if method != "POST":
        return asked
    kind = dice.random()
    if kind < 0.15 or route.path.endswith("/ticks") or route.path.startswith("/api/"):
        asked["content"] = json.dumps(_json(dice)) if dice.random() < 0.8 else dice.choice(TEXTS)
        asked["headers"] = {"content-type": "application/json"}
    elif kind < 0.25:
        asked["files"] = {dice.choice(FILES): (dice.choice(TEXTS)[:40] or "f", dice.randbytes(300))}
    else:
        known = _fields_of(route)
        asked["data"] = {name: dice.choice(TEXTS) for name in known if dice.random() < 0.8}
    return asked


FILES = ("file", "photo", "document", "archive")


def _part(dice: random.Random) -> str:
    return quote(dice.choice(("1", "2", "x", "agm", "shunts", dice.choice(TEXTS)))[:200], safe="") or "-"


def _fields_of(route) -> list[str]:
    """The fields of the form a route reads, as its model names them."""
    found: list[str] = []
    waiting = [route.dependant]
    while waiting:
        one = waiting.pop()
        waiting += one.dependencies
        call = getattr(one.call, "__closure__", None) or ()
        for cell in call:
            fields = getattr(cell.cell_contents, "model_fields", None)
            if fields:
                found += list(fields)
    return [*found, "what", "rig_id", "lines", "ops", "lamp0", "keep-name", "same-reserve"]


def _json(dice: random.Random, deep: int = 0):
    if deep > 3 or dice.random() < 0.4:
        return dice.choice((*VALUES, *TEXTS[:12]))
    if dice.random() < 0.5:
        return [_json(dice, deep + 1) for _ in range(dice.randrange(4))]
    names = ("ticks", "mark", "step", "kind", "time_s", "body", "value", "time", "volts", "amps", "x")
    return {dice.choice(names): _json(dice, deep + 1) for _ in range(dice.randrange(6))}


def every() -> Fuzzed:
    """Twelve questions a route; most of the time goes into seasons that odd rigs are simulated for."""
    return fuzz(12)
