"""What holds for the steps of any rig: nothing live is joined, and what comes out goes back in, once."""

import random
import unittest
from collections import Counter

from tests.core.path.test_sound_rigs import NAMES, document
from volnik.core.path.analysis import analyse, analyse_with
from volnik.core.path.edits import ChangeRefused, Drawing, apply
from volnik.core.path.fitted import fitted
from volnik.core.path.protection.cut import main_cut_of
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.presets import PRESETS
from volnik.core.wireup.plan import steps_for
from volnik.core.wireup.power_up import CLOSING
from volnik.core.wireup.switching import Switches, Switching


def looked_at(name):
    """A sound rig, solved."""
    read = document(name)
    bank, devices = read.the_bank(), read.devices
    wiring = fitted(read.wiring.planned, bank, devices, PRESETS)
    return analyse(bank, CHEMISTRIES[bank.chemistry], devices, wiring, monitor=read.monitor, presets=PRESETS)


def drawing_of(analysis, wiring=None):
    """Its drawing, to be changed."""
    devices = tuple(one.device for one in analysis.devices)
    return Drawing(analysis.bank, devices, PRESETS, wiring or analysis.wiring)


def spoiled(dice, analysis):
    """The same rig as it may have been found: negatives on the post, fuses missing, changed or elsewhere."""
    wiring = analysis.wiring
    for _ in range(dice.randrange(1, 4)):
        cable = dice.choice(wiring.cables)
        op = dice.choice(
            (
                {"op": "move_end", "cable": cable.id, "end": "b", "to": analysis.posts[0]},
                {"op": "set_fuse", "cable": cable.id, "fuse": None},
                {"op": "set_fuse", "cable": cable.id, "fuse": {"amps": 30}},
                {"op": "set_cable", "cable": cable.id, "size": "10 mm²", "length_m": 2},
                {"op": "add_isolator", "cable": cable.id, "name": "Switch"},
                {"op": "set_shunt"},
            )
        )
        try:
            wiring = apply(drawing_of(analysis, wiring), [op])
        except ChangeRefused:
            continue
    return analyse_with(analysis, wiring)


def jobs(count=60):
    """So many jobs: what stands, what is planned, the school of the last joints."""
    dice = random.Random(5)
    for _ in range(count):
        planned = looked_at(dice.choice(NAMES))
        yield spoiled(dice, planned), planned, dice.choice(CLOSING).key


class AnyRig(unittest.TestCase):
    def test_what_is_taken_out_is_put_back_by_its_own_name_exactly_once(self):
        for stands, planned, school in jobs():
            steps = steps_for(stands, planned, school=school)
            if not steps:
                continue
            out = Counter(act.of for step in steps for act in step.acts if act.verb == "out")
            back = Counter(act.of for step in steps for act in step.acts if act.verb == "in")
            fuses = Switches(planned).every
            leads = {cable.id for cable in planned.wiring.cables if cable.a.of_monitor and cable.fuse}
            new = {one.id for one in Switching(Switches(stands), Switches(planned)).branches}
            with self.subTest(rig=planned.devices[0].name, school=school):
                self.assertEqual(max((*out.values(), *back.values())), 1)
                self.assertEqual(set(back), ((set(out) | new) & set(fuses)) | leads | self._gates(planned))
                opened = [act.of for step in steps for act in step.acts if act.verb == "open"]
                closed = [act.of for step in steps for act in step.acts if act.verb == "close"]
                self.assertEqual(set(closed), {one.id for one in planned.wiring.isolators})
                self.assertEqual(len(set(opened)), len(opened))

    def _gates(self, planned):
        switches = Switches(planned)
        gates = {gate.fuse.id for gate in switches.gates if gate.fuse}
        others = {one.id for other in switches.others for one in other.fuses}
        return gates | {one.id for one in switches.main.fuses} | others

    def test_nothing_is_lifted_or_landed_while_a_main_fuse_is_in(self):
        for stands, planned, school in jobs():
            steps = steps_for(stands, planned, school=school)
            before = {one.id for one in main_cut_of(stands).fuses}
            after = {one.id for one in main_cut_of(planned).fuses}
            live = set(before)
            for step in steps:
                touched = [act for act in step.acts if act.verb in ("lift", "land")]
                posts = [
                    act for act in touched if step.key not in ("others_on",) and "other_off" not in step.key
                ]
                with self.subTest(step=step.key, school=school):
                    self.assertFalse(posts and live)
                live -= {act.of for act in step.acts if act.verb == "out"}
                live |= {act.of for act in step.acts if act.verb == "in" and act.of in after}

    def test_the_monitor_goes_dark_once_noted_and_wakes_before_anything_is_live(self):
        for stands, planned, school in jobs():
            steps = steps_for(stands, planned, school=school)
            keys = [step.key for step in steps]
            if not keys:
                continue
            with self.subTest(rig=planned.devices[0].name, school=school):
                if stands.supply_lead is not None:
                    self.assertLess(keys.index("sense_out"), keys.index("main_off"))
                last_joint = max(at for at, key in enumerate(keys) if key.startswith("joint:"))
                woken = keys.index("sense_fuse")
                first_in = min(at for at, key in enumerate(keys) if key.startswith("fuse_in:"))
                self.assertLess(last_joint, woken)
                self.assertEqual(keys[woken + 1], "zero")
                self.assertLess(woken + 1, first_in)
                for at, key in enumerate(keys):
                    if key.startswith("precharge:"):
                        self.assertRegex(keys[at + 1], "^(fuse_in|close):")
                self.assertLess(keys.index("polarity"), keys.index("no_short"))

    def test_the_caution_of_unlike_strings_stands_at_parallel_joints_alone(self):
        for name in NAMES:
            planned = looked_at(name)
            found = analyse_with(
                planned,
                apply(
                    Drawing(
                        planned.bank, tuple(one.device for one in planned.devices), PRESETS, planned.wiring
                    ),
                    [{"op": "set_cable", "cable": "sense", "size": "1 mm²", "length_m": 3}],
                ),
            )
            said = [
                step.key
                for step in steps_for(found, planned)
                if any("hundreds of amps flow" in caution for caution in step.cautions)
            ]
            links = any(c.a.pole == c.b.pole for c in planned.wiring.cables if planned.is_link(c))
            wanted = ["parallel"] if links else ["fuse_in:lead_b"] if name == "two_string_coach" else []
            with self.subTest(name):
                self.assertEqual(said, wanted)
