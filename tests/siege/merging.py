"""An archive taken in, in a process of its own that is killed at a step: `python -m … FOLDER STEP`."""

import sys
from pathlib import Path

from tests.siege.killing import arm
from tests.siege.kills import shop
from volnik.services.yard import archive


def main(folder: Path, step: int) -> None:
    """Take `rig.zip` in beside the folder's shop."""
    with shop(folder / "shop") as context, (folder / "rig.zip").open("rb") as file:
        arm(step)
        archive.take_in(context, file, {})


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
