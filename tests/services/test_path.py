"""Drawings as revisions: changed, undone, redone, kept to two hundred; what stands; documents in and out."""

import unittest

from tests.services.shops import NOW, opened_context, rig
from volnik.core.document import read_document, written
from volnik.core.errors import InvalidInput
from volnik.core.path.edits import ChangeRefused
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.services.path import drawings
from volnik.services.path.board import board_view, parts_view
from volnik.services.path.read import NoBank
from volnik.services.shelf import catalogue
from volnik.services.survey.bank import save_bank
from volnik.services.survey.devices import add_lines, change_device, remove_device, set_monitor
from volnik.services.survey.gauge import gauge_view
from volnik.services.yard import document
from volnik.services.yard.rigs import new_rig, rig_head
from volnik.store import drawings as store

LINES = "Heater, 2 A, battery post, fuse 15 A, 6 mm², 1 m\nPump, 6 A, busbar, fuse 10 A, 6 mm², 1 m"


def shares(shop, rig_id, which="planned"):
    """Words of the shares of a drawing."""
    return {name: share.word for name, share in board_view(shop, rig_id, which).analysis.shares.items()}


class Revisions(unittest.TestCase):
    def test_a_plan_is_mended_changed_undone_and_redone(self):
        with opened_context() as shop:
            item = rig(shop)
            self.assertEqual(add_lines(shop, item, LINES).problems, {})
            self.assertEqual(
                [stage.state for stage in rig_head(shop, item).stages[:2]], ["done", "untouched"]
            )
            drawings.mend_everything(shop, item)
            self.assertEqual(shares(shop, item), {"heater": "counted", "pump": "counted"})
            drawings.change(
                shop,
                item,
                "planned",
                [{"op": "move_end", "cable": "heater_minus", "end": "b", "to": "A1.minus"}],
            )
            self.assertEqual(shares(shop, item)["heater"], "uncounted")
            self.assertEqual(rig_head(shop, item).stages[1].state, "lacking")
            self.assertIn("heater", rig_head(shop, item).rig.summary.attention[0][1].lower())
            path = drawings.rig_path(shop, item)
            self.assertIn("Heater's negative to the battery's minus post", path.planned_steps.undo)
            self.assertTrue(drawings.step(shop, item, "planned", -1))
            self.assertEqual(shares(shop, item)["heater"], "counted")
            self.assertTrue(drawings.step(shop, item, "planned", 1))
            self.assertFalse(drawings.step(shop, item, "planned", 1))
            self.assertEqual(shares(shop, item)["heater"], "uncounted")
            drawings.mend(shop, item, "planned", "path.P01", "path.heater")
            self.assertEqual(shares(shop, item)["heater"], "counted")
            self.assertIsNone(
                drawings.rig_path(shop, item).found.shunt
            )  # the found drawing is left as it was
            for wrong in (("path.P01", "path.heater"), ("path.P99", "x")):
                with self.assertRaises(ChangeRefused):
                    drawings.mend(shop, item, "planned", *wrong)
            before = drawings.rig_path(shop, item).planned
            with self.assertRaises(ChangeRefused):
                drawings.change(
                    shop,
                    item,
                    "planned",
                    [{"op": "turn_shunt"}, {"op": "move_end", "cable": "x", "end": "a", "to": "y"}],
                )
            self.assertEqual(drawings.rig_path(shop, item).planned, before)
            while drawings.step(shop, item, "planned", -1):
                pass
            self.assertEqual(drawings.rig_path(shop, item).planned, drawings.rig_path(shop, item).found)

    def test_two_hundred_revisions_are_kept(self):
        with opened_context() as shop:
            item = rig(shop)
            with shop.db.writing() as session:
                for at in range(230):
                    store.push(session, item, "planned", {"at": at}, what=f"step {at}", saved_s=NOW)
                back = 0
                while store.step(session, item, "planned", -1):
                    back += 1
                self.assertEqual(back, 199)
                self.assertEqual(store.opened(store.head(session, item, "planned")[0]), {"at": 30})
                store.push(session, item, "planned", {"at": "new"}, what="new", saved_s=NOW)
                self.assertFalse(store.step(session, item, "planned", 1))  # what redo would bring is gone

    def test_devices_and_found_wiring_go_back_together(self):
        with opened_context() as shop:
            item = rig(shop)
            add_lines(shop, item, LINES)
            change_device(shop, item, "heater", {"kind": "heater", "name": "Cabin heater", "current_a": 3.0})
            self.assertEqual(drawings.rig_path(shop, item).devices[0].current_a, 3.0)
            with self.assertRaises(InvalidInput) as caught:
                change_device(shop, item, "heater", {"kind": "heater", "name": "Cabin heater", "duty": 7})
            self.assertIn("duty", caught.exception.problems)
            remove_device(shop, item, "pump")
            path = drawings.rig_path(shop, item)
            self.assertEqual(
                ([device.id for device in path.devices], path.found.cable("pump_minus")), (["heater"], None)
            )
            drawings.step(shop, item, "found", -1)
            path = drawings.rig_path(shop, item)
            self.assertEqual(len(path.devices), 2)
            self.assertIsNotNone(path.found.cable("pump_minus"))

    def test_a_device_found_later_comes_into_the_plan(self):
        with opened_context() as shop:
            item = rig(shop)
            add_lines(shop, item, LINES)
            drawings.mend_everything(shop, item)
            add_lines(shop, item, "Socket, 5 A, battery post, fuse 10 A")
            self.assertEqual(shares(shop, item)["socket"], "uncounted")
            remove_device(shop, item, "heater")
            self.assertNotIn("heater", shares(shop, item))

    def test_a_cable_found_later_joins_the_plan_and_one_taken_out_of_it_stays_out(self):
        with opened_context() as shop:
            item = rig(shop)
            add_lines(shop, item, LINES + "\nChassis bond, battery post, 35 mm²")
            drawings.mend_everything(shop, item)
            drawings.change(shop, item, "planned", [{"op": "remove_cable", "cable": "heater_minus"}])
            later = {"op": "add_cable", "id": "later", "a": "chassis", "b": "A1.minus", "size": "10 mm²"}
            drawings.change(shop, item, "found", [later])
            planned = drawings.rig_path(shop, item).planned
            self.assertIsNotNone(planned.cable("later"))
            self.assertIsNone(planned.cable("heater_minus"))
            drawings.change(shop, item, "planned", [{"op": "remove_cable", "cable": "later"}])
            self.assertIsNone(drawings.rig_path(shop, item).planned.cable("later"))

    def test_what_stands_is_found_until_the_plan_is_let_stand(self):
        with opened_context() as shop:
            item = rig(shop)
            add_lines(shop, item, LINES)
            with shop.db.reading() as session:
                self.assertIsNone(drawings.stands(session, drawings.rig_path(shop, item))[2])
            drawings.mend_everything(shop, item)
            drawings.let_stand(shop, item, from_s=NOW - 100, reason="wired")
            drawings.change(
                shop,
                item,
                "planned",
                [{"op": "move_end", "cable": "heater_minus", "end": "b", "to": "A1.minus"}],
            )
            path = drawings.rig_path(shop, item)
            with shop.db.reading() as session:
                wiring, devices, from_s = drawings.stands(session, path)
                self.assertEqual(
                    (from_s, len(devices), wiring.cable("heater_minus").b),
                    (NOW - 100, 2, path.found.cable("feed_minus_busbar").b),
                )
            drawings.let_stand(shop, item, from_s=NOW, reason="moved back")
            with shop.db.reading() as session:
                kept = store.as_built(session, item)
            self.assertEqual(
                kept[-1].touched, ("A1.minus", "heater.minus", "minus_busbar")
            )  # the proofs of these ends reopen

    def test_a_block_of_the_shelf_brings_its_own_resistance_and_short_circuit(self):
        with opened_context() as shop:
            item = rig(shop)
            catalogue.put(
                shop,
                "blocks",
                {
                    "key": "own",
                    "name": "Own battery",
                    "chemistry": "lfp",
                    "cells": 4,
                    "ah": 100,
                    "mohm": 2.5,
                    "short_ka": 6,
                },
            )
            add_lines(shop, item, LINES)
            self.assertAlmostEqual(
                drawings.rig_path(shop, item).analysis("found").network.batteries["A1"][2], 0.003
            )  # assumed: 3 mΩ at 100 Ah
            save_bank(
                shop, item, Bank("lfp", 4, 1, 1, CapacityLabel("nameplate", ah=100.0), product="Own battery")
            )
            looked = drawings.rig_path(shop, item).analysis("found")
            self.assertEqual((looked.network.batteries["A1"][2], looked.short_ka), (0.0025, 6.0))

    def test_a_rig_without_a_bank_says_so(self):
        with opened_context() as shop:
            bare = new_rig(shop, name="Bare", silhouette="van", what="", zone="UTC")
            for ask in (
                lambda: add_lines(shop, bare.id, LINES),
                lambda: gauge_view(shop, bare.id),
                lambda: parts_view(shop, bare.id),
            ):
                with self.assertRaises(NoBank):
                    ask()


