"""Joints as they were torqued: a line each, "A1 plus, 12 N·m, 0.8 mV"."""

from __future__ import annotations

import re
from dataclasses import dataclass

from volnik.core.errors import InvalidInput

NEWTON = re.compile(r"(\d{1,3}(?:[.,]\d{1,2})?) ?(?:n[·. ]?m|newton)", re.IGNORECASE)
POUND = re.compile(r"(\d{1,3}(?:[.,]\d{1,2})?) ?(?:ft[·. -]?lbs?|lbf?[·. -]?ft)", re.IGNORECASE)
MILLIVOLT = re.compile(r"(\d{1,4}(?:[.,]\d{1,2})?) ?mv", re.IGNORECASE)
NM_PER_POUND_FOOT = 1.3558
MOST_NM = 60.0  # beyond any stud of a battery; source: bolt tables
MOST_JOINTS = 60


@dataclass(frozen=True, slots=True)
class Joint:
    """One joint: where, torque [N·m] and drop under load [mV], None where it was not measured."""

    where: str
    nm: float | None
    mv: float | None

    @property
    def words(self) -> str:
        """It in a few words."""
        torque = "" if self.nm is None else f" {self.nm:g} N·m"
        drop = "" if self.mv is None else f" {self.mv:g} mV"
        return f"{self.where}{torque}{drop}"


def read_joints(text: str) -> tuple[Joint, ...]:
    """The joints of some lines.

    Args:
        text: a line a joint; empty ones are left out.

    Raises:
        InvalidInput: naming each line at fault.
    """
    problems: dict[str, str] = {}
    found = []
    lines = [line.strip() for line in text.splitlines()[: MOST_JOINTS + 1]]
    for number, line in enumerate(lines, 1):
        if not line:
            continue
        found.append(_joint(line))
        if fault := _fault(found[-1]):
            problems[f"{number}"] = f"Line {number}: {fault}"
    if len(lines) > MOST_JOINTS:
        problems["many"] = f"At most {MOST_JOINTS} joints a visit."
    if problems:
        raise InvalidInput(problems)
    return tuple(found)


def _fault(joint: Joint) -> str:
    """What is wrong with a joint as typed, "" for nothing."""
    if not joint.where:
        return "say where the joint is."
    if joint.nm is None and joint.mv is None:
        return "say the torque, such as 12 N·m, or the drop, such as 0.8 mV."
    if joint.nm is not None and not 0.0 < joint.nm <= MOST_NM:
        return f"{joint.nm:g} N·m fits no stud of a battery."
    return ""


def _joint(line: str) -> Joint:
    newton, pound, drop = NEWTON.search(line), POUND.search(line), MILLIVOLT.search(line)
    nm = None
    if newton:
        nm = _number(newton[1])
    elif pound:
        nm = round(_number(pound[1]) * NM_PER_POUND_FOOT, 1)
    where = line
    for pattern in (NEWTON, POUND, MILLIVOLT):
        where = pattern.sub("", where)
    where = " ".join(where.replace(",", " ").replace(";", " ").replace(":", " ").split())
    return Joint(where[:60], nm, _number(drop[1]) if drop else None)


def _number(text: str) -> float:
    return float(text.replace(",", "."))
