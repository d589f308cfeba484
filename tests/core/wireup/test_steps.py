"""Wire-up: the right steps for what a rig really has, in an order that harms nobody.

Ticks that follow the plan.
"""

import random
import unittest

from tests.core.path.rigs import analysed, bank, cable, device, sound
from volnik.core.path.analysis import analyse_with
from volnik.core.path.edits import Drawing, apply
from volnik.core.shelf.presets import PRESETS
from volnik.core.wireup.plan import steps_for
from volnik.core.wireup.steps import PHASES, Tick, refusal, stand

MESSY = [
    device("fridge", current_a=5.0),
    device("heater", "heater"),
    device("inverter", "inverter", power_w=1500),
    device("solar", "solar", panel_w=300, most_a=20),
    device("mains", "mains", most_a=30),
    device("dcdc", "dcdc", most_a=30),
    device("bilge", "bilge"),
]


def drawings(the_bank=None, devices=MESSY):
    """A rig as found, its heater and solar on the battery post, and as planned, all on the rig side."""
    the_bank = the_bank or bank()
    planned = sound(
        devices,
        the_bank,
        cable("bilge_plus", "bilge.plus", "A1.plus", 1.0, "4 mm²", fuse=10)
        if any(device.id == "bilge" for device in devices)
        else cable("main", "A1.plus", "pb", 0.3, "70 mm²", fuse=200),
    )
    last = f"{chr(64 + the_bank.parallel)}{the_bank.series}.minus"
    found = apply(
        planned,
        [{"op": "move_end", "cable": f"{device.id}_minus", "end": "b", "to": last} for device in devices[:2]],
    )
    return analysed(planned, wiring=found), analysed(planned)


def steps(the_bank=None, devices=MESSY, **more):
    found, planned = drawings(the_bank, devices)
    return steps_for(found, planned, **more)


def _drawing(analysis):
    return Drawing(analysis.bank, tuple(one.device for one in analysis.devices), PRESETS, analysis.wiring)


def keys(given):
    return [item.key for item in given]


