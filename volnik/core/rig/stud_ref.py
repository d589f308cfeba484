"""How a stud is named: who owns it and which of the owner's ends it is."""

from __future__ import annotations

from typing import Any

from pydantic import GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema

PATTERN = r"^[A-Za-z0-9_]{1,40}(\.(plus|minus|far|bank|rig|a|b|sense|aux))?$"
MONITOR = "monitor"
SHUNT = "shunt"


class StudRef(str):
    """A stud's name, "owner.pole", or the owner alone for a bar, which is one stud.

    It is kept and sent as plain text, so that drawings stay readable JSON.

    >>> StudRef.of("fridge", "minus").owner
    'fridge'
    """

    __slots__ = ()

    @classmethod
    def of(cls, owner: str, pole: str = "") -> StudRef:
        """The stud of an owner; `pole` is plus, minus, far, bank, rig, a, b, sense, aux, or "" for a bar."""
        return cls(f"{owner}.{pole}" if pole else owner)

    @property
    def owner(self) -> str:
        """The block, device, isolator, bar, shunt or monitor it belongs to."""
        return self.partition(".")[0]

    @property
    def pole(self) -> str:
        """Which end of its owner, "" for a bar."""
        return self.partition(".")[2]

    @property
    def of_monitor(self) -> bool:
        """Whether it is the end of one of the monitor's thin leads."""
        return self.owner == MONITOR

    @property
    def of_shunt(self) -> bool:
        """Whether it sits on the shunt."""
        return self.owner == SHUNT

    @property
    def across(self) -> StudRef:
        """The other stud of an isolator or of the shunt."""
        other = {"a": "b", "b": "a", "bank": "rig", "rig": "bank"}[self.pole]
        return StudRef.of(self.owner, other)

    @classmethod
    def __get_pydantic_core_schema__(cls, _source: Any, _handler: GetCoreSchemaHandler) -> CoreSchema:
        return core_schema.no_info_after_validator_function(cls, core_schema.str_schema(pattern=PATTERN))
