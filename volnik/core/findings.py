"""The one form in which Volnik gives advice."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

Level = Literal["stop", "fix", "advise"]
LEVELS: tuple[Level, ...] = ("stop", "fix", "advise")


@dataclass(frozen=True, slots=True)
class Finding:
    """Something unwise, never something impossible.

    Attributes:
        id: stable name, documented in docs/findings.md.
        level: stop (do not go on), fix (mend before leaving), advise (worth knowing).
        message: one plain sentence with the figures.
        why: why it matters.
        hint: what to do.
        at: the part of the rig document it is about, such as "bank" or "numbers.capacity_ah".
        remedy: values that would mend it, by key, or none.
        about: ids of the devices, cables, fuses and studs it is about.
        consequences: what follows from the same cause and goes with it, a sentence each.
    """

    id: str
    level: Level
    message: str
    why: str
    hint: str
    at: str
    remedy: dict[str, Any] = field(default_factory=dict)
    about: tuple[str, ...] = ()
    consequences: tuple[str, ...] = ()


def by_weight(findings: list[Finding]) -> list[Finding]:
    """Findings with the gravest first, otherwise in the order found.

    Args:
        findings: in any order.
    """
    return sorted(findings, key=lambda finding: LEVELS.index(finding.level))
