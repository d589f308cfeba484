"""Real disks that are too small or cannot be written; where none can be mounted, the trial is skipped."""

import subprocess
import tempfile
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


def _mount(*words: str) -> None:
    done = subprocess.run(["mount", *words], capture_output=True, text=True, check=False)
    if done.returncode:
        raise unittest.SkipTest(f"nothing can be mounted here: {done.stderr.strip()}")


def _unmount(folder: Path) -> None:
    subprocess.run(["umount", "--lazy", str(folder)], check=False, capture_output=True)


@contextmanager
def small_disk(size: int) -> Iterator[Path]:
    """A disk of so many bytes, in memory."""
    with tempfile.TemporaryDirectory() as folder:
        _mount("-t", "tmpfs", "-o", f"size={size}", "tmpfs", folder)
        try:
            yield Path(folder)
        finally:
            _unmount(Path(folder))


def enlarge(disk: Path, size: int) -> None:
    """Give a disk of `small_disk` more room."""
    _mount("-o", f"remount,size={size}", str(disk))


@contextmanager
def read_only(folder: Path) -> Iterator[Path]:
    """The same folder, where nothing can be written."""
    with tempfile.TemporaryDirectory() as seen:
        _mount("--bind", str(folder), seen)
        try:
            _mount("-o", "remount,bind,ro", seen)
            yield Path(seen)
        finally:
            _unmount(Path(seen))
