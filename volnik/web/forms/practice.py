"""What stands in the address of a case: the moves made, one more, or a conclusion."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class PracticeAsked(BaseModel):
    """As it was sent; what the rig has none of is left out by whoever reads it."""

    model_config = ConfigDict(frozen=True)

    taken: str = ""
    look: str = ""
    answer: str = ""
    also: str = ""

    @property
    def moves(self) -> str:
        """All moves, the new one last."""
        return f"{self.taken},{self.look}"

    @property
    def concluded(self) -> str:
        """What was concluded, as of `named`: one thing, or two joined by "+"."""
        some = [one[:80] for one in (self.answer, self.also) if one]
        return "+".join(sorted(some))
