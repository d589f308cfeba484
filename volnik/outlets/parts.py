"""The parts and tools list, and other tables of text, as CSV."""

from __future__ import annotations

import csv
import io

from volnik.core.path.work import MaterialLine


def parts_csv(parts: list[MaterialLine]) -> str:
    """Parts and tools as CSV with a line of headings; a cell never begins like a formula."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["kind", "what", "amount", "unit", "for"])
    for part in parts:
        writer.writerow(
            [
                "tool" if part.tool else "part",
                _safe(part.what),
                f"{part.amount:g}",
                part.unit,
                _safe(part.use),
            ]
        )
    return out.getvalue()


def table_csv(headings: list[str], rows: list[list[str]]) -> str:
    """A table of text as CSV; a cell never begins like a formula."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(headings)
    writer.writerows([_safe(cell) for cell in row] for row in rows)
    return out.getvalue()


def _safe(text: str) -> str:
    return f"'{text}" if text[:1] in "=+-@\t\r" else text
