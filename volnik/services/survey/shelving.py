"""What a rig has, kept on the Shelf for the next one: its battery, and the figures of a kind of device."""

from __future__ import annotations

import re
from typing import Any

from volnik.core.errors import InvalidInput
from volnik.core.rig.bank import Bank, nominal_class
from volnik.core.rig.devices import FIGURES, SCALED_A, SCALED_V
from volnik.services.context import AppContext
from volnik.services.path.read import read_path
from volnik.services.shelf import catalogue

SYSTEM_12V = 12.0  # the volts a kind of device is kept at


def keep_battery(context: AppContext, bank: Bank) -> str:
    """Keep the battery of a bank, one block of it, under what is printed on it; returns its name.

    A battery of that name is replaced.

    Raises:
        InvalidInput: without a name, or with a label that does not state Ah at 20 hours.
    """
    if not bank.product:
        raise InvalidInput({"product": "Give the name that is printed on it first: it is found by that."})
    if bank.label.kind != "nameplate" or bank.label.ah is None:
        raise InvalidInput({"product": "The Shelf keeps a battery by its Ah at 20 hours: type these first."})
    parts = catalogue.catalogue(context).blocks
    known = next((part for part in parts if part.name == bank.product), None)
    catalogue.put(
        context,
        "blocks",
        {
            **({} if known is None else known.model_dump()),
            "key": _key_of(bank.product) if known is None else known.key,
            "name": bank.product,
            "chemistry": bank.chemistry,
            "cells": bank.block_cells,
            "ah": bank.label.ah,
            "cut_out_pct": bank.cut_out_pct,
            "source": "as kept at Survey",
        },
    )
    return bank.product


def keep_kind(context: AppContext, rig_id: int, device_id: str) -> str:
    """Take a device's own figures as the usual ones of its kind; returns the kind's name.

    Figures that the device does not state stay as they were. Amps and volts are kept for 12 V.

    Raises:
        InvalidInput: when the device is gone or states no figure.
    """
    with context.db.reading() as session:
        path = read_path(session, context, rig_id)
    device = next((device for device in path.devices if device.id == device_id), None)
    if device is None:
        raise InvalidInput({"device": "That device is no longer on the list."})
    own = {name: getattr(device, name) for name in FIGURES if getattr(device, name) is not None}
    if not own:
        raise InvalidInput({"device": "It states no figure of its own yet: type them and keep them first."})
    at_12v = _at_12v(own, nominal_class(path.bank.nominal_v(path.chemistry)) / SYSTEM_12V)
    preset = path.catalogue.by_key()[device.kind]
    other_draw = {"power_w": {"current_a": None}, "current_a": {"power_w": None}}
    replaced = {key: value for name in own for key, value in other_draw.get(name, {}).items()}
    catalogue.put(
        context,
        "presets",
        {**preset.model_dump(), **replaced, **own, **at_12v, "source": "as kept at Survey"},
    )
    return preset.name


def _at_12v(own: dict[str, Any], twelves: float) -> dict[str, float]:
    """The amps and volts among some figures, as they are at 12 V."""
    return {
        **{name: round(own[name] * twelves, 2) for name in SCALED_A if name in own},
        **{name: round(own[name] / twelves, 2) for name in SCALED_V if name in own},
    }


def _key_of(name: str) -> str:
    """A key for a name: its letters and figures."""
    return re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")[:40] or "battery"
