"""The quick job: labels and lines as people type them, what is asked back, and the plan that comes of it."""

import unittest

from tests.vans import VANS
from volnik.core.errors import InvalidInput
from volnik.core.path.judgement import judge
from volnik.core.path.protection.rule import protection_of
from volnik.core.quick.label import bank_of, read_battery
from volnik.core.quick.plan import Asked, quick_plan
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.parts import starting_catalogue
from volnik.core.wireup.cards import cards_for
from volnik.core.wireup.plan import steps_for

SHELF = starting_catalogue()


def planned(lines, label="100 Ah", chemistry="lfp", **more):
    """What comes of lines."""
    asked = Asked(chemistry, label, "\n".join(lines), **more)
    return quick_plan(asked, CHEMISTRIES[chemistry], SHELF)


def counted(analysis):
    """Which devices on the bank are counted."""
    return {key: share.word == "counted" for key, share in analysis.shares.items() if share.expected == 1.0}


def work(plan, silhouette="van"):
    """The cards of a plan."""
    return cards_for(steps_for(plan.found, plan.planned, silhouette=silhouette))


class Labels(unittest.TestCase):
    def test_a_label_is_read_as_it_is_printed(self):
        for typed, chemistry, blocks, ah in (
            ("100 Ah", "lfp", (4, 1, 1), 100.0),
            ("100", "lfp", (4, 1, 1), 100.0),
            ("2 x 110", "agm", (6, 1, 2), 220.0),
            ("110Ah x2", "agm", (6, 1, 2), 220.0),
            ("24 V 200 Ah", "lfp", (8, 1, 1), 200.0),
            ("12.8V 100Ah", "lfp", (4, 1, 1), 100.0),
            ("1.28 kWh", "lfp", (4, 1, 1), 100.0),
            ("1280 Wh", "lfp", (4, 1, 1), 100.0),
            ("6 V 225 Ah x 2", "flooded", (3, 2, 1), 225.0),
            ("4 x 6V 225Ah", "flooded", (3, 2, 2), 450.0),
        ):
            with self.subTest(typed):
                bank = bank_of(read_battery(typed), CHEMISTRIES[chemistry], "")
                self.assertEqual((bank.block_cells, bank.series, bank.parallel), blocks)
                self.assertAlmostEqual(bank.capacity(CHEMISTRIES[chemistry]).capacity_ah, ah, delta=0.01)

    def test_other_ratings_are_taken_as_what_they_are(self):
        self.assertEqual(read_battery("120 Ah C100").label.hours, 100.0)
        self.assertEqual(read_battery("160 min").label.minutes, 160.0)

    def test_two_in_a_row_make_twenty_four_volts_where_that_is_answered(self):
        bank = bank_of(read_battery("2 x 110 Ah"), CHEMISTRIES["agm"], "series")
        self.assertEqual((bank.series, bank.parallel), (2, 1))

    def test_what_cannot_be_meant_is_refused_with_what_to_type(self):
        for typed, said in (
            ("", "Type what is printed"),
            ("big blue one", "write it such as 100 Ah"),
            ("3 x 6 V 225 Ah", "multiple of 2"),
            ("9 V 100 Ah", "12 V and 24 V are usual"),
            ("99 x 100 Ah", "1 to 16"),
            ("100000 Ah", "looks like another unit"),
        ):
            with self.subTest(typed), self.assertRaises(InvalidInput) as refused:
                bank_of(read_battery(typed), CHEMISTRIES["flooded"], "")
            self.assertIn(said, refused.exception.problems["label"])


class Questions(unittest.TestCase):
    def asked(self, lines, **more):
        return {question.key: question for question in planned(lines, **more).questions}

    def test_only_what_changes_the_answer_is_asked_with_the_usual_one_chosen(self):
        self.assertEqual([*self.asked(["Fridge"])], ["engine", "fuses", "main"])
        self.assertEqual([*self.asked(["Fridge", "Split relay"])], ["bond", "fuses", "main"])
        self.assertEqual([*self.asked(["Inverter 800 W"])][-1], "inverter")
        self.assertEqual([*self.asked(["Inverter 800 W, 18-20"])][-1], "main")
        every = self.asked(
            ["Inverter 800 W"], label="2 x 100 Ah", chemistry="agm", answers={"engine": "relay"}
        )
        self.assertEqual(len(every), 5)
        self.assertEqual(every.pop("engine").answer, "relay")
        self.assertTrue(all(question.answer == question.usual for question in every.values()))

    def test_an_answer_that_is_none_of_them_is_the_usual_one(self):
        self.assertEqual(self.asked(["Fridge"], answers={"main": "many"})["main"].answer, "no")


