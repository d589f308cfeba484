"""Nouns by their number, as sentences need them."""

from __future__ import annotations


def count_of(number: int, noun: str) -> str:
    """ "1 thing", "2 things": for nouns that only take an s."""
    return f"{number} {noun}{'' if number == 1 else 's'}"


def listed(parts: list[str]) -> str:
    """ "a, b and c"."""
    return parts[0] if len(parts) == 1 else f"{', '.join(parts[:-1])} and {parts[-1]}" if parts else ""