class InAndOut(unittest.TestCase):
    def test_a_rig_goes_out_and_comes_in_the_same(self):
        with opened_context() as shop:
            item = rig(shop)
            add_lines(shop, item, LINES)
            drawings.mend_everything(shop, item)
            set_monitor(shop, item, {"shunt_a": 500, "shunt_mv": 50, "lamps_v": (11.8, 12.6)})
            text = document.give_out(shop, item)
            again = document.take_in(shop, text.encode())
            self.assertEqual(document.give_out(shop, again.id), text)
            self.assertEqual(written(read_document(text)), text)
            before = len(gauge_view(shop, again.id).lamps)
            self.assertEqual(before, 2)
            with self.assertRaises(InvalidInput):
                document.take_in(shop, b'{"volnik_rig": 1}')

    def test_the_shelf_goes_out_and_comes_in_and_its_parts_are_chosen(self):
        with opened_context() as shop:
            start = catalogue.give_out(shop)
            catalogue.put(
                shop,
                "shunts",
                {
                    "key": "own",
                    "name": "Own 120",
                    "amps": "120",
                    "mv": "60",
                    "continuous_a": 110,
                    "stud": "M8",
                },
            )
            self.assertEqual(catalogue.catalogue(shop).shunts[-1].source, "the shop's own figures")
            kept = catalogue.give_out(shop)
            for wrong, at in (
                ({"key": "x", "name": "X", "amps": -1, "mv": 50}, "amps"),
                ({"key": "bad key", "name": "X", "amps": 1, "mv": 50}, "key"),
                ({"key": "x", "name": "X", "amps": 1, "mv": 50, "stud": "M9"}, "stud"),
            ):
                with self.subTest(at), self.assertRaises(InvalidInput) as caught:
                    catalogue.put(shop, "shunts", wrong)
                self.assertIn(at, caught.exception.problems)
            item = rig(shop)
            add_lines(shop, item, "Inverter, 900 W, battery post, fuse 100 A, 25 mm², 1 m, peak 100 A")
            drawings.mend_everything(shop, item)
            self.assertEqual(drawings.rig_path(shop, item).planned.shunt.product, "Own 120")
            catalogue.remove(shop, "shunts", "own")
            self.assertEqual(
                drawings.rig_path(shop, item).planned.shunt.product, "Own 120"
            )  # the rig keeps its copy
            self.assertGreater(catalogue.bring_in(shop, kept.encode()), 100)
            self.assertEqual(catalogue.catalogue(shop).shunts[-1].key, "own")
            for wrong in (
                b"{",
                b"{}",
                b'{"volnik_shelf": 2}',
                b'{"volnik_shelf": 1, "shunts": [{"key": "a"}]}',
            ):
                with self.assertRaises(InvalidInput):
                    catalogue.bring_in(shop, wrong)
            for kind in ("load", "heater"):
                catalogue.remove(shop, "presets", kind)
            self.assertEqual(
                add_lines(shop, item, "Heater, 2 A, busbar\nThing, 1 A, busbar").problems, {}
            )  # read as any load
            catalogue.start_again(shop)
            self.assertEqual(catalogue.give_out(shop), start)
