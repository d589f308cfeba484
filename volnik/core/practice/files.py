"""A case as a file that holds it whole: two people look at the same vehicle, and argue about it.

JSON: `format` "volnik-case", `edition`, `level`, `seed`, `since_days`, `complaint`, `rig` (bank, devices,
wiring as in a rig document), `wrong` (cause, part, size each), `moves` as they stand in an address.
"""

from __future__ import annotations

import json
from typing import Any

from pydantic import TypeAdapter

from volnik.core.errors import InvalidInput
from volnik.core.practice.cases import AT_LEVEL, EDITION, MOST_SEED, Case, drawn
from volnik.core.rig.bank import Bank

FORMAT = "volnik-case"
MOST_BYTES = 400_000
MOST_MOVES_TEXT = 8000


def as_file(case: Case, moves: str) -> bytes:
    """A case as a file.

    Args:
        case: as drawn.
        moves: made in it, as they stand in an address.
    """
    return json.dumps({**_held(case), "moves": moves}, indent=1, ensure_ascii=False).encode()


def _held(case: Case) -> dict[str, Any]:
    """All of a case but what was done in it, as plain values."""
    plan = case.plan
    return {
        "format": FORMAT,
        "edition": EDITION,
        "level": case.level,
        "seed": case.seed,
        "since_days": case.since_days,
        "complaint": case.complaint,
        "rig": {
            "bank": TypeAdapter(Bank).dump_python(plan.bank, mode="json"),
            "devices": [device.model_dump(mode="json", exclude_none=True) for device in plan.devices],
            "wiring": plan.drawing.model_dump(mode="json"),
        },
        "wrong": [list(wrong) for wrong in case.wrongs],
    }


def from_file(data: bytes) -> tuple[Case, str]:
    """The case of a file, and the moves made in it.

    Args:
        data: the file.

    Raises:
        InvalidInput: under "file", where it is no case, of another edition, or not as it was drawn.
    """
    held = _read(data)
    level, seed = held.get("level"), held.get("seed")
    if held.get("edition") != EDITION:
        raise InvalidInput(
            {
                "file": f"This case was drawn by edition {str(held.get('edition'))[:20]}; this Volnik draws "
                f"edition {EDITION}, where the same number is another vehicle. Open it with the Volnik it "
                "came from, or bring both to the same version."
            }
        )
    if type(level) is not int or level not in AT_LEVEL or type(seed) is not int or not 0 <= seed <= MOST_SEED:
        raise InvalidInput({"file": "This file names no level and number there are cases of."})
    case, moves = drawn(seed, level), held.pop("moves", "")
    if held != json.loads(json.dumps(_held(case))):
        raise InvalidInput(
            {"file": "This file was changed since it was saved: what it holds is not the case of its number."}
        )
    if not isinstance(moves, str) or len(moves) > MOST_MOVES_TEXT:
        raise InvalidInput({"file": "What was done in this case cannot be read from the file."})
    return case, moves


def _read(data: bytes) -> dict[str, Any]:
    if len(data) > MOST_BYTES:
        raise InvalidInput({"file": "This file is too long for a case."})
    try:
        held = json.loads(data)
    except (ValueError, RecursionError):
        held = None
    if not isinstance(held, dict) or held.get("format") != FORMAT:
        raise InvalidInput({"file": "This is no case: choose a file that was saved from a case of Practice."})
    return held
