"""Rigs as OpenMetrics text, for whoever collects figures."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from prometheus_client.registry import Collector, CollectorRegistry

CONTENT_TYPE = CONTENT_TYPE_LATEST
GAUGES = (
    ("charge_ratio", "Charge of the battery, 0 to 1.", "soc"),
    ("charge_low_ratio", "Least charge, nine cases of ten.", "low"),
    ("charge_high_ratio", "Greatest charge, nine cases of ten.", "high"),
    ("believed", "Whether the charge may be believed, 1 or 0.", "believed"),
    ("below_full_amperehours", "Ah below full.", "deficit_ah"),
    ("volts", "Volts of the battery.", "volts"),
    ("amps", "Amps of the battery, positive charges.", "amps"),
    ("celsius", "Temperature.", "celsius"),
    ("last_full_timestamp_seconds", "Last full reset.", "last_full_s"),
    ("reading_timestamp_seconds", "Last reading.", "at_s"),
    ("alarms_open", "Alarms open.", "alarms"),
)
COUNTERS = (
    ("taken_out_amperehours", "Ah taken out since the log began.", "out_ah"),
    ("put_in_amperehours", "Ah put in since the log began.", "in_ah"),
    ("full_resets", "Full resets.", "resets"),
)


@dataclass(frozen=True, slots=True)
class RigMetrics:
    """One rig: number, name, figures by key; NaN where not known."""

    rig_id: int
    name: str
    figures: dict[str, float]


class _Rigs(Collector):
    def __init__(self, rigs: Iterable[RigMetrics]) -> None:
        self.rigs = list(rigs)

    def collect(self) -> Iterator[Any]:
        for family, some in ((GaugeMetricFamily, GAUGES), (CounterMetricFamily, COUNTERS)):
            for name, message, key in some:
                made = family(f"volnik_{name}", message, labels=["rig", "name"])
                for rig in self.rigs:
                    value = rig.figures.get(key, math.nan)
                    if not math.isnan(value):
                        made.add_metric([str(rig.rig_id), rig.name], value)
                yield made


def metrics_text(rigs: Iterable[RigMetrics]) -> bytes:
    """The figures of all rigs."""
    registry = CollectorRegistry(auto_describe=False)
    registry.register(_Rigs(rigs))
    return bytes(generate_latest(registry))  # type: ignore[no-untyped-call]
