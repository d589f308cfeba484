"""A rig as the simulation sees it.

Its bank, its devices with what of each the shunt sees, its chargers' real volts.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from volnik.core.errors import InvalidInput
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.cases import device_drops
from volnik.core.path.links import link_drops
from volnik.core.path.sensing import sense_ohm
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.use import Use
from volnik.core.shelf.cells import BankModel, Protection, bank_model
from volnik.core.shelf.chemistries import Chemistry

USUAL_LATITUDE = 48.0  # where nobody said: neither the best sun nor the worst
USUAL_CABLE_OHM = 0.004  # charger to bank and back where no length is known, 12 V; source: estimate


@dataclass(frozen=True, slots=True)
class Source:
    """One charger of the rig, whole.

    Attributes:
        drawn: the device.
        kind: solar, engine, shore or wind, what drives it.
        absorption_v, float_v: as set, at 25 °C, less what diodes and dividers on the way take off [V].
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
        """Volts it really brings to the bank at a temperature and its own current [V].

        Args:
            celsius: of the bank [°C].
            amps: positive charging [A].
            floating: whether it is on float.
        """
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
        sense_ohm: volts its monitor reads above the bank's own for each amp of charge [ohm].
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
    sense_ohm: float = 0.0

    @property
    def per_12v(self) -> float:
        """Volts of this bank over those of a 12 V bank."""
        return self.bank.cells / self.chemistry.cells_12v

    def bank_model(self, *, aged: bool = False) -> BankModel:
        """Its bank to be run, with the cut-offs of its own protection.

        Args:
            aged: whether it is worn.
        """
        bank = self.bank
        return bank_model(
            bank.chemistry,
            capacity_ah=self.capacity_ah,
            cells=bank.cells,
            aged=aged,
            protection=Protection(bank.cell_low_v, bank.cell_high_v, bank.cut_out_pct, bank.charge_cold_c),
        )

    @property
    def loads_a_day(self) -> float:
        """What all loads draw in a day by the Survey [Ah]."""
        return float(sum(ah_a_day(device) for device in self.loads))


def in_use_h(device: ResolvedDevice) -> float:
    """Hours of the day in which a device is in use, of which it runs its share [h]."""
    spans = device.windows or ((0.0, 24.0),)
    return float(min(24.0, sum((end if end > start else end + 24.0) - start for start, end in spans)))


def ah_a_day(device: ResolvedDevice) -> float:
    """What a device draws in a day: duty over its hours, standby over the rest [Ah]."""
    on = in_use_h(device) * device.number("duty")
    return float(on * device.usual_a + max(0.0, 24.0 - on) * device.number("standby_a"))


def source_kind(device: ResolvedDevice) -> str:
    """What drives a charger.

    Args:
        device: with its figures filled in.
    """
    if "wind" in device.preset.traits:
        return "wind"
    if device.preset.needs_engine:
        return "engine"
    return "solar" if device.number("panel_w") > 0.0 and device.preset.is_source else "shore"


def vehicle_of(analysis: WiringAnalysis, *, use: Use, latitude: float | None) -> Vehicle:
    """A rig with its drawing as the simulation sees it.

    Args:
        analysis: the drawing.
        use: how the rig is used.
        latitude: degrees north, None takes the usual.

    Raises:
        InvalidInput: naming each charger that cannot be (float above absorption) by its device.
    """
    bank, chemistry = analysis.bank, analysis.chemistry
    stated = _shares_on_bank(analysis)
    # What nobody has drawn yet is taken as counted, and told as such: a plan is made before its drawing.
    shares = {key: 1.0 if math.isnan(value) else value for key, value in stated.items()}
    unsure = tuple(device.name for device in analysis.devices if math.isnan(stated.get(device.id, 0.0)))
    sources = _sources(analysis, shares)
    places = {device.id: place for place, device in enumerate(analysis.devices)}
    wrong = {
        f"devices.{places[source.drawn.id]}.float_v": impossible(source)
        for source in sources
        if source.float_v > source.absorption_v + 1e-9
    }
    if wrong:
        raise InvalidInput(wrong)
    loads = tuple(
        device
        for device in analysis.devices
        if device.takes and device.id in shares and not device.preset.is_link
    )
    return Vehicle(
        bank,
        chemistry,
        bank.capacity(chemistry).capacity_ah,
        loads,
        shares,
        sources,
        use,
        USUAL_LATITUDE if latitude is None else latitude,
        unsure,
        sense_ohm(analysis),
    )