class Order(unittest.TestCase):
    def test_power_down_runs_loads_solar_shore_engine_main_negatives_positives_dead(self):
        wanted = [
            "loads_off",
            "solar_off",
            "shore_off",
            "engine_off",
            "sense_out",
            "main_off",
            "negatives_off",
            "positives_off",
            "capacitors",
            "proven_dead",
        ]
        self.assertEqual([step.key for step in steps() if step.phase == "dead"], wanted)

    def test_only_what_the_rig_has_is_switched_off(self):
        plain = [device("fridge", current_a=5.0), device("lamp", current_a=1.0)]
        self.assertEqual(
            [step.key for step in steps(devices=plain) if step.phase == "dead"],
            ["loads_off", "sense_out", "main_off", "negatives_off", "positives_off", "proven_dead"],
        )

    def test_both_schools_end_with_the_sense_fuse_then_zero_before_anything_is_restored(self):
        for school, joints in (
            ("bolted_once", ["joint:negative", "joint:positive"]),
            ("negative_last", ["joint:positive", "joint:negative"]),
            ("lead_last", ["joint:negative", "joint:positive", "joint:lead"]),
            ("lead_before", ["joint:negative", "joint:lead", "joint:positive"]),
            ("bridge_window", ["joint:negative", "joint:positive", "joint:lead"]),
            ("fuse_last", ["joint:lead", "joint:positive", "joint:negative"]),
        ):
            given = steps(school=school)
            closing = [item.key for item in given if item.phase == "close"]
            self.assertEqual(closing, ["polarity", "no_short", *joints, "sense_fuse", "zero"])
            lead = "joint:lead" if "joint:lead" in joints else "joint:positive"
            with_sense = next(item for item in given if item.key == lead)
            self.assertIn("supply lead on the battery's plus post", " ".join(with_sense.lines))
            restore = [item.key for item in given if item.phase == "restore"]
            self.assertLess(restore.index("precharge:inverter"), restore.index("fuse_in:inverter_plus"))
            self.assertEqual(restore[-1], "solar_on")

    def test_capacitors_are_charged_across_the_very_place_that_is_closed_next(self):
        def gates(given):
            at = keys(given).index("precharge:inverter")
            return given[at], given[at + 1]

        found, planned = drawings()
        charged, closed = gates(steps_for(found, planned))
        self.assertIn("across the open holder of the 100 A, inverter's positive", charged.lines[0])
        self.assertEqual(closed.key, "fuse_in:inverter_plus")
        self.assertEqual(charged.most, 1.2)  # a tenth of 12 V
        bare = {"op": "set_fuse", "cable": "inverter_plus", "fuse": None}
        switched = [bare, {"op": "add_isolator", "cable": "main", "name": "Main switch"}]
        at_fuse = analyse_with(planned, apply(_drawing(planned), [bare]))
        charged, closed = gates(steps_for(found, at_fuse))
        self.assertEqual(closed.key, "fuse_in:main")
        at_switch = analyse_with(planned, apply(_drawing(planned), switched))
        charged, closed = gates(steps_for(found, at_switch))
        self.assertIn("across the open main switch", charged.lines[0])
        self.assertEqual(closed.title, "Close the main switch")

    def test_firmware_comes_before_the_numbers_and_the_pin_itself_is_never_asked(self):
        given = [step for step in steps() if step.phase == "monitor"]
        self.assertLess(keys(given).index("firmware"), keys(given).index("numbers"))
        self.assertEqual(next(item for item in given if item.key == "pin").ask, "yes_no")

    def test_whatever_is_tried_in_whatever_order_no_phase_begins_before_the_one_before_is_settled(self):
        given = steps()
        at = {phase.key: number for number, phase in enumerate(PHASES)}
        for seed in range(20):
            rng, ticks, taken = random.Random(seed), [], []
            for _ in range(900):
                item = rng.choice(given)
                kind = rng.choice(["done", "done", "skipped", "undone"]) if rng.random() < 0.3 else "done"
                body = {"value": {"yes_no": "yes"}.get(item.ask, 0.0), "reason": "not fitted"}
                standing = stand(given, ticks).step(item.key)
                if refusal(standing, kind, body) or standing.settled and kind != "undone":
                    continue
                if kind != "undone":
                    earlier = [
                        other for other in stand(given, ticks).steps if at[other.step.phase] < at[item.phase]
                    ]
                    self.assertTrue(all(other.settled for other in earlier), item.key)
                    taken.append(item.key)
                ticks.append(Tick(item.key, kind, 0.0, "Wren", {**body, "mark": item.mark}))
            if "close_main" in taken:
                self.assertLess(taken.index("proven_dead"), taken.index("close_main"))
                self.assertLess(taken.index("zero"), taken.index("close_main"))


class Content(unittest.TestCase):
    def test_a_moved_lug_says_where_to_its_lug_torque_and_that_the_whole_power_down_comes_first(self):
        step = next(step for step in steps() if step.key == "lug:heater_minus")
        message = " ".join(step.lines)
        self.assertIn("from the battery's minus post to the negative busbar", message)
        self.assertIn("Lug 16 mm², M8", message)
        self.assertIn("10 N·m (7 lbf·ft)", message)  # by hand: 10 x 0.738
        self.assertEqual((step.torque_nm, step.ask), (10.0, "torque"))
        self.assertIn("A rig-side lug is lifted only after the whole power-down.", step.cautions)

    def test_what_must_not_go_dead_is_agreed_before_and_tested_after_and_stays_ahead_of_the_main_fuse(self):
        given = steps(silhouette="sailboat")
        agreed, tested = (
            next(item for item in given if item.key == f"{word}:bilge") for word in ("must_not", "tested")
        )
        self.assertTrue(agreed.must and tested.must and tested.wants_yes)
        self.assertIn("Never leave a boat unattended afloat", agreed.cautions[0])
        # its own fuse at the post is a main fuse like the other: the cut between the bank and everything
        out = next(item for item in given if item.key == "main_off")
        self.assertEqual([act.of for act in out.acts], ["bilge_plus", "main", "inverter_plus"])
        self.assertIn("bilge", " ".join(next(item for item in given if item.key == "zero").lines).lower())

    def test_cautions_stand_at_the_step_that_needs_them(self):
        by_bank = {
            "agm": ("negatives_off", "hydrogen"),
            "lfp": ("proven_dead", "sleeping cut-off"),
        }
        for chemistry, (key, word) in by_bank.items():
            step = next(step for step in steps(bank(chemistry)) if step.key == key)
            self.assertIn(word, " ".join(step.cautions))
        high = next(step for step in steps(bank("lfp", series=4)) if step.key == "main_off")
        self.assertIn("58 V", " ".join(high.cautions))
        self.assertNotIn(
            "58 V", " ".join(next(step for step in steps(bank("lfp")) if step.key == "main_off").cautions)
        )
        self.assertIn("local code", " ".join(high.cautions))
        self.assertEqual(next(step for step in steps() if step.key == "rest").timer_s, 3600)
        self.assertIn(
            "50 Ω",
            " ".join(
                next(step for step in steps(bank("lfp", series=4)) if step.key == "precharge:inverter").lines
            ),
        )
        self.assertIn(
            "can kill", " ".join(next(step for step in steps() if step.key == "shore_off").cautions)
        )

    def test_nothing_to_do_makes_no_steps(self):
        _, planned = drawings()
        self.assertEqual(steps_for(planned, planned), [])


