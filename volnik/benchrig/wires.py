"""The bench rig's wires: faults as they are typed, and a rig document as the plan it is wired by."""

from __future__ import annotations

from dataclasses import replace

from volnik.core.document import RigDocument
from volnik.core.errors import InvalidInput
from volnik.core.rig.bank import Bank
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.use import Use
from volnik.core.rig.wiring import Wiring
from volnik.core.simulation.wired import NO_FAULTS, Faults, Plan, Wired, wire


def read_faults(texts: list[str]) -> Faults:
    """Faults as typed: "heater_minus.b=C1.minus", "reversed", "scale=1.5", "offset=0.3", "dead".

    Raises:
        InvalidInput: naming the one that cannot be read.
    """
    faults = Faults()
    for text in texts:
        name, _, value = text.strip().partition("=")
        try:
            if name in ("reversed", "dead") and not value:
                faults = replace(faults, reversed=True) if name == "reversed" else replace(faults, dead=True)
            elif name in ("scale", "offset"):
                number = float(value)
                faults = (
                    replace(faults, scale=number) if name == "scale" else replace(faults, offset_a=number)
                )
            else:
                cable, end = name.rsplit(".", 1)
                if end not in ("a", "b") or not value:
                    raise ValueError
                faults = replace(faults, moved={**faults.moved, (cable, end): value})
        except ValueError:
            raise InvalidInput(
                {"fault": f"“{text}” is no fault: CABLE.b=STUD, reversed, scale=1.5, offset=0.3 or dead."}
            ) from None
    return faults


def _needed(document: RigDocument, which: str) -> tuple[Bank, Wiring]:
    """The bank and the drawing a bench rig is wired from."""
    bank = document.the_bank()
    drawing = (document.wiring.planned if which == "planned" else None) or document.wiring.found
    if bank is None or drawing is None:
        wanted = "A bench rig needs the battery, the devices and a drawing of the wiring in its document."
        raise InvalidInput({"document": wanted})
    return bank, drawing


def wire_document(document: RigDocument, *, which: str = "planned", faults: Faults = NO_FAULTS) -> Wired:
    """Wire a rig as one of its document's drawings says, with faults.

    Args:
        document: of the rig.
        which: "planned", or "found"; planned falls back to what was found.
        faults: what is wired or measured wrongly.

    Raises:
        InvalidInput: when the document lacks its bank or a drawing, or a fault names no cable or stud of it.
    """
    bank, drawing = _needed(document, which)
    latitude = None if document.rig is None else document.rig.latitude
    monitor = document.monitor or Monitor()
    plan = Plan(bank, document.devices or (), drawing, monitor, document.use or Use(), latitude)
    return wire(plan, faults)
