"""Nouns by their number, as sentences need them."""

from __future__ import annotations


def count_of(number: int, noun: str) -> str:
    """ "1 thing", "2 things", "2 batteries": for nouns that take an s, or whose y becomes ies."""
    if number == 1:
        return f"1 {noun}"
    many = f"{noun[:-1]}ies" if noun.endswith("y") and noun[-2:-1] not in "aeiou" else f"{noun}s"
    return f"{number} {many}"


def listed(parts: list[str]) -> str:
    """ "a, b and c"."""
    return parts[0] if len(parts) == 1 else f"{', '.join(parts[:-1])} and {parts[-1]}" if parts else ""
