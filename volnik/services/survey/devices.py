"""Survey, the devices: typed or pasted lines, corrections, the monitor and the old gauge."""

from __future__ import annotations

from typing import Any

from volnik.core.errors import InvalidInput
from volnik.core.path.fitted import fitted
from volnik.core.rig.devices import Device, LearnedUse
from volnik.core.rig.monitor import Monitor
from volnik.core.survey.kinds import turned
from volnik.core.survey.lines import Entered, enter
from volnik.core.values import read_plain
from volnik.services.context import AppContext
from volnik.services.path.drawings import keep_survey, plain
from volnik.services.path.read import read_path


def add_lines(context: AppContext, rig_id: int, text: str, *, by_user: bool = True) -> Entered:
    """Take the devices of lines in; lines at fault are told, the others kept.

    Raises:
        NoBank: when the rig has no bank.
    """
    with context.change(rig_id, by_user=by_user) as work:
        session = work.session
        path = read_path(session, context, rig_id)
        entered = enter(text, path.bank, path.devices, path.found, path.catalogue.by_key())
        if entered.devices != path.devices or entered.wiring != path.found:
            count = len(entered.added)
            what = f"{count} device{'' if count == 1 else 's'} entered" if count else "bond drawn"
            work.record("found/list", what, adds=True)
            keep_survey(
                session,
                context,
                rig_id,
                devices=entered.devices,
                monitor=path.monitor,
                wiring=entered.wiring,
                what=what,
            )
        return entered


def change_device(context: AppContext, rig_id: int, device_id: str, given: dict[str, Any]) -> None:
    """Correct a device's figures; a figure that is None is unknown again.

    Raises:
        InvalidInput: naming each figure that cannot stand, or saying that the device is gone.
    """
    with context.change(rig_id) as work:
        session = work.session
        path = read_path(session, context, rig_id)
        old = next((device for device in path.devices if device.id == device_id), None)
        if old is None:
            raise InvalidInput({"device": "That device is no longer on the list."})
        device = read_plain(Device, {"note": old.note, **given, "id": device_id})
        device = device.model_copy(update={"learned": _still_learned(old, device)})
        devices = tuple(device if other.id == device_id else other for other in path.devices)
        wiring = fitted(path.found, path.bank, devices, path.catalogue.by_key())
        work.record(f"found/{device_id}", f"{device.name} corrected", before=plain(old), after=plain(device))
        keep_survey(
            session,
            context,
            rig_id,
            devices=devices,
            monitor=path.monitor,
            wiring=wiring,
            what=f"{device.name} corrected",
        )


def turn_kind(context: AppContext, rig_id: int, device_id: str, kind: str) -> None:
    """Say what a device is after all; what it drew it then gives, or the other way.

    Raises:
        InvalidInput: for a kind or a device that is not there.
    """
    with context.db.reading() as session:
        path = read_path(session, context, rig_id)
    presets = path.catalogue.by_key()
    device = next((device for device in path.devices if device.id == device_id), None)
    if device is None or kind not in presets:
        raise InvalidInput({"kind": "That device or kind is no longer there."})
    old = presets.get(device.kind, presets["load"])
    figures = turned(device.model_dump(exclude={"id", "kind", "learned"}), old, presets[kind])
    change_device(context, rig_id, device_id, {**figures, "kind": kind})


SAID = {
    "amps": ("power_w", "current_a", "efficiency", "kind"),
    "duty": ("duty", "hours", "kind"),
    "hours": ("duty", "hours", "kind"),
    "standby_a": ("standby_a", "kind"),
}
"""Fields by which a person says anew what a log showed, by figure of `LearnedUse`."""


def _still_learned(old: Device, new: Device) -> LearnedUse | None:
    """What a log showed, but for what was typed anew."""
    if old.learned is None:
        return None
    kept = old.learned.model_dump()
    for figure, fields in SAID.items():
        if any(getattr(old, name) != getattr(new, name) for name in fields):
            kept[figure] = None
    if all(kept[figure] is None for figure in SAID):
        return None
    return LearnedUse.model_validate(kept)


def remove_device(context: AppContext, rig_id: int, device_id: str) -> None:
    """Take a device off the list, its cables with it; undo brings both back."""
    with context.change(rig_id) as work:
        session = work.session
        path = read_path(session, context, rig_id)
        gone = next((device for device in path.devices if device.id == device_id), None)
        if gone is None:
            return
        devices = tuple(device for device in path.devices if device.id != device_id)
        wiring = fitted(path.found, path.bank, devices, path.catalogue.by_key())
        work.record(f"found/{device_id}", f"{gone.name} taken off")
        keep_survey(
            session,
            context,
            rig_id,
            devices=devices,
            monitor=path.monitor,
            wiring=wiring,
            what=f"{gone.name} taken off",
        )


def set_monitor(context: AppContext, rig_id: int, given: dict[str, Any], *, by_user: bool = True) -> None:
    """Keep what is known of the monitor and of the old gauge.

    Raises:
        InvalidInput: naming each figure that cannot stand.
    """
    monitor = read_plain(Monitor, given)
    with context.change(rig_id, by_user=by_user) as work:
        session = work.session
        path = read_path(session, context, rig_id)
        work.record(
            "found/monitor",
            "monitor and gauge described",
            before=plain(path.monitor),
            after=plain(monitor),
        )
        keep_survey(
            session,
            context,
            rig_id,
            devices=path.devices,
            monitor=monitor,
            wiring=path.found,
            what="monitor and gauge",
        )
