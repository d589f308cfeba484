"""A rig as the simulation sees it.

Its bank, its devices with what of each the shunt sees, its chargers' real volts.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.errors import InvalidInput
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.cases import device_drops
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.use import Use
from volnik.core.shelf.chemistries import Chemistry

USUAL_LATITUDE = 48.0
USUAL_CABLE_OHM = 0.004  # charger to bank and back where no length is known, 12 V; source: estimate


@dataclass(frozen=True, slots=True)
class Source:
    """One charger of the rig, whole.

    Attributes:
        drawn: the device.
        kind: solar, engine, shore or wind, what drives it.
        absorption_v, float_v: as set, at 25 °C [V].
        assumed_v: whether these are only the chemistry's.
        absorption_s, end_a, most_a, panel_w: [s, A, A, W].
        slope_v: [V/K] for the whole bank.
        ohm: of its cable, out and back [ohm].
        share: of its current that crosses the shunt.
    """

    drawn: ResolvedDevice
    kind: str
    absorption_v: float
    float_v: float
    assumed_v: bool
    absorption_s: float
    end_a: float
    most_a: float
    panel_w: float
    slope_v: float
    ohm: float
    share: float

    @property
    def name(self) -> str:
        """What it is called."""
        return self.drawn.device.name

    def at_bank_v(self, celsius: float, *, amps: float = 0.0, floating: bool = False) -> float:
        """Volts it really brings to the bank at a temperature and its own current [V]."""
        return (
            (self.float_v if floating else self.absorption_v)
            + self.slope_v * (celsius - 25.0)
            - self.ohm * amps
        )


@dataclass(frozen=True, slots=True)
class Vehicle:
    """All a season is made from.

    Attributes:
        loads: devices of the house bank that draw.
        shares: of each device that draws, by id.
        sources: its chargers.
        use, latitude: how and where it is used [degrees north].
        unsure: names of devices whose share is not known and taken as whole.
    """

    bank: Bank
    chemistry: Chemistry
    capacity_ah: float
    loads: tuple[ResolvedDevice, ...]
    shares: dict[str, float]
    sources: tuple[Source, ...]
    use: Use
    latitude: float
    unsure: tuple[str, ...] = ()

    @property
    def per_12v(self) -> float:
        """Volts of this bank over those of a 12 V bank."""
        return self.bank.cells / self.chemistry.cells_12v

    @property
    def loads_a_day(self) -> float:
        """What all loads draw in a day by the Survey [Ah]."""
        return float(sum(ah_a_day(device) for device in self.loads))


def ah_a_day(device: ResolvedDevice) -> float:
    """What a device draws in a day: duty over its hours, standby over the rest [Ah]."""
    windows = device.figures["hours"]
    spans = windows if isinstance(windows, tuple) and windows else ((0.0, 24.0),)
    used = min(24.0, sum((end if end > start else end + 24.0) - start for start, end in spans))
    on = used * device.number("duty")
    return float(on * device.running_a + max(0.0, 24.0 - on) * device.number("standby_a"))


def source_kind(device: ResolvedDevice) -> str:
    """What drives a charger."""
    if "wind" in device.preset.traits:
        return "wind"
    if device.preset.needs_engine:
        return "engine"
    return "solar" if device.number("panel_w") > 0.0 and device.preset.is_source else "shore"


def vehicle_of(seen: WiringAnalysis, *, use: Use, latitude: float | None) -> Vehicle:
    """A rig with its drawing as the simulation sees it.

    Raises:
        Refused: naming each charger that cannot be (float above absorption) by its device.
    """
    bank, chemistry = seen.bank, seen.chemistry
    shares: dict[str, float] = {}
    unsure = []
    for device in seen.devices:
        share = seen.shares.get(device.id)
        if share is None or (share.expected == 0.0 and f"{device.id}.plus" in seen.network.joined):
            continue  # on another battery
        shares[device.id] = 1.0 if math.isnan(share.value) else share.value
        if math.isnan(share.value):
            unsure.append(device.device.name)
    gives = {
        device.id: device.gives_a
        for device in seen.devices
        if device.gives and device.id in shares and device.gives_a > 0.0
    }
    drops = device_drops(seen.network, bank, gives, seen.devices)
    sources = tuple(
        _source(
            device,
            bank,
            chemistry,
            abs(drops[device.id]) / gives[device.id] if drops.get(device.id) else None,
            shares[device.id],
        )
        for device in seen.devices
        if device.id in gives
    )
    wrong = {
        f"devices.{[device.id for device in seen.devices].index(source.drawn.id)}.float_v": impossible(source)
        for source in sources
        if source.float_v > source.absorption_v + 1e-9
    }
    if wrong:
        raise InvalidInput(wrong)
    loads = tuple(
        device
        for device in seen.devices
        if device.takes and device.id in shares and not device.preset.is_link
    )
    capacity = bank.capacity(chemistry).capacity_ah
    return Vehicle(
        bank,
        chemistry,
        capacity,
        loads,
        shares,
        sources,
        use,
        USUAL_LATITUDE if latitude is None else latitude,
        tuple(unsure),
    )


def impossible(source: Source) -> str:
    """What is wrong with a charger whose float lies above its absorption."""
    return (
        f"{source.name}: float {source.float_v:g} V lies above absorption {source.absorption_v:g} V, "
        "which no charger does; "
        "correct one of them at Survey."
    )


def _source(
    device: ResolvedDevice, bank: Bank, chemistry: Chemistry, ohm: float | None, share: float
) -> Source:
    cells = bank.cells
    guessed = "absorption_v" in device.assumed or device.figures["absorption_v"] is None
    absorption = (
        0.5 * (chemistry.absorption_low_v + chemistry.absorption_high_v) * cells
        if guessed
        else device.number("absorption_v")
    )
    floats = "float_v" in device.assumed or device.figures["float_v"] is None
    floating = (
        0.5 * (chemistry.float_low_v + chemistry.float_high_v) * cells if floats else device.number("float_v")
    )
    if floats:
        floating = min(floating, absorption)
    if guessed and not floats:
        absorption = max(absorption, floating)
    if "no_float" in device.preset.traits and guessed and floats:
        # A plain regulator holds one voltage for as long as the engine runs.
        absorption = floating = device.number("float_v") or absorption
    stated_slope = "slope_mv_c" not in device.assumed and device.figures["slope_mv_c"] is not None
    slope = device.number("slope_mv_c") * cells / 1000.0 if chemistry.is_lead or stated_slope else 0.0
    return Source(
        device,
        source_kind(device),
        absorption,
        floating,
        guessed or floats,
        device.number("absorption_h") * 3600.0,
        device.number("end_a"),
        device.gives_a,
        device.number("panel_w"),
        slope,
        USUAL_CABLE_OHM * cells / chemistry.cells_12v if ohm is None else ohm,
        share,
    )
