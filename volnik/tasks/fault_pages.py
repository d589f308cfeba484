"""Writes `docs/faults` from the table of faults."""

from __future__ import annotations

import sys
from pathlib import Path

from volnik.core.practice.faults import as_markdown, contents_as_markdown, faults


def write_pages(folder: Path) -> int:
    """Write a page for each fault and their contents; returns how many.

    Args:
        folder: that they are written into; made where it is not there.
    """
    folder.mkdir(parents=True, exist_ok=True)
    for key in faults():
        (folder / f"{key}.md").write_text(as_markdown(key), encoding="utf-8")
    (folder / "README.md").write_text(contents_as_markdown(), encoding="utf-8")
    return len(faults())


if __name__ == "__main__":
    print(f"{write_pages(Path(sys.argv[1]))} pages written")
