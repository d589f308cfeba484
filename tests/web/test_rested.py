"""Volts at rest looked up on the gauge page: a span of charge, or what is wrong beside its field."""

import unittest
from html import unescape

from tests.web.shops import visitor


class LookedUp(unittest.TestCase):
    def test_volts_and_hours_are_answered_or_refused_beside_their_field(self):
        with visitor(demo=True) as client:
            for rig, asked, said in (
                # by hand, AGM: 12.34 V are 49 %, 12.46 V 61 %: 12.40 V and 0.06 V to each side
                (3, "volts=12.4&hours=8&after=draw", "Between 49 and 61 % charged"),
                (3, "volts=12.4+V&hours=1+day&after=charge", "Between 49 and 61 % charged"),
                (3, "volts=12.4&hours=8&after=charge", "Not at rest yet: it wants 24 hours"),
                (3, "volts=24.8&hours=8&after=draw", "24.8 V is not a battery of this rig at rest"),
                (3, "volts=12.4+A&hours=8", "is in A, and this is asked in V"),
                (3, "hours=8", "Type a number here"),
                (1, "volts=13.25&hours=3&after=draw", "Volts tell almost nothing here"),
            ):
                page = unescape(client.get(f"/rigs/{rig}/survey/gauge?{asked}").text)
                self.assertIn(said, page, asked)
            plain = client.get("/rigs/3/survey/gauge").text
            self.assertIn("Volts now, at rest", plain)
            self.assertNotIn("charged, by its volts", plain)

    def test_years_of_strings_are_kept_and_found_apart(self):
        with visitor(demo=True) as client:
            bank = {"chemistry": "agm", "block_cells": "6", "series": "1", "parallel": "3"}
            bank |= {"kind": "nameplate", "ah": "110", "hours": "20", "test_a": "25", "takeoff": "diagonal"}
            kept = client.change("/rigs/2/survey", {**bank, "made_year": "2018, 2018 2024"})
            self.assertLess(kept.status_code, 400, kept.text[-300:])
            page = client.get("/rigs/2/survey").text
            self.assertIn('value="2018 2018 2024"', page)
            self.assertIn("The strings were made 6 years apart.", page)
            wrong = (("2018 2024", "one for each of the 3 strings"), ("18", "A year such as 2024"))
            for typed, said in wrong:
                refused = client.change("/rigs/2/survey", {**bank, "made_year": typed})
                self.assertEqual(refused.status_code, 422)
                self.assertIn(said, refused.text)
