"""The first visit: why, a usual day, and what comes back of it at the end."""

import re
import unittest

from tests.web.shops import visitor
from volnik.services.path.read import read_path


class FirstVisit(unittest.TestCase):
    def setUp(self):
        self.client = self.enterContext(visitor(demo=True))

    def test_answers_are_kept_and_come_back_and_what_cannot_be_loses_nothing(self):
        answer = {
            "reason": "new build",
            "nights": "2",
            "own_counter": "yes",
            "critical": "no",
            "want-log": "1",
        }
        kept = self.client.change("/rigs/5/survey/why", answer)
        self.assertEqual(kept.status_code, 303)
        page = self.client.get("/rigs/5/survey/why").text
        self.assertIn("Wanted: 2 nights without sun or plug; it has", page)
        self.assertIn("No: the battery&#39;s own count does.", page)  # one battery that counts its own amps
        self.assertIn("Wanted: 2 nights", self.client.get("/rigs/5/handover").text)
        wrong = self.client.change(
            "/rigs/5/survey/why", {**answer, "nights": "-3", "complaint": "dark at noon"}
        )
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("dark at noon", wrong.text)
        self.assertIn('id="problem-nights"', wrong.text)

    def test_a_trial_is_due_on_its_day(self):
        self.client.change(
            "/rigs/1/survey/why", {"reason": "new build", "trial": "1", "review": "2027-02-01"}
        )
        self.assertIn("Look at the trial again", self.client.get("/rigs/1/watch/alarms").text)

    def test_a_guess_is_asked_about_once_and_then_stands_as_said(self):
        def row(name):
            page = self.client.get("/rigs/2/survey/day").text
            return re.search(rf"<li><b>{name}</b>.*?</li>", page)[0]

        self.assertIn("h a day at", row("Inverter"))
        said = self.client.change("/rigs/2/survey/day/hours", {"device": "inverter", "hours": "0.5"})
        self.assertEqual(said.status_code, 303)
        self.assertIn("as said", row("Inverter"))
        self.assertNotIn("h a day at", row("Inverter"))
        # within the hours it is in use anyway: by hand, three of the six hours from 17 to 23 at 4 A
        self.client.change("/rigs/2/survey/day/hours", {"device": "cabin_lights", "hours": "3"})
        self.assertRegex(row("Cabin lights"), r"12 Ah <small")
        with self.client.running.context.db.reading() as session:
            path = read_path(session, self.client.running.context, 2)
        lights = next(device for device in path.devices if device.id == "cabin_lights")
        self.assertEqual((lights.duty, lights.hours), (0.5, ((17.0, 23.0),)))
        wrong = self.client.change("/rigs/2/survey/day/hours", {"device": "fridge", "hours": "30"})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("A day has 24 hours", wrong.text)

    def test_another_bank_is_compared_and_without_one_the_page_says_what_comes_first(self):
        page = self.client.get("/rigs/2/survey/day?ah=900&kg=90").text
        # by hand: half of 450 and of 900 Ah are kept back
        self.assertRegex(page, r"Ah to use</th><td>225</td><td>450</td>")
        self.assertRegex(page, r"Ah to use a kilogram</th><td></td><td>5\.0</td>")
        self.assertEqual(self.client.get("/rigs/2/survey/day?ah=-5").status_code, 422)
        # lithium with its own customary reserve: 85 % of 200 Ah
        lithium = self.client.get("/rigs/2/survey/day?ah=200&chemistry=lfp").text
        self.assertRegex(lithium, r"Ah to use</th><td>225</td><td>170</td>")
        none = self.client.get("/rigs/3/survey/day?panel=100")
        self.assertEqual(none.status_code, 422)
        self.assertIn("No panel is listed to add to", none.text)
        self.assertIn("battery", self.client.get("/rigs/7/survey/day").text)

    def test_no_page_of_a_rig_says_another_figure_of_a_days_use(self):
        def days(page):
            return re.search(r"it has (?:only )?([\d.]+) by its own days", self.client.get(page).text)[1]

        pages = (
            "/rigs/1/survey/why",
            "/rigs/1/survey/day",
            "/rigs/1/watch/ahead",
            "/rigs/1/prove",
            "/rigs/1/handover",
        )
        self.assertEqual(len({days(page) for page in pages}), 1)

    def test_a_boat_under_motor_is_told_hours_distance_and_where_to_turn(self):
        self.client.change(
            "/rigs/4/survey/devices/lines", {"lines": "Electric motor, 50 A, busbar, fuse 80 A"}
        )
        page = self.client.get("/rigs/4/survey/day?v100=5").text
        self.assertIn("50 A on the screen", page)
        # by hand: 108 Ah at 50 A, bent by (50 / 10.8)^0.15 = 1.258, last 1.7 h; at 5 an hour 8.6 far
        self.assertRegex(page, r"1\.7 h</td>.*9 far, 4 out and back")
        self.assertIn("turn at 75 %", page)
        self.assertNotIn("Under motor", self.client.get("/rigs/1/survey/day").text)


if __name__ == "__main__":
    unittest.main()
