"""The bank's arithmetic, against sums done by hand."""

import unittest
from dataclasses import replace

from volnik.core.count.evidence import at_rest
from volnik.core.rig.bank import Bank, BankRefused, bank_findings
from volnik.core.rig.capacity import CapacityLabel, capacity_at_rate, capacity_from_reserve
from volnik.core.shelf.chemistries import CHEMISTRIES

PLATE = CapacityLabel("nameplate", ah=225.0)


class Labels(unittest.TestCase):
    def test_reserve_minutes_become_the_twenty_hour_figure(self):
        # by hand: RC 180 at 25 A, k 1.25: 25 x 20 x (3/20)^0.8 = 109.6 Ah; k 1.15 gives about 96
        self.assertAlmostEqual(capacity_from_reserve(180, 25, 20, 1.25), 109.6, delta=0.05)
        self.assertAlmostEqual(capacity_from_reserve(180, 25, 20, 1.15), 96.1, delta=0.1)

    def test_a_rate_is_turned_into_another_and_back(self):
        # by hand, ln C2 = ln C1 + (1 - 1/k) ln(H2/H1): 100 Ah at 5 h, k 1.25: 100 x 4^0.2 = 131.95 Ah at 20 h
        for ah, hours, to_hours, peukert, there in (
            (100, 5, 20, 1.25, 131.95),
            (100, 10, 20, 1.15, 109.46),  # 2^0.13043
            (100, 20, 100, 1.10, 115.76),  # 5^0.090909
            (100, 100, 20, 1.10, 86.39),
            (100, 1, 20, 1.20, 164.76),  # 20^0.16667
            (225, 20, 10, 1.25, 195.87),  # 225 x 0.5^0.2
            (100, 8, 20, 1.0, 100.0),  # k 1: the rate does not matter
            (100, 20, 20, 1.3, 100.0),
        ):
            with self.subTest((hours, to_hours, peukert)):
                self.assertAlmostEqual(capacity_at_rate(ah, hours, to_hours, peukert), there, delta=0.01)
                self.assertAlmostEqual(capacity_at_rate(there, to_hours, hours, peukert), ah, delta=0.01)

    def test_each_kind_of_label_shows_its_sum_and_its_trap(self):
        lfp, flooded = CHEMISTRIES["lfp"], CHEMISTRIES["flooded"]
        cases = [
            # by hand: 5 120 Wh / (16 x 3.2 V) = 100 Ah
            (Bank("lfp", 16, 1, 1, CapacityLabel("energy", kwh=5.12)), lfp, 100.0, None, "51.2 V"),
            # by hand: two strings of 225 Ah; the four blocks of each add volts
            (Bank("flooded", 3, 4, 2, PLATE), flooded, 450.0, None, "not Ah"),
            # by hand: 2 x 109.6 Ah, mistaken for 2 x 75 Ah
            (
                Bank("flooded", 6, 1, 2, CapacityLabel("reserve_minutes", minutes=180)),
                flooded,
                219.2,
                150.0,
                "25 A",
            ),
            (
                Bank("flooded", 6, 1, 1, CapacityLabel("other_rate", ah=100, hours=5)),
                flooded,
                131.95,
                100.0,
                "5 h",
            ),
            (
                replace(Bank("flooded", 6, 1, 2, PLATE), string_ah=(200.0, 180.0)),
                flooded,
                380.0,
                None,
                "200 + 180",
            ),
        ]
        for bank, chemistry, ah, trap, words in cases:
            with self.subTest(bank.label.kind):
                found = bank.capacity(chemistry)
                self.assertAlmostEqual(found.capacity_ah, ah, delta=0.06)
                self.assertEqual(found.trap_ah, trap)
                self.assertIn(words, " ".join(found.sums))

    def test_volts_go_by_cells(self):
        self.assertEqual(Bank("flooded", 3, 4, 2, PLATE).nominal_v(CHEMISTRIES["flooded"]), 24.0)
        self.assertAlmostEqual(Bank("lfp", 16, 1, 1, PLATE).nominal_v(CHEMISTRIES["lfp"]), 51.2)
        self.assertEqual(Bank("lfp", 16, 1, 1, PLATE).in_short(CHEMISTRIES["lfp"]), "48 V LFP, 1 × 225 Ah")
        self.assertEqual(
            Bank("flooded", 3, 4, 2, PLATE).in_short(CHEMISTRIES["flooded"]), "24 V flooded, 8 × 225 Ah, 4s2p"
        )


