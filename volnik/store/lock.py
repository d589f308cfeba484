"""One server a data folder: a lock that ends with the process that holds it, and a note of who that is."""

from __future__ import annotations

import json
import os
import time
from pathlib import Path

from filelock import FileLock, Timeout

from volnik.store.migrating import StoreRefused

NOTE = "running.json"


class FolderLock:
    """Holds a data folder against a second server, whose changes the first would not see."""

    def __init__(self, folder: Path) -> None:
        """Take the folder.

        Raises:
            StoreRefused: naming who has it, or that it cannot be written.
        """
        self._note = folder / NOTE
        self._lock = FileLock(folder / "volnik.lock", timeout=0)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self._lock.acquire()
        except Timeout:
            raise StoreRefused(
                f"The data folder {folder} is in use: {_holder(self._note)}. Use that one, stop it, "
                "or choose another folder with --data."
            ) from None
        except OSError as wrong:
            raise StoreRefused(
                f"The data folder {folder} cannot be written ({wrong.strerror}). Choose another with --data."
            ) from None
        self.say("")

    def say(self, address: str) -> None:
        """Note who holds the folder.

        Args:
            address: it answers at, "" where at none.
        """
        about = {"pid": os.getpid(), "address": address, "since_s": time.time()}
        self._note.write_text(json.dumps(about), encoding="utf-8")

    def release(self) -> None:
        """Let go of the folder."""
        self._note.unlink(missing_ok=True)
        self._lock.release()


def _holder(note: Path) -> str:
    """Who holds a folder, as far as its note can be read."""
    try:
        found = json.loads(note.read_text(encoding="utf-8"))
        since = time.strftime("%d %b %Y %H:%M", time.localtime(float(found["since_s"])))
        at = f"answers at {found['address']}" if found["address"] else f"works on it (process {found['pid']})"
    except (OSError, ValueError, KeyError, TypeError):
        return "another Volnik works on it"
    return f"another Volnik {at}, since {since}"
