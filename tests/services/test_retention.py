"""Retention: nothing goes by itself; thinned readings keep their amp-hours; the record says what went."""

import unittest

import numpy as np

from tests.services.shops import NOW, opened_context, rig, take
from volnik.core.errors import InvalidInput
from volnik.core.readings import Readings
from volnik.core.watch.retention import Rule, thinned_before
from volnik.services.log.retention import set_rule, storage_view, thin
from volnik.services.watch import notes
from volnik.services.watch.view import watch_view


class Retention(unittest.TestCase):
    def test_means_stand_at_the_last_reading_and_keep_the_amp_hours(self):
        time_s = 6000.0 + 10.0 * np.arange(1, 19)
        readings = Readings(time_s, np.full(18, 13.0), np.arange(18.0), {"celsius": np.full(18, 20.0)})
        thin_ = thinned_before(readings, 6120.0, 60.0)
        # by hand: 6010..6050 hold 0..4, 6060..6110 hold 5..10; from 6120 on every reading stays
        self.assertEqual(thin_.time_s[:3].tolist(), [6050.0, 6110.0, 6120.0])
        self.assertEqual(thin_.amps[:3].tolist(), [2.0, 7.5, 11.0])
        self.assertEqual(len(thin_), 2 + 7)
        self.assertEqual(thin_.extra["celsius"][0], 20.0)
        self.assertEqual(len(thinned_before(readings, 0.0, 60.0)), 18)

    def test_only_the_shops_own_rule_and_button_let_readings_go(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            count = 200_000
            time_s = NOW - 400 * 86400.0 + 5.0 * np.arange(count)
            amps = -2.0 + np.sin(np.arange(count) / 700.0)
            take(shop, rig_id, Readings(time_s, np.full(count, 13.0), np.round(amps, 2)))
            self.assertEqual(thin(shop, rig_id, who="Tolly"), 0)
            before = watch_view(shop, rig_id).now.state
            with self.assertRaises(InvalidInput):
                set_rule(shop, {"months": 0.1})
            set_rule(shop, {"months": 12.0, "step_s": 60.0})
            view = storage_view(shop)
            self.assertEqual((view.rule, view.rigs[0].readings), (Rule(months=12.0), count))
            self.assertLess(view.each, 12.0)
            gone = thin(shop, rig_id, who="Tolly")
            self.assertAlmostEqual(gone / count, 11 / 12, delta=0.01)
            after = watch_view(shop, rig_id).now.state
            self.assertAlmostEqual(after.out_ah, before.out_ah, delta=0.002 * before.out_ah)
            note = notes.notes_of(shop, rig_id, "retention")[0]
            self.assertIn("averaged over 60 s; the count stood at", note.body["note"])
            self.assertEqual(note.who, "Tolly")
            self.assertEqual(thin(shop, rig_id, who="Tolly"), 0)
