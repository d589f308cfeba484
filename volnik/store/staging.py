"""A set of files that takes another's place in a data folder: a restored backup, a newer version of the data.

The set is made ready in a folder beside, then a plan is written, then files are renamed. Killed before the
plan stands, nothing has changed; killed after it, the next opening goes on from there. What stood before is
put aside whole and never written over.
"""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path

MAIN, LIVE, SECRET = "volnik.sqlite3", "live.sqlite3", "secret"
# The live file first: what is settled meanwhile is then in both copies, and dropped as a duplicate; the other
# way round it would be in neither.
DATABASES = (LIVE, MAIN)
STAGED, PLAN = "staged.d", "staged.json"


def stage(folder: Path) -> Path:
    """An empty folder to make a set ready in; what an earlier, killed one left is gone."""
    staged = folder / STAGED
    shutil.rmtree(staged, ignore_errors=True)
    staged.mkdir(parents=True)
    return staged


def unstage(folder: Path) -> None:
    """Give up what was made ready."""
    shutil.rmtree(folder / STAGED, ignore_errors=True)


def plan(folder: Path, aside: str) -> None:
    """Say that what is staged is whole and takes the place of what stands; from here on it will.

    Args:
        aside: name of the folder within that what stands is put in.
    """
    files = sorted(path.name for path in (folder / STAGED).iterdir())
    for name in files:  # on the disk before the plan is: a loss of power keeps no order
        with (folder / STAGED / name).open("rb+") as opened:
            os.fsync(opened.fileno())
    half = folder / f"{PLAN}.part"
    with half.open("w", encoding="utf-8") as out:
        json.dump({"aside": aside, "files": files}, out)
        out.flush()
        os.fsync(out.fileno())
    half.replace(folder / PLAN)


def finish(folder: Path) -> Path | None:
    """Put what stands aside and what was staged in its place; again from wherever a kill left it.

    Returns where what stood before now lies, or None when nothing was planned, or nothing stood there.
    """
    planned = folder / PLAN
    if not planned.is_file():
        unstage(folder)
        return None
    found = json.loads(planned.read_text(encoding="utf-8"))
    aside = folder / str(found["aside"])
    aside.mkdir(exist_ok=True)
    for name in (*DATABASES, SECRET):
        staged = folder / STAGED / name
        # While its successor is staged, what stands is the old one; once that is moved, it is the new one.
        if staged.exists() or (name in DATABASES and name not in found["files"]):
            for left in (name, f"{name}-wal", f"{name}-shm"):
                if (folder / left).exists():
                    (folder / left).replace(aside / left)
        if staged.exists():
            staged.replace(folder / name)
    planned.unlink()
    unstage(folder)
    if any(aside.iterdir()):
        return aside
    aside.rmdir()
    return None


def free_name(folder: Path, name: str) -> str:
    """A name of a folder to put things aside in that nothing has yet."""
    taken, number = name, 2
    while (folder / taken).exists():
        taken = f"{name}-{number}"
        number += 1
    return taken
