"""The disk the data lies on: what is wrong with it, and which failures of a change it explains."""

from __future__ import annotations

import errno
import os
import shutil
import sqlite3
from pathlib import Path

from sqlalchemy.exc import OperationalError

LEAST_ROOM = 16 << 20  # bytes: with less, what is written next may not be kept
NO_ROOM = 1 << 20  # bytes: with less, nothing is
FULL, LOCKED = {errno.ENOSPC, errno.EDQUOT}, {errno.EROFS, errno.EACCES, errno.EPERM}
FULL_CODES = {sqlite3.SQLITE_FULL}
LOCKED_CODES = {sqlite3.SQLITE_READONLY, sqlite3.SQLITE_CANTOPEN}


def disk_trouble(folder: Path) -> str:
    """What keeps a folder from being written to, in a sentence, or ""."""
    try:
        if os.statvfs(folder).f_flag & os.ST_RDONLY or not os.access(folder, os.W_OK):
            return "The disk cannot be written to: it can be looked at, and nothing is kept."
        free = shutil.disk_usage(folder).free
    except OSError as wrong:
        return f"The disk does not answer ({wrong.strerror}): nothing is kept."
    if free < NO_ROOM:
        return "The disk is full: it can be looked at, and nothing more is kept. Make room."
    if free < LEAST_ROOM:
        return f"The disk is nearly full, {free / 1e6:.0f} MB are free: make room before more is not kept."
    return ""


def why_not_written(wrong: BaseException, folder: Path) -> str:
    """Why a change failed, where the disk is to blame, and what to do; "" where it is not."""
    sentence = disk_trouble(folder)
    if isinstance(wrong, OperationalError):
        code = getattr(wrong.orig, "sqlite_errorcode", 0)
        kind = code & 0xFF
        to_blame = kind in {*FULL_CODES, *LOCKED_CODES} or kind == sqlite3.SQLITE_IOERR
    else:
        to_blame = isinstance(wrong, OSError) and wrong.errno in {*FULL, *LOCKED}
    if not to_blame:
        return ""
    cause = getattr(wrong, "orig", None) or getattr(wrong, "strerror", None) or wrong
    found = sentence or f"The disk could not be written to ({cause})."
    return f"{found} Nothing was changed. Make room, or give the disk back for writing, and send it again."
