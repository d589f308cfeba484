"""Changes at random: whatever is pressed, cables end on studs, the network is solved, the board is drawn."""

import math
import random
import unittest

from tests.core.path.rigs import analysed, bank, device, sound
from volnik.core.path.edits import ChangeRefused, Drawing, apply
from volnik.core.path.fitted import fitted
from volnik.core.path.judgement import judge, mending
from volnik.core.rig.wiring import Wiring
from volnik.core.shelf.parts import starting_catalogue
from volnik.core.shelf.presets import PRESETS
from volnik.drawings.path import draw_board

SHELF = starting_catalogue()


def some_change(rng, drawing):
    """A change that may or may not be meant."""
    cables = [cable.id for cable in drawing.wiring.cables] or ["none"]
    studs = list(drawing.studs)
    kinds = [
        lambda: {
            "op": "move_end",
            "cable": rng.choice(cables),
            "end": rng.choice("ab"),
            "to": rng.choice(studs),
        },
        lambda: {
            "op": "add_cable",
            "a": rng.choice(studs),
            "b": rng.choice(studs),
            "size": rng.choice(["", "16 mm²", "2/0 AWG"]),
        },
        lambda: {"op": "remove_cable", "cable": rng.choice(cables)},
        lambda: {
            "op": "add_bar",
            "kind": rng.choice(["busbar", "post", "chassis", "hull"]),
            "pole": rng.choice(["plus", "minus"]),
            "feed": rng.choice([None, *studs]),
        },
        lambda: {"op": "remove_bar", "bar": rng.choice([bar.id for bar in drawing.wiring.bars] or ["none"])},
        lambda: {"op": "add_isolator", "cable": rng.choice(cables)},
        lambda: {
            "op": "remove_isolator",
            "isolator": rng.choice([iso.id for iso in drawing.wiring.isolators] or ["none"]),
        },
        lambda: {"op": "turn_shunt"},
        lambda: {"op": "set_shunt", "shunt": rng.choice([None, {"amps": 300, "mv": 50}])},
        lambda: {"op": "set_auxiliary", "use": rng.choice(["none", "temperature", "starter", "midpoint"])},
        lambda: {"op": "set_fuse", "cable": rng.choice(cables), "fuse": rng.choice([None, {"amps": 20}])},
        lambda: {
            "op": "set_cable",
            "cable": rng.choice(cables),
            "size": rng.choice(["", "6 mm²"]),
            "length_m": rng.choice([None, 1.5]),
        },
        lambda: {"op": "place_block", "block": "A1", "column": rng.randint(0, 3), "row": rng.randint(0, 3)},
    ]
    return rng.choice(kinds)()


class AtRandom(unittest.TestCase):
    def test_no_sequence_of_changes_leaves_a_loose_end_or_cannot_be_solved_and_drawn(self):
        kinds = [
            "load",
            "solar",
            "dcdc",
            "starter",
            "inverter",
            "cranking",
            "trickle",
            "combine",
            "second_bank",
            "bilge",
        ]
        kept = refused = 0
        for seed in range(25):
            rng = random.Random(seed)
            devices = [
                device(
                    f"d{at}",
                    rng.choice(kinds),
                    **({"current_a": 2.0} if rng.random() < 0.3 else {"note": "x"}),
                )
                for at in range(rng.randint(1, 7))
            ]
            drawing = sound(
                devices, bank(rng.choice(["agm", "lfp"]), rng.choice([1, 2, 4]), rng.choice([1, 2, 3]))
            )
            for _ in range(25):
                try:
                    drawing = Drawing(
                        drawing.bank,
                        drawing.devices,
                        drawing.presets,
                        apply(drawing, [some_change(rng, drawing)]),
                    )
                    kept += 1
                except ChangeRefused as wrong:
                    refused += 1
                    self.assertTrue(all(message.strip() for message in wrong.problems.values()))
                    continue
                self.assertEqual(
                    {end for cable in drawing.wiring.cables for end in (cable.a, cable.b)}
                    - set(drawing.studs),
                    set(),
                )
                looked = analysed(drawing)
                for finding in judge(looked):
                    try:
                        apply(drawing, mending(finding, looked, SHELF))
                    except ChangeRefused as wrong:
                        self.fail(
                            f"{finding.id} {finding.message} {mending(finding, looked, SHELF)}: {wrong}"
                        )
                for share in looked.shares.values():
                    self.assertTrue(math.isnan(share.value) == bool(share.missing_reason))
                board = draw_board(looked, positives=rng.random() < 0.8)
                self.assertTrue(
                    all(math.isfinite(place) for target in board.targets for place in (target.x, target.y))
                )
                body = drawing.wiring.model_dump(mode="json", exclude_defaults=True)
                self.assertEqual(Wiring.model_validate(body), drawing.wiring)
                self.assertEqual(
                    fitted(drawing.wiring, drawing.bank, drawing.devices, PRESETS), drawing.wiring
                )
        self.assertGreater(kept, 200)
        self.assertGreater(refused, 50)
