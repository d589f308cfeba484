"""Load cases: which devices run at once, what the wires then lose, and how the blocks share."""

from __future__ import annotations

import math
from collections import defaultdict
from dataclasses import dataclass

import numpy as np

from volnik.core.path.network import Flow, Network, potentials, solve
from volnik.core.path.reduction import Floats
from volnik.core.path.shares import injection, lacking, put_in
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.studs import block_names

CASES = {
    "one": "one device",
    "together": "all that run together",
    "chargers": "all chargers that can run at once",
}
OFTEN = 0.3  # share of its time from which a load is counted as always on; source: estimate
RUN_S = {"thruster": 180.0, "windlass": 300.0}  # longest runs to start from; source: trade practice
WARM_MIN = (
    0.9  # minutes in which 1 mm² warms up to 63 %, times mm² to the power below; source: trade practice
)
WARM_POWER = 0.62


@dataclass(frozen=True, slots=True)
class LoadCase:
    """A load case solved.

    Attributes:
        name: a key of CASES.
        amps: of each device in it [A], magnitude.
        flow: what every conductor carries.
    """

    name: str
    amps: dict[str, float]
    flow: Flow


def case_amps(name: str, devices: list[ResolvedDevice], device: str | None = None) -> dict[str, float]:
    """Amps of each device in a case [A], load or source as its role says; "one" takes the device given.

    Args:
        name: of the case: together, chargers, one.
        devices: of the rig.
    """
    if name == "one":
        alone = (item for item in devices if item.id == device and not item.preset.is_battery)
        return {item.id: _own_a(item) for item in alone}
    if name == "chargers":
        return {source.id: source.gives_a for source in charging_mixes(devices)[0]}
    together = (load for load in devices if load.takes and load.figures["together"] is not False)
    return {load.id: load.running_a for load in together}


def _own_a(item: ResolvedDevice) -> float:
    return item.running_a if item.takes else item.gives_a


def charging_mixes(devices: list[ResolvedDevice]) -> list[list[ResolvedDevice]]:
    """What may charge at once, most amps first: nobody drives on a shore cable.

    Args:
        devices: of the rig.
    """
    given = [item for item in devices if item.gives]
    driving = [item for item in given if "shore" not in item.preset.traits]
    moored = [item for item in given if not item.preset.needs_engine]
    mixes = [driving] if len(driving) == len(moored) == len(given) else [driving, moored]
    return sorted(mixes, key=lambda mix: -sum(item.gives_a for item in mix))


def case_currents(
    network: Network, devices: list[ResolvedDevice], name: str, device: str | None = None
) -> tuple[dict[str, float], dict[str, float]]:
    """What a case puts into the studs [A], and the amps of the devices in it.

    Those whose current has no way round are left out.

    Args:
        network: of the drawing.
        name: of the case: together, chargers, one.
    """
    amps = case_amps(name, devices, device)
    put_in: dict[str, float] = defaultdict(float)
    run = {}
    for item in devices:
        if not amps.get(item.id) or lacking(network, item):
            continue
        sign = -1.0 if name == "chargers" and item.preset.role == "both" else 1.0
        for stud, share in injection(item).items():
            put_in[stud] += sign * share * amps[item.id]
        run[item.id] = amps[item.id]
    return dict(put_in), run


def always_on(devices: list[ResolvedDevice]) -> list[ResolvedDevice]:
    """The loads that run whatever else does: often on, and with others.

    Args:
        devices: of the rig.
    """
    return [
        item
        for item in devices
        if item.takes and item.figures["together"] is not False and item.number("duty") >= OFTEN
    ]


def occasional(devices: list[ResolvedDevice]) -> list[ResolvedDevice]:
    """The loads that run alone: windlass, thruster, starter, whatever was said to.

    Args:
        devices: of the rig.
    """
    return [
        item
        for item in devices
        if item.takes and item.figures["together"] is False and not item.preset.joins_positives
    ]


def longest_run_s(device: ResolvedDevice) -> float:
    """The longest run of a load at a stretch [s]: as stated, or usual of its kind; inf without end.

    Args:
        device: the load.
    """
    if device.device.run_s is not None:
        return device.device.run_s
    return RUN_S.get(device.preset.key, math.inf)


def warming(run_s: float, mm2: float) -> float:
    """What a run heats a cable like, as a share of the same current for good, 0..1.

    sqrt(1 - exp(-t / tau)), tau about 0.9 mm^2^0.62 minutes: heat stored in the copper (law), tau by trade
    practice.

    Args:
        run_s: length of the run [s].
        mm2: cross-section [mm²].
    """
    if math.isinf(run_s):
        return 1.0
    tau_s = 60.0 * WARM_MIN * mm2**WARM_POWER
    return math.sqrt(1.0 - math.exp(-run_s / tau_s))


