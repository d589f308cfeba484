"""The one form in which input is refused."""

from __future__ import annotations


class InvalidInput(ValueError):
    """Input that cannot be used. `problems` maps each field to a sentence saying what to do about it."""

    def __init__(self, problems: dict[str, str]) -> None:
        self.problems = problems
        super().__init__(" ".join(f"{field}: {sentence}" for field, sentence in problems.items()))


class NotWritten(Exception):
    """A change could not be written because of the disk; the sentence says so and what to do."""
