"""A device's figures as typed."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from volnik.core.errors import InvalidInput
from volnik.core.rig.devices import Device, ResolvedDevice
from volnik.web.forms.fields import decimal, text

LOAD = [
    ("power_w", "Power", "W"),
    ("current_a", "or current", "A"),
    ("surge_a", "Peak", "A"),
    ("start_a", "Start phase", "A"),
    ("start_s", "for", "s"),
    ("duty", "Share of its hours", "%"),
    ("hours", "Hours of the day", ""),
    ("efficiency", "Efficiency", "%"),
    ("standby_a", "Standby", "A"),
]
SOURCE = [
    ("most_a", "Gives at most", "A"),
    ("absorption_v", "Absorption", "V"),
    ("float_v", "Float", "V"),
    ("absorption_h", "Absorption lasts", "h"),
    ("end_a", "Ends at", "A"),
    ("slope_mv_c", "Temperature slope", "mV/°C a cell"),
    ("panel_w", "Panels", "W"),
]
PERCENT = ("duty", "efficiency")


def figures_for(device: ResolvedDevice) -> list[tuple[str, str, str]]:
    """The figures asked for of a device: (name, words, unit)."""
    asked = [*(LOAD if device.takes else []), *(SOURCE if device.gives else [])]
    return [
        *asked,
        *([] if device.takes else [("efficiency", "Efficiency", "%"), ("standby_a", "Standby", "A")]),
    ]


def figure_text(device: Device, name: str) -> str:
    """A stated figure as the text of its field; empty when it is not known."""
    return _shown(name, getattr(device, name))


def figure_usual(device: ResolvedDevice, name: str) -> str:
    """The usual figure that stands in for one that is not known."""
    return _shown(name, device.figures[name]) if name in device.assumed else ""


def _shown(name: str, value: Any) -> str:
    if value is None or value == ():
        return ""
    if name == "hours":
        return " ".join(f"{a:g}-{b:g}" for a, b in value)
    return f"{round(value * 100 if name in PERCENT else value, 4):.10g}"


def read_figures(form: Mapping[str, Any]) -> dict[str, Any]:
    """The typed figures of a device.

    Raises:
        InvalidInput: with a sentence for each field that cannot be read.
    """
    problems: dict[str, str] = {}
    given: dict[str, Any] = {"name": text(form, "name"), "kind": text(form, "kind")}
    for name, _, _ in dict.fromkeys([*LOAD, *SOURCE]):
        if name == "hours":
            spans = re.findall(r"(\d+(?:[.,]\d+)?)\s*[-–]\s*(\d+(?:[.,]\d+)?)", text(form, "hours"))
            left = re.sub(r"(\d+(?:[.,]\d+)?)\s*[-–]\s*(\d+(?:[.,]\d+)?)", "", text(form, "hours")).strip(
                " ,;h"
            )
            if left:
                problems["hours"] = (
                    f"“{text(form, 'hours')[:30]}” cannot be read; write it such as 7-9 17-23."
                )
            given["hours"] = (
                tuple((float(a.replace(",", ".")), float(b.replace(",", "."))) for a, b in spans) or None
            )
            continue
        value = decimal(form, name, problems)
        given[name] = None if value is None else value / 100.0 if name in PERCENT else value
    for name in ("together", "safety"):
        given[name] = {"1": True, "0": False}.get(text(form, name))
    if given["power_w"] is not None and given["current_a"] is not None:
        problems["current_a"] = "Power and current say the same thing; give one of them."
    if problems:
        raise InvalidInput(problems)
    return given
