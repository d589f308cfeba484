"""US units: °C and metres are told in °F and feet, and a bare figure is read as its field is labelled."""

import unittest

from tests.web.shops import visitor
from volnik.services.numbers.alarms import alarms_view
from volnik.services.survey.enquiry import enquiry_of
from volnik.web.us_units import in_us_units

BOOKBUS = 1


class Told(unittest.TestCase):
    def test_text_is_turned_and_what_is_typed_stays(self):
        # by hand: 25 x 1.8 + 32 = 77; -20 -> -4; 20 -> 68; 2 m / 0.3048 = 6.56 ft
        for given, told in (
            ("<p>At 25 °C.</p>", "<p>At 77 °F.</p>"),
            ("<p>from −20 to 20 °C</p>", "<p>from −4 to 68 °F</p>"),
            ("<text>2 m, 35 mm²</text>", "<text>6.6 ft, 35 mm²</text>"),
            ("<p>0.0175 × 2 m ÷ 6 mm² = 6 mΩ</p>",) * 2,
            ("<p>about −4 mV/°C a cell, 2 min, 3 m²</p>",) * 2,
            ('<input value="25 °C">',) * 2,
            ("<textarea>bay at 25 °C, 2 m</textarea>",) * 2,
            ("<option>105 °C</option>",) * 2,
            ("<script>let a = '5 °C'</script>",) * 2,
            ('<svg aria-label="warm at 30 °C">', '<svg aria-label="warm at 86 °F">'),
        ):
            self.assertEqual(in_us_units(given), told)


class Typed(unittest.TestCase):
    def test_alarms_bank_and_cable_are_read_as_their_fields_are_labelled(self):
        with visitor(demo=True) as client:
            client.cookies.set("volnik_units", "us")
            address = f"/rigs/{BOOKBUS}/numbers/alarms"
            page = client.get(address).text
            self.assertIn("°F", page)
            self.assertNotIn("°C", page)
            alarm = {"key": "cold_charge", "delay_s": "60", "most_a_day": "3", "volnik": "1", "on": "1"}
            kept = client.change(address, {**alarm, "level": "41", "release": "10 °C"})
            self.assertLess(kept.status_code, 400, kept.text[-300:])
            view = alarms_view(client.running.context, BOOKBUS)
            cold = next(alarm for alarm in view.alarms.alarms if alarm.key == "cold_charge")
            self.assertEqual((cold.level, cold.release), (5.0, 10.0))  # by hand: (41 - 32) / 1.8
            self.assertIn("under 41 °F, clears at 50", client.get(address).text)
            client.change("/rigs/7/survey/why", {"reason": "", "other": "more days", "cable_m": "10"})
            asked = enquiry_of(client.running.context, 7)
            self.assertAlmostEqual(asked.cable_m, 3.048)
            self.assertIn('value="10"', client.get("/rigs/7/survey/why").text)