class Plans(unittest.TestCase):
    def test_three_vans_are_planned_whole(self):
        for name, (chemistry, label, vehicle, lines) in VANS.items():
            plan = planned(lines, label, chemistry, is_boat=vehicle == "sailboat")
            cards = work(plan, vehicle)
            with self.subTest(name):
                self.assertEqual((plan.problems, plan.lines), ({}, {}))
                # all minuses are on the battery post today, so that a shunt would see none of them
                self.assertTrue(all(counted(plan.planned).values()))
                found = judge(plan.planned)
                self.assertLessEqual(len(found), 5)
                self.assertNotIn("stop", {finding.level for finding in found})
                self.assertLessEqual(len(cards), 16)
                self.assertTrue(all(judged.level is None for judged in protection_of(plan.planned).positives))

    def test_what_is_new_has_a_size_and_what_is_there_keeps_its_own(self):
        plan = planned(["Fridge, 4 A, 2.5 mm²", *VANS["panel van"][3]])
        cables = plan.planned.wiring.cables
        new = [cable for cable in cables if plan.found.wiring.cable(cable.id) is None]
        self.assertTrue(new)
        self.assertTrue(all(cable.size for cable in new))
        self.assertEqual(plan.planned.wiring.cable("fridge_minus").size, "2.5 mm²")
        self.assertEqual(plan.planned.wiring.cable("lights_minus").size, "")

    def test_the_link_carries_the_sum_of_what_comes_back(self):
        # 30 A of a fuse box and 60 A of a main fuse: 90 A
        plan = planned(["Fridge", "Solar 200 W", "Mains charger 30 A"], answers={"main": "60"})
        link = next(cable for cable in plan.planned.wiring.cables if plan.planned.is_shunt_link(cable))
        self.assertGreaterEqual(plan.planned.carries_a(link), 60.0)

    def test_without_fuses_every_plus_gets_one(self):
        plan = planned(["Fridge", "Lights", "Solar 200 W"], answers={"fuses": "none"})
        self.assertTrue(all(not cable.fuses for cable in plan.found.wiring.cables))
        bare = [judged for judged in protection_of(plan.planned).positives if judged.is_open_ended]
        self.assertEqual(bare, [])
        self.assertNotIn("stop", {finding.level for finding in judge(plan.planned)})

    def test_a_main_fuse_that_is_there_stands_before_everything(self):
        plan = planned(["Fridge", "Inverter 500 W"], answers={"main": "100"})
        at_post = [cable for cable in plan.found.wiring.at("A1.plus") if not plan.found.is_thin(cable)]
        self.assertEqual([cable.fuse.amps for cable in at_post], [100.0])

    def test_the_few_that_are_not_on_the_post_are_where_their_line_says(self):
        plan = planned(["Fridge", "Heater on chassis", "Lights on busbar"])
        wiring = plan.found.wiring
        self.assertEqual(wiring.cable("fridge_minus").b, "A1.minus")
        self.assertEqual(wiring.cable("heater_minus").b, "chassis")
        self.assertNotEqual(wiring.cable("lights_minus").b, "A1.minus")
        self.assertTrue(all(counted(plan.planned).values()))

    def test_an_engine_charger_brings_its_battery_and_the_bond_that_must_move(self):
        for lines, answers in ((["Fridge", "Split relay"], {}), (["Fridge"], {"engine": "relay"})):
            plan = planned(lines, answers=answers)
            with self.subTest(lines):
                kinds = [device.kind for device in plan.devices]
                self.assertEqual(sorted(kinds), ["alternator", "fridge", "split_relay", "starter"])
                self.assertEqual(plan.found.wiring.cable("chassis_bond").b, "A1.minus")
                self.assertNotEqual(plan.planned.wiring.cable("chassis_bond").b, "A1.minus")
        apart = planned(["Fridge", "DC-DC charger"], answers={"bond": "no"})
        self.assertIsNone(apart.found.wiring.cable("chassis_bond"))

    def test_the_inverters_hours_are_those_answered(self):
        plan = planned(["Inverter 500 W"], answers={"inverter": "2"})
        self.assertEqual(plan.devices[0].hours, ((18.0, 20.0),))

    def test_half_a_job_is_no_fault(self):
        self.assertIsNone(planned([]).planned)
        without = planned(["Fridge"], label="")
        self.assertEqual((without.bank, [device.kind for device in without.devices]), (None, ["fridge"]))
        self.assertIn("needs a unit", planned(["Fridge, 45"]).lines[1])


class Cards(unittest.TestCase):
    def test_a_caution_is_said_once_at_the_first_card_it_bites(self):
        cards = work(planned(VANS["panel van"][3]))
        said = [message for card in cards for message in card.cautions]
        self.assertEqual(len(said), len(set(said)))
        for at, card in enumerate(cards):
            heard = {message for before in cards[: at + 1] for message in before.cautions}
            self.assertTrue({message for step in card.steps for message in step.cautions} <= heard)

    def test_every_step_stands_on_one_card_in_its_order(self):
        for chemistry, label, vehicle, lines in VANS.values():
            plan = planned(lines, label, chemistry)
            steps = steps_for(plan.found, plan.planned, silhouette=vehicle)
            self.assertEqual([step for card in cards_for(steps) for step in card.steps], steps)
