"""The faults a vehicle can have, each as one page, read from the table beside this file.

Source: trade practice. `docs/faults` is written from here, and the application shows the same.
"""

from __future__ import annotations

import tomllib
from functools import cache
from importlib.resources import files
from typing import Annotated, Literal

from pydantic import Field, TypeAdapter

from volnik.core.values import Plain

Kind = Literal["bypass", "numbers", "battery", "monitor", "none"]
KINDS: dict[Kind, str] = {
    "bypass": "Past the shunt",
    "numbers": "Numbers",
    "battery": "Battery and charging",
    "monitor": "The monitor itself",
    "none": "No fault",
}


class Fault(Plain):
    """One fault.

    Attributes:
        title: what it is called.
        kind: in which order faults are looked for.
        checkup: causes of the check-up by which a log names it.
        display, volts, log: how it shows there.
        measure: what to measure, cheapest first.
        mend: what puts it right.
        caution: where that can hurt someone, "" for nowhere.
        confused: how it parts from another, by that one's key.
    """

    title: str
    kind: Kind
    checkup: tuple[str, ...]
    display: str
    volts: str
    log: str
    measure: Annotated[tuple[str, ...], Field(min_length=1)]
    mend: str
    caution: str = ""
    confused: dict[str, str]


@cache
def faults() -> dict[str, Fault]:
    """Every fault by its key, in the order they are common.

    Raises:
        ValueError: for a table that names a fault there is none of.
    """
    text = files(__package__).joinpath("faults.toml").read_text(encoding="utf-8")
    found = TypeAdapter(dict[str, Fault]).validate_python(tomllib.loads(text))
    for key, fault in found.items():
        strangers = fault.confused.keys() - found.keys()
        if strangers:
            raise ValueError(f"{key} is confused with {', '.join(strangers)}, of which there is no page")
    return found


def pages_of(cause: str) -> list[str]:
    """Keys of the faults a cause of the check-up may stand for, likeliest first.

    Args:
        cause: its key.
    """
    return [key for key, fault in faults().items() if cause in fault.checkup]


def as_markdown(key: str) -> str:
    """The page of a fault as Markdown.

    Args:
        key: of the fault.
    """
    fault = faults()[key]
    lines = [f"# {fault.title}", "", f"{KINDS[fault.kind]}. Source: trade practice.", ""]
    looks = {"On the display": fault.display, "In volts": fault.volts, "In the log": fault.log}
    for where, told in looks.items():
        lines += [f"**{where}.** {told}", ""]
    lines += ["**Measure**, cheapest first:", "", *(f"1. {step}" for step in fault.measure), ""]
    if fault.caution:
        lines += [f"> **Caution.** {fault.caution}", ""]
    lines += [f"**Mend.** {fault.mend}", "", "**Confused with**", ""]
    lines += [f"- [{faults()[other].title}]({other}.md): {told}" for other, told in fault.confused.items()]
    return "\n".join(lines) + "\n"


def contents_as_markdown() -> str:
    """The contents of all pages as Markdown, by kind."""
    lines = [
        "# Faults, a page each",
        "",
        "Written by `make fault-pages` from `volnik/core/practice/faults.toml`, which the application shows.",
    ]
    for kind, name in KINDS.items():
        lines += ["", f"## {name}", ""]
        lines += [f"- [{fault.title}]({key}.md)" for key, fault in faults().items() if fault.kind == kind]
    return "\n".join(lines) + "\n"