class Mistakes(unittest.TestCase):
    def test_each_usual_mistake_has_its_finding(self):
        agm = Bank("agm", 6, 1, 2, PLATE)
        cases = [
            ("bank.B01", replace(agm, string_ah=(225.0, 180.0))),
            ("bank.B02", replace(agm, label=CapacityLabel("reserve_minutes", minutes=180))),
            ("bank.B03", replace(agm, label=CapacityLabel("other_rate", ah=100, hours=5))),
            ("bank.B04", replace(agm, takeoff="one_end")),
            ("bank.B05", replace(agm, parallel=4)),
            ("bank.B06", Bank("lfp", 4, 2, 1, PLATE)),
            ("bank.B07", replace(agm, made_year=2015)),
            ("bank.B08", replace(agm, block_cells=5)),
        ]
        for name, bank in cases:
            with self.subTest(name):
                chemistry = CHEMISTRIES[bank.chemistry]
                self.assertIn(
                    name, [bank_finding.id for bank_finding in bank_findings(bank, chemistry, this_year=2026)]
                )
        for sound in (
            agm,
            Bank("lfp", 4, 1, 2, PLATE),
            Bank("lfp", 16, 1, 1, PLATE),
            Bank("gel", 6, 2, 1, PLATE),
        ):
            self.assertEqual(bank_findings(sound, CHEMISTRIES[sound.chemistry], this_year=2026), [])

    def test_a_bank_that_cannot_be_is_refused_at_its_field(self):
        cases = [
            ({"series": 0}, "series"),
            ({"string_ah": (100.0,)}, "string_ah"),
            ({"cut_out_pct": 80.0}, "cut_out_pct"),
            ({"label": CapacityLabel("nameplate")}, "ah"),
            ({"label": CapacityLabel("energy", kwh=5120)}, "kwh"),
            ({"label": CapacityLabel("reserve_minutes", minutes=180, test_a=0)}, "test_a"),
        ]
        for change, key in cases:
            with self.subTest(key), self.assertRaises(BankRefused) as caught:
                replace(Bank("agm", 6, 1, 2, PLATE), **change)
            self.assertIn(key, caught.exception.problems)

    def test_a_bank_goes_round_through_plain_values(self):
        bank = Bank(
            "gel",
            6,
            1,
            2,
            CapacityLabel("reserve_minutes", minutes=206),
            string_ah=(100.0, 90.0),
            made_year=2018,
        )
        self.assertEqual(Bank.from_dict(bank.as_dict()), bank)


class Age(unittest.TestCase):
    def test_an_old_label_is_told_with_what_is_usual_at_its_age_and_strings_apart_are_named(self):
        agm = Bank("agm", 6, 1, 2, CapacityLabel("nameplate", ah=100.0), made_year=2018)
        found = {one.id: one for one in bank_findings(agm, CHEMISTRIES["agm"], this_year=2026)}
        # by hand: 200 Ah x 0.9^8 = 86 Ah, x 0.97^8 = 157 Ah
        self.assertIn("86 to 157 Ah", found["bank.B07"].why)
        self.assertNotIn("bank.B10", found)
        for years, apart in (((2018, 2024), True), ((2023, 2024), False), ((2021, 2024), True)):
            mixed = replace(agm, made_year=min(years), string_years=years)
            ids = [one.id for one in bank_findings(mixed, CHEMISTRIES["agm"], this_year=2026)]
            self.assertEqual("bank.B10" in ids, apart, years)
        with self.assertRaises(BankRefused) as refused:
            replace(agm, string_years=(2018, 2020, 2024))
        self.assertIn("each of the 2 strings", refused.exception.problems["made_year"])


class Nickel(unittest.TestCase):
    def test_its_volts_are_its_own_and_it_is_found_dangerous_where_it_is(self):
        chemistry = CHEMISTRIES["nmc"]
        seven = Bank("nmc", 7, 1, 1, CapacityLabel("energy", kwh=2.52))
        # by hand: 7 x 3.6 V = 25.2 V; 2 520 Wh / 25.2 V = 100 Ah; full at 7 x 4.20 = 29.4 V
        self.assertAlmostEqual(seven.nominal_v(chemistry), 25.2)
        self.assertAlmostEqual(seven.capacity(chemistry).capacity_ah, 100.0)
        self.assertEqual(seven.in_short(chemistry), "24 V NMC, 1 × 100 Ah")
        self.assertEqual(seven.coldest_charge_c(chemistry), 0.0)
        found = {one.id: one for one in bank_findings(seven, chemistry, this_year=2026)}
        self.assertEqual(list(found), ["bank.B09"])
        self.assertIn("29.4 V", found["bank.B09"].message)
        for cells, usual in ((13, True), (14, True), (4, False), (3, False), (8, False)):
            ids = [
                one.id for one in bank_findings(replace(seven, block_cells=cells), chemistry, this_year=2026)
            ]
            self.assertEqual("bank.B08" not in ids, usual, cells)

    def test_at_rest_its_volts_tell_the_charge(self):
        # from the table: 3.72 V a cell is half; 60 mV of 12 V are 17 mV a cell, some 2 to 3 points there
        chemistry = CHEMISTRIES["nmc"]
        word = at_rest(0.0, volts=7 * 3.72, cells=7, chemistry=chemistry, hours=3.0, after_charge=False)
        self.assertAlmostEqual(word.low, 0.47, delta=0.02)
        self.assertAlmostEqual(word.high, 0.52, delta=0.02)
        self.assertAlmostEqual(chemistry.charge_at_rest(3.72), 0.50, delta=0.001)