@dataclass(frozen=True, slots=True)
class Run:
    """One occasional load with what is always on.

    Attributes:
        device: which.
        alone: amps of each edge that are this load's [A], signed.
        beside: amps of each edge that are always on [A], signed.
        run_s: its longest run [s].
    """

    device: ResolvedDevice
    alone: Floats
    beside: Floats
    run_s: float


def occasional_runs(network: Network, devices: list[ResolvedDevice]) -> list[Run]:
    """Each heavy occasional load alone with what is always on, solved at once.

    Args:
        network: of the drawing.
        devices: of the rig.
    """
    loads = [item for item in occasional(devices) if not lacking(network, item)]
    if not loads:
        return []
    often = [item for item in always_on(devices) if not lacking(network, item)]
    matrix = put_in(network, [*loads, *often])
    x = network.core.potentials(matrix)
    amps = (x[network.a] - x[network.b]) / network.ohm[:, None]
    beside = amps[:, len(loads) :] @ np.array([item.running_a for item in often])
    return [
        Run(item, amps[:, column] * item.running_a, beside, longest_run_s(item))
        for column, item in enumerate(loads)
    ]


def solve_charging(network: Network, devices: list[ResolvedDevice]) -> list[LoadCase]:
    """Each mix of chargers at its most, the largest first.

    Args:
        network: of the drawing.
        devices: of the rig.
    """
    return [
        solve_case(network, [item for item in devices if not item.gives or item in mix], "chargers")
        for mix in charging_mixes(devices)
    ]


def solve_case(
    network: Network, devices: list[ResolvedDevice], name: str, device: str | None = None
) -> LoadCase:
    """A load case solved.

    Args:
        network: of the drawing.
        devices: of the rig.
        name: of the case: together, chargers, one.
        device: the picked device, or None.
    """
    put_in, run = case_currents(network, devices, name, device)
    return LoadCase(name, run, solve(network, put_in))


def string_shares_of(bank: Bank, network: Network, devices: list[ResolvedDevice], name: str) -> list[float]:
    """Each string's part of the bank's current in a case, as `string_shares`, without the rest of the
    network's flow.

    Args:
        devices: of the rig.
        name: of the case: together, chargers, one.
    """
    x = potentials(network, case_currents(network, devices, name)[0])
    amps = []
    for row in block_names(bank):
        plus, minus, ohm = network.batteries[row[0]]
        amps.append(float(x[network.at[minus]] - x[network.at[plus]]) / ohm)
    return _parts(amps)


def string_shares(bank: Bank, flow: Flow) -> list[float]:
    """Each string's part of the bank's current, 0..1; empty where no current flows or there is one string."""
    if bank.parallel < 2:
        return []
    amps = [flow.amps[f"block:{row[0]}"] for row in block_names(bank)]
    return _parts(amps)


def _parts(amps: list[float]) -> list[float]:
    total = sum(amps)
    return [] if abs(total) < 1e-9 else [amps_value / total for amps_value in amps]


def spread(shares: list[float]) -> float:
    """How unlike strings work: (most - least) over an even share.

    Args:
        shares: of each string, 0..1.
    """
    return 0.0 if not shares else (max(shares) - min(shares)) * len(shares)


def device_drops(
    network: Network, bank: Bank, amps: dict[str, float], devices: list[ResolvedDevice]
) -> dict[str, float]:
    """Volts lost out and back for each device alone [V], measured to the bank's posts.

    Their sag is not the cables'.

    Args:
        amps: of each device to be looked at [A].
        network: of the drawing.
        devices: of the rig.
    """
    alone = [
        device
        for device in devices
        if amps.get(device.id)
        and not (device.preset.is_link or device.preset.is_battery)
        and not lacking(network, device)
    ]
    if not alone:
        return {}
    x = network.core.potentials(put_in(network, alone))
    rows, at = block_names(bank), network.at
    at_bank = x[at[f"{rows[-1][-1]}.minus"]] - x[at[f"{rows[0][0]}.plus"]]
    return {
        device.id: abs(
            float(x[at[f"{device.id}.minus"], column] - x[at[f"{device.id}.plus"], column] - at_bank[column])
        )
        * amps[device.id]
        for column, device in enumerate(alone)
    }


def loop_ohms(network: Network, devices: list[ResolvedDevice]) -> dict[str, float]:
    """Resistance of each device's whole way round, the battery among it [ohm].

    Args:
        network: of the drawing.
        devices: that have a way round.
    """
    if not devices:
        return {}
    x = network.core.potentials(put_in(network, devices))
    found = {}
    for column, device in enumerate(devices):
        minus, plus = (network.at[f"{device.id}.{end}"] for end in ("minus", "plus"))
        found[device.id] = abs(float(x[minus, column] - x[plus, column]))
    return found
