"""A rig's battery and a device's figures kept on the Shelf, from the page where they were typed."""

import unittest

from tests.web.shops import visitor
from volnik.services.shelf.catalogue import catalogue

LINE = {
    "chemistry": "agm",
    "block_cells": "12",
    "series": "1",
    "parallel": "2",
    "kind": "nameplate",
    "takeoff": "diagonal",
}


class Shelving(unittest.TestCase):
    def setUp(self):
        shop = visitor(demo=True)
        self.client = shop.__enter__()
        self.addCleanup(shop.__exit__, None, None, None)
        self.context = self.client.running.context

    def shelve(self, **more):
        return self.client.change("/rigs/5/survey/shelf", {**LINE, "ah": "190", **more})

    def test_a_battery_is_kept_as_typed_and_the_rig_keeps_its_own(self):
        before = self.client.get("/rigs/5/document.json").text
        answer = self.shelve(product="Fen 24-190")
        self.assertIn("On the Shelf now: Fen 24-190", answer.text)
        self.assertIn('value="190"', answer.text)
        part = next(part for part in catalogue(self.context).blocks if part.name == "Fen 24-190")
        self.assertEqual((part.key, part.chemistry, part.cells, part.ah), ("fen_24_190", "agm", 12, 190.0))
        self.assertEqual(self.client.get("/rigs/5/document.json").text, before)

    def test_the_same_name_is_replaced_and_keeps_what_is_not_typed_here(self):
        known = catalogue(self.context).blocks[0]
        self.shelve(product=known.name, chemistry=known.chemistry, block_cells=str(known.cells), ah="123")
        blocks = catalogue(self.context).blocks
        self.assertEqual([part.ah for part in blocks if part.name == known.name], [123.0])
        self.assertEqual(blocks[0].short_ka, known.short_ka)

    def test_what_is_missing_is_asked_beside_the_name(self):
        for more in ({"product": ""}, {"product": "Fen", "kind": "energy", "kwh": "2"}):
            with self.subTest(more):
                answer = self.shelve(**more)
                self.assertEqual(answer.status_code, 422)
                self.assertIn('id="problem-product"', answer.text)

    def test_a_devices_figures_become_the_usual_ones_at_12_volts(self):
        # Rig 2 is a 24 V boat: 3 A of its fridge are 6 A at 12 V.
        usual = catalogue(self.context).by_key()["fridge"]
        given = {"name": "Fridge", "kind": "fridge", "current_a": "3", "duty": "40", "what": "shelf"}
        answer = self.client.change("/rigs/2/survey/devices/fridge", given)
        self.assertEqual(answer.status_code, 303, answer.text[:200])
        kept = catalogue(self.context).by_key()["fridge"]
        self.assertEqual((kept.current_a, kept.power_w, kept.duty), (6.0, None, 0.4))
        self.assertEqual((kept.mm2, kept.traits), (usual.mm2, usual.traits))
