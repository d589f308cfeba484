"""Load cases: which devices run at once, what the wires then lose, and how the blocks share."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from volnik.core.path.network import Flow, Network, injection, lacking, potentials, solve
from volnik.core.path.studs import block_names
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Drawn

CASES = {"one": "one device", "together": "all that run together", "chargers": "all chargers"}


@dataclass(frozen=True, slots=True)
class LoadCase:
    """A load case solved.

    Attributes:
        name: a key of CASES. amps: of each device in it [A], magnitude.
        flow: what every conductor carries.
    """

    name: str
    amps: dict[str, float]
    flow: Flow


def case_amps(name: str, devices: list[Drawn], device: str | None = None) -> dict[str, float]:
    """Amps of each device in a case [A], load or source as its role says; "one" takes the device given."""
    if name == "one":
        one = next((one for one in devices if one.id == device), None)
        return (
            {} if one is None or one.preset.role == "battery" else {one.id: one.running_a if one.takes else one.gives_a}
        )
    if name == "chargers":
        return {one.id: one.gives_a for one in devices if one.gives}
    return {one.id: one.running_a for one in devices if one.takes and one.figures["together"] is not False}


def solve_case(network: Network, devices: list[Drawn], name: str, device: str | None = None) -> LoadCase:
    """A load case solved; devices whose current has no way round are left out."""
    amps = case_amps(name, devices, device)
    put_in: dict[str, float] = defaultdict(float)
    run = {}
    for one in devices:
        if not amps.get(one.id) or lacking(network, one):
            continue
        sign = -1.0 if name == "chargers" and one.preset.role == "both" else 1.0
        for stud, share in injection(one).items():
            put_in[stud] += sign * share * amps[one.id]
        run[one.id] = amps[one.id]
    return LoadCase(name, run, solve(network, dict(put_in)))


def string_shares(bank: Bank, flow: Flow) -> list[float]:
    """Each string's part of the bank's current, 0..1; empty where no current flows or there is one string."""
    if bank.parallel < 2:
        return []
    amps = [flow.amps[f"block:{row[0]}"] for row in block_names(bank)]
    total = sum(amps)
    return [] if abs(total) < 1e-9 else [one / total for one in amps]


def spread(shares: list[float]) -> float:
    """How unlike strings work: (most - least) over an even share."""
    return 0.0 if not shares else (max(shares) - min(shares)) * len(shares)


def device_drop(network: Network, bank: Bank, one: Drawn, amps: float) -> float:
    """Volts lost on the way out and back for one device alone [V], measured to the bank's posts: their sag is not the cables'."""
    if lacking(network, one) or one.preset.role == "link":
        return 0.0
    x = potentials(network, {stud: share * amps for stud, share in injection(one).items()})
    rows = block_names(bank)
    at = network.at
    at_device = x[at[f"{one.id}.minus"]] - x[at[f"{one.id}.plus"]]
    at_bank = x[at[f"{rows[-1][-1]}.minus"]] - x[at[f"{rows[0][0]}.plus"]]
    return float(abs(at_device - at_bank))
