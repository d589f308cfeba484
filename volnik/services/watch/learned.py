"""What a rig's log shows of the use of its devices, and its taking over into the Survey."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from datetime import date

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.rig.devices import Device, LearnedUse, ResolvedDevice, drawn
from volnik.core.simulation.vehicle import ah_a_day
from volnik.core.watch.checkup.facts import Facts, KnownLoad
from volnik.core.watch.checkup.registry import names, spec_of
from volnik.core.watch.learned import LearnedLoad, LogSpan, learned, same_use
from volnik.core.watch.loads import LoadsTold
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog
from volnik.services.path.drawings import keep_survey, plain
from volnik.services.path.read import RigPath, read_path
from volnik.services.watch.checked import QUICK_READINGS, checked_in, kept_check

NOT_CHECKED = "The check-up of this log is still to be made: open it first."
SPOIL = ("readings", "zero")  # groups of causes that make the amps themselves wrong


def listed_devices(path: RigPath) -> list[ResolvedDevice]:
    """Devices of the house bank with what is listed of them, nothing that was learned."""
    analysis = path.analysis("planned" if path.begun else "found")
    on_bank = [device.device for device in analysis.devices if analysis.is_on_bank(device)]
    presets = path.catalogue.by_key()
    nominal_v = path.bank.nominal_v(path.chemistry)
    return [drawn(device.model_copy(update={"learned": None}), presets, nominal_v) for device in on_bank]


def inverter_of(devices: Iterable[ResolvedDevice]) -> KnownLoad | None:
    """The rig's one inverter with its most amps; None where there are none or several."""
    some = [device for device in devices if device.preset.is_inverter and device.takes]
    if len(some) != 1:
        return None
    return KnownLoad(some[0].name, max(some[0].usual_a, some[0].surge_a), id=some[0].id)


def distrusted(session: Session, context: AppContext, counted_log: CountedLog) -> str:
    """Why the log's amps cannot be learned from, or ""."""
    found = kept_check(session, context, counted_log)
    if found is None:
        if counted_log.size > QUICK_READINGS:
            return NOT_CHECKED
        found = checked_in(session, context, counted_log)
    for cause in found.now.found.causes:
        if spec_of(cause.cause).group in SPOIL:
            title = names()[cause.cause]
            return f"The check-up names “{title}”: no figure is learned from these amps until that is mended."
    return ""


def learned_loads(path: RigPath, told: LoadsTold, facts: Facts) -> list[LearnedLoad]:
    """What the log shows of each listed device, and whether it stands in the Survey already."""
    span = LogSpan(float(facts.readings.time_s[-1]), facts.days_read, path.rig.zone)
    kept = {device.id: device.learned for device in path.devices}
    shown = learned(told, listed_devices(path), span)
    return [replace(one, kept=same_use(kept[one.device_id], one.use)) for one in shown]


def take_over(context: AppContext, rig_id: int, uses: list[LearnedLoad]) -> None:
    """Let what the log showed stand in the Survey, in one step that can be undone.

    Raises:
        InvalidInput: when nothing is given.
    """
    given = {one.device_id: one for one in uses}
    if not given:
        raise InvalidInput({"device": "The log shows no use of that device any more."})
    what = f"{uses[0].name}: use as measured" if len(uses) == 1 else f"use of {len(uses)} devices as measured"
    _keep(context, rig_id, {key: one.use for key, one in given.items()}, what)


def forget(context: AppContext, rig_id: int, device_id: str) -> None:
    """Go back to what is listed of a device."""
    _keep(context, rig_id, {device_id: None}, "use as listed again")


def _keep(context: AppContext, rig_id: int, uses: dict[str, object], what: str) -> None:
    with context.change(rig_id) as work:
        session = work.session
        path = read_path(session, context, rig_id)
        devices = tuple(_with(device, uses) for device in path.devices)
        for old, new in zip(path.devices, devices, strict=True):
            if old != new:
                work.record(f"found/{old.id}", what, before=plain(old), after=plain(new))
        if devices == path.devices:
            return
        keep_survey(
            session, context, rig_id, devices=devices, monitor=path.monitor, wiring=path.found, what=what
        )


def _with(device: Device, uses: dict[str, object]) -> Device:
    if device.id not in uses:
        return device
    return device.model_copy(update={"learned": uses[device.id]})


def as_used(path: RigPath, uses: Iterable[LearnedLoad], whole_ah_day: float) -> list[ResolvedDevice]:
    """Devices with what the log shows of them, taken over or not.

    Those whose use it does not tell are taken as listed, but together they use no more than what is left of
    the day's whole use.

    Args:
        path: the rig's drawings.
        uses: what the log shows.
        whole_ah_day: used on a day in all [Ah], NaN while that is not known.
    """
    shown = {one.device_id: one.use for one in uses}
    analysis = path.analysis("planned" if path.begun else "found")
    presets, nominal_v = path.catalogue.by_key(), path.bank.nominal_v(path.chemistry)

    def with_use(device: ResolvedDevice, use: LearnedUse) -> ResolvedDevice:
        return drawn(device.device.model_copy(update={"learned": use}), presets, nominal_v)

    found = [
        with_use(device, shown[device.id]) if device.id in shown else device for device in analysis.devices
    ]
    told = {key for key, use in shown.items() if use.duty is not None}
    rest = {device.id for device in found if device.takes and device.id not in told}
    share = _share_left(found, told, rest, whole_ah_day)
    if share >= 1.0:
        return found
    return [with_use(device, _lessened(device, share)) if device.id in rest else device for device in found]


def _share_left(devices: list[ResolvedDevice], told: set[str], rest: set[str], whole_ah_day: float) -> float:
    """Share of what the rest is listed with that the day's whole use leaves for it; 1 while unknown."""
    asked_ah = sum(ah_a_day(device) for device in devices if device.id in rest)
    left_ah = whole_ah_day - sum(ah_a_day(device) for device in devices if device.id in told)
    if math.isnan(left_ah) or asked_ah <= 0.0:
        return 1.0
    return max(0.0, left_ah) / asked_ah


def _lessened(device: ResolvedDevice, share: float) -> LearnedUse:
    """A device's use as a share of what is listed."""
    return LearnedUse(
        amps=None if device.device.learned is None else device.device.learned.amps,
        duty=share * device.number("duty"),
        standby_a=share * device.number("standby_a"),
        days=0.0,
        until=date.min,
    )