def _shares_on_bank(analysis: WiringAnalysis) -> dict[str, float]:
    """Share of each device whose current is the bank's, NaN where it has no way round yet."""
    found = {}
    for device in analysis.devices:
        share = analysis.shares.get(device.id)
        apart = share is not None and share.expected == 0.0 and f"{device.id}.plus" in analysis.network.joined
        if share is not None and not apart:
            found[device.id] = share.value
    return found


def _sources(analysis: WiringAnalysis, shares: dict[str, float]) -> tuple[Source, ...]:
    """The bank's chargers, each with its cable's resistance from the drawing."""
    given = [
        device for device in analysis.devices if device.gives and device.id in shares and device.gives_a > 0.0
    ]
    drops = device_drops(
        analysis.network, analysis.bank, {device.id: device.gives_a for device in given}, analysis.devices
    )
    lost = link_drops(analysis)
    found = []
    for device in given:
        drop = drops.get(device.id)
        ohm = abs(drop) / device.gives_a if drop else None
        source = _source(device, analysis.bank, analysis.chemistry, ohm, shares[device.id])
        found.append(_behind_links(source, lost.get(device.id, 0.0)))
    return tuple(found)


def _behind_links(source: Source, lost_v: float) -> Source:
    """A charger as the bank sees it: a diode or divider takes its volts off whatever it is set to."""
    return replace(source, absorption_v=source.absorption_v - lost_v, float_v=source.float_v - lost_v)


def impossible(source: Source) -> str:
    """What is wrong with a charger whose float lies above its absorption.

    Args:
        source: the charger.
    """
    return (
        f"{source.name}: float {source.float_v:g} V lies above absorption {source.absorption_v:g} V, "
        "which no charger does; "
        "correct one of them at Survey."
    )


def _source(
    device: ResolvedDevice, bank: Bank, chemistry: Chemistry, ohm: float | None, share: float
) -> Source:
    cells = bank.cells
    absorption, floating, guessed = _charging_volts(device, chemistry, cells)
    stated_slope = device.states("slope_mv_c")
    slope = device.number("slope_mv_c") * cells / 1000.0 if chemistry.is_lead or stated_slope else 0.0
    return Source(
        device,
        source_kind(device),
        absorption,
        floating,
        guessed,
        device.number("absorption_h") * 3600.0,
        device.number("end_a"),
        device.gives_a,
        device.number("panel_w"),
        slope,
        USUAL_CABLE_OHM * cells / chemistry.cells_12v if ohm is None else ohm,
        share,
    )


def _charging_volts(device: ResolvedDevice, chemistry: Chemistry, cells: int) -> tuple[float, float, bool]:
    """Absorption and float of a charger [V], and whether one of them is only the chemistry's usual."""
    knows_absorption, knows_float = device.states("absorption_v"), device.states("float_v")
    absorption = 0.5 * (chemistry.absorption_low_v + chemistry.absorption_high_v) * cells
    floating = 0.5 * (chemistry.float_low_v + chemistry.float_high_v) * cells
    if knows_absorption:
        absorption = device.number("absorption_v")
    if knows_float:
        floating = device.number("float_v")
    if not knows_float:
        floating = min(floating, absorption)
    elif not knows_absorption:
        absorption = max(absorption, floating)
    if "no_float" in device.preset.traits and not knows_absorption and not knows_float:
        # A plain regulator holds one voltage for as long as the engine runs.
        absorption = floating = device.number("float_v") or absorption
    return absorption, floating, not (knows_absorption and knows_float)
