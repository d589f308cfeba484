"""`make siege`: every trial at full length, and the figures of docs/reliability.md."""

import sys
import time
import unittest

from tests.siege import files, fuzz, kills, migration, schema, soak

TRIALS = {
    "killed while data is brought to this version": migration.every_kill,
    "disks too small for bringing data to this version": migration.every_disk,
    "files that unpack to too much": files.every_bomb,
    "killed in an import, a backup, a restore, a merge": kills.every,
    "every route asked oddly": fuzz.every,
    "every route asked by its description": schema.described,
    "memory in eight minutes of use": soak.soak,
}


def main() -> int:
    """Exit code 0 when nothing was lost; words given choose the trials that hold one of them."""
    failed = 0
    for name, trial in TRIALS.items():
        if len(sys.argv) > 1 and not any(word in name for word in sys.argv[1:]):
            continue
        began_s = time.monotonic()
        try:
            outcome = trial()
        except unittest.SkipTest as wrong:
            print(f"{name}: skipped, {wrong}")
            continue
        failed += not outcome.good
        print(
            f"{'good' if outcome.good else 'FAILED'}  {name}: {outcome} ({time.monotonic() - began_s:.0f} s)",
            flush=True,
        )
    return 1 if failed else 0


sys.exit(main())