class Ticks(unittest.TestCase):
    def test_a_changed_plan_keeps_ticks_marks_changed_ones_and_shows_what_no_longer_holds(self):
        given = steps()
        ticks = [
            Tick(item.key, "done", 0.0, "Wren", {"mark": item.mark, "title": item.title})
            for item in given
            if item.phase in ("ready", "dead", "strip", "rig")
        ]
        self.assertEqual(stand(given, ticks).settled, len(ticks))
        found, planned = drawings()
        thicker = apply(
            sound(MESSY),
            [
                {"op": "set_cable", "cable": "heater_minus", "length_m": 1.0, "size": "25 mm²"},
                {"op": "move_end", "cable": "fridge_minus", "end": "b", "to": "A1.minus"},
            ],
        )
        again = stand(steps_for(found, analysed(sound(MESSY), wiring=thicker)), ticks)
        self.assertEqual(again.step("lug:heater_minus").state, "changed")
        self.assertEqual(again.step("proven_dead").state, "done")
        self.assertIn("lug:fridge_minus", [tick.step for tick in again.dropped])

    def test_what_is_refused_and_why(self):
        given = steps()
        done = [
            Tick(item.key, "done", 0.0, "Wren", {"mark": item.mark})
            for item in given
            if item.phase in ("ready", "dead", "strip", "rig", "link") and item.key != "proven_dead"
        ]
        for key, ticks, kind, body, words in (
            ("fuse_in:main", [], "done", {"value": 12.8}, "First: "),
            (
                "proven_dead",
                [item for item in done if item.step != "lug:heater_minus"],
                "skipped",
                {"reason": "no time"},
                "cannot be skipped",
            ),
            ("proven_dead", done, "done", {"value": 12.6}, "at most 1 are left"),
            ("proven_dead", done, "done", {}, "Type highest volts left"),
            ("photos", [], "skipped", {"reason": " "}, "Say why"),
            ("photos", [], "skipped", {"reason": "camera broken"}, ""),
            ("proven_dead", done, "done", {"value": 0.02}, ""),
        ):
            with self.subTest(key, body=body):
                message = refusal(stand(given, ticks).step(key), kind, body)
                self.assertEqual(message, "") if not words else self.assertIn(words, message)

    def test_an_undone_tick_opens_its_step_and_holds_up_what_follows(self):
        given = steps()
        ticks = [
            Tick(item.key, "done", 0.0, "Wren", {"mark": item.mark})
            for item in given
            if item.phase in ("ready", "dead")
        ]
        self.assertEqual(stand(given, ticks).step("lug:heater_minus").before, "")
        ticks.append(Tick("solar_off", "undone", 0.0, "Wren"))
        self.assertIn("Solar off", stand(given, ticks).step("lug:heater_minus").before)
