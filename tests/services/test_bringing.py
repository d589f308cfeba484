"""Numbers brought in from another rig and from a pasted table."""

import unittest

from tests.services.shops import NUMBERS, opened_context, rig
from volnik.core.errors import InvalidInput
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.services.numbers.bringing import of_rig, of_table, others_with_numbers
from volnik.services.numbers.versions import numbers_view
from volnik.services.survey.bank import save_bank
from volnik.services.yard.rigs import new_rig


class Bringing(unittest.TestCase):
    def test_another_rigs_numbers_fit_this_rigs_cells_and_leave_its_capacity(self):
        with opened_context() as shop:
            first = rig(shop)
            other = new_rig(shop, name="Heron", silhouette="van", what="test van", zone="UTC")
            save_bank(shop, other.id, Bank("lfp", 4, 2, 1, CapacityLabel("nameplate", ah=300.0)))
            view = numbers_view(shop, other.id)
            self.assertEqual([each for each, _ in others_with_numbers(shop, other.id)], [first])
            brought = of_rig(shop, view, first)
            self.assertNotIn("capacity_ah", brought)
            # by hand: eight cells for four
            self.assertAlmostEqual(brought["charged_voltage_v"], 2.0 * NUMBERS.charged_voltage_v)
            self.assertEqual(brought["tail_current_pct"], NUMBERS.tail_current_pct)
            with self.assertRaises(InvalidInput):
                of_rig(shop, numbers_view(shop, first), other.id)  # none on record there

    def test_a_table_is_read_in_trade_words_and_any_unit(self):
        found = of_table("Charged voltage; 14.2 V\ntail current: 8 A\nhold_s = 3 min\n\n", 200.0)
        self.assertEqual(found, {"charged_voltage_v": 14.2, "tail_current_pct": 4.0, "hold_s": 180.0})

    def test_each_line_that_cannot_be_read_is_named(self):
        with self.assertRaises(InvalidInput) as caught:
            of_table("Charged voltage; 14.2 V\nflux; 88\nTail current; 3 V", 200.0)
        said = caught.exception.problems["table"]
        self.assertIn("Line 2", said)
        self.assertIn("Line 3", said)
        with self.assertRaises(InvalidInput):
            of_table("  \n", 200.0)


if __name__ == "__main__":
    unittest.main()
