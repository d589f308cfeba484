"""The owner's sheet: what it says of sound rigs, of doubtful ones and of those nobody measured."""

import math
import unittest
from dataclasses import replace

from volnik.core.papers.owner import LoadFact, OwnerFacts, owner_sheet
from volnik.core.papers.paper import changed

FACTS = OwnerFacts(
    "Bookbus",
    "library van",
    "12 V LFP, 2 × 160 Ah",
    "lfp",
    12.8,
    "plain",
    "",
    0.03,
    (),
    320.0,
    15.0,
    13.9,
    12.8,
    5.0,
    0.31,
    True,
    18.0,
    True,
    (
        LoadFact("Inverter", 600.0, False),
        LoadFact("Fridge", 60.0, False, True),
        LoadFact("Lamps", 20.0, False),
        LoadFact("Heater", 120.0, False),
        LoadFact("Bilge pump", 40.0, True),
    ),
    ("Charger",),
    30.0,
    "at the bay up to 14 m",
    "1 A in the thin lead at plus post of A1",
    0.0,
    "Saltreach",
)


def said(facts):
    return "\n".join(owner_sheet(facts).text())


class OwnerSheet(unittest.TestCase):
    def test_hours_and_nights_are_reckoned_down_to_the_reserve(self):
        words = said(FACTS)
        # By hand: 320 Ah × 0.85 × 12.8 V ÷ 600 W = 5.8 h; 272 Ah ÷ 18 Ah = 15.1 nights.
        self.assertIn("Inverter alone: 6 hours from full", words)
        self.assertIn("Such nights: more than a fortnight", words)
        self.assertIn("Such nights: about 13", said(replace(FACTS, night_ah=20.0)))
        self.assertIn("25 %: Switch comfort off", words)  # reserve and ten

    def test_a_boat_has_hours_by_the_amps_on_its_screen_and_a_point_to_turn_back(self):
        lead = {"chemistry": "agm", "peukert_exponent": 1.2, "rated_a": 16.0}
        words = said(replace(FACTS, motors=(LoadFact("Motor", 1638.4, False),), **lead))
        # By hand: 1638.4 W ÷ 12.8 V = 128 A, counted as 128 × (128 ÷ 16)^0.2 = 194.0 A; 272 ÷ 194.0 = 1.40 h.
        self.assertIn("128 A on the screen: 84 minutes from full", words)
        self.assertIn("turn at 58 %", words)  # (100 + 15) ÷ 2
        self.assertNotIn("Under motor", said(FACTS))

    def test_comfort_goes_first_what_cools_and_lights_last_what_keeps_afloat_never(self):
        part = next(part for part in owner_sheet(FACTS).parts if part.title == "Switch off in this order")
        self.assertEqual(
            [row[0] for row in part.rows],
            ["1. Inverter", "2. Heater", "3. Fridge", "4. Lamps", "Stays on: Bilge pump"],
        )

    def test_a_count_that_lies_or_starts_is_not_given_a_figure(self):
        lies = said(replace(FACTS, believed="not", reason="A charger bypasses the shunt."))
        self.assertIn("Do not go by the percentage", lies)
        self.assertIn("Now: A charger bypasses the shunt.", lies)
        self.assertNotIn("± 3 %", lies)
        self.assertIn("starts once the battery was full", said(replace(FACTS, believed="unknown")))
        self.assertIn("Not proven yet: first full", said(replace(FACTS, open_proofs=("First full",))))

    def test_what_nobody_knows_is_left_out_and_a_guess_is_called_one(self):
        bare = replace(
            FACTS, night_ah=math.nan, idle_a=math.nan, loads=(), reach="", sense_fuse="", half=math.nan
        )
        words = said(bare)
        for absent in ("usual night", "Everything off", "nan", "Switch off in this order", "reading arrives"):
            self.assertNotIn(absent, words)
        guess = said(replace(FACTS, night_measured=False, idle_measured=False))
        self.assertIn("a guess from the list of devices", guess)
        self.assertIn("0.3 A going out, reckoned", guess)

    def test_only_flooded_lead_hears_of_equalising(self):
        self.assertNotIn("Equalising", said(FACTS))
        self.assertNotIn("Equalising", said(replace(FACTS, chemistry="agm")))
        self.assertIn("ask the shop", said(replace(FACTS, chemistry="flooded")))

    def test_what_changed_is_told_line_by_line(self):
        before, after = owner_sheet(FACTS).text(), owner_sheet(replace(FACTS, reserve_pct=20.0)).text()
        found = changed(before, after)
        self.assertIn(
            "30 %: Switch comfort off, in the order below; plan to charge.", [new for _, new in found]
        )
        self.assertEqual(changed(before, before), [])
