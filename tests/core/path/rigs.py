"""Small rigs to try a path on."""

from volnik.core.path.analysis import analyse
from volnik.core.path.edits import Drawing, apply
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.rig.devices import Device
from volnik.core.rig.wiring import Bar, Cable, Fuse, Wiring
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.presets import PRESETS
from volnik.core.shelf.shunts import Shunt

SHUNT = Shunt(amps=500, mv=50, continuous_a=400, peak_a=700, step_a=0.01, torque_nm=19)


def bank(chemistry="agm", series=1, parallel=1, ah=100.0, **more):
    """A bank of 12 V blocks."""
    return Bank(
        chemistry, 4 if chemistry == "lfp" else 6, series, parallel, CapacityLabel("nameplate", ah=ah), **more
    )


def cable(name, a, b, length_m=1.0, size="35 mm²", *, fuse=None, **more):
    """A cable whose size and length are known."""
    return Cable(
        id=name,
        a=a,
        b=b,
        length_m=length_m,
        size=size,
        fuse=None if fuse is None else Fuse(amps=fuse, volts=80, breaks_ka=25, from_post_mm=100),
        **more,
    )


def device(name, kind="load", **figures):
    """A device with its figures stated."""
    if kind == "load" and not figures:
        figures = {"current_a": 10.0}
    return Device(id=name, kind=kind, name=name.capitalize(), **figures)


def sound(devices=None, the_bank=None, *more_cables, bars=(), **given):
    """A drawing with nothing wrong: link, shunt, busbars, every device on them, fused.

    More cables as asked.
    """
    devices = [device("fridge", current_a=5.0)] if devices is None else devices
    the_bank = the_bank or bank()
    last = f"{chr(64 + the_bank.parallel)}{the_bank.series}.minus"
    cables = [
        cable("shunt_link", last, "shunt.bank", 0.3, "70 mm²", lug_a="M8", lug_b="M10"),
        cable("rig_link", "shunt.rig", "nb", 0.3, "70 mm²", lug_a="M10", lug_b="M8"),
        cable("main", "A1.plus", "pb", 0.3, "70 mm²", fuse=200),
        Cable(
            id="sense",
            a="monitor.sense",
            b="A1.plus",
            size="0.75 mm²",
            length_m=1.0,
            fuse=Fuse(amps=1, volts=80),
        ),
    ]
    for item in devices:
        cables.append(cable(f"{item.id}_minus", f"{item.id}.minus", "nb", 1.0, "16 mm²"))
        cables.append(cable(f"{item.id}_plus", f"{item.id}.plus", "pb", 1.0, "16 mm²", fuse=100))
    names = {more_cable.id for more_cable in more_cables}
    cables = [cable for cable in cables if cable.id not in names] + list(more_cables)
    return drawing(
        devices,
        the_bank,
        Wiring(
            shunt=SHUNT,
            cables=tuple(cables),
            bars=(
                Bar(id="nb", kind="busbar", name="Negative busbar"),
                Bar(id="pb", kind="busbar", pole="plus", name="Positive busbar"),
                *bars,
            ),
            **given,
        ),
    )


def drawing(devices, the_bank, wiring):
    """A drawing fitted to its bank and devices."""
    return Drawing(
        the_bank,
        tuple(devices),
        PRESETS,
        apply(Drawing(the_bank, tuple(devices), PRESETS, wiring), [{"op": "set_socket", "socket": "right"}]),
    )


def changed(item, *ops):
    """A drawing after changes."""
    return Drawing(item.bank, item.devices, item.presets, apply(item, ops))


def analysed(item, *, wiring=None, **given):
    """A drawing looked at whole, or the same rig with another wiring."""
    wiring = item.wiring if wiring is None else wiring
    return analyse(
        item.bank, CHEMISTRIES[item.bank.chemistry], item.devices, wiring, presets=PRESETS, **given
    )
