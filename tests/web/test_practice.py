"""Practice over HTTP: a case is looked at, concluded and told; nothing of it stands in the Yard."""

import re
import unittest
from functools import lru_cache
from html import unescape

from tests.web.shops import visitor
from volnik.core.practice.cases import drawn
from volnik.core.practice.search import shortest
from volnik.web.views.practice import address_of


@lru_cache
def first(fault, level=1):
    """The first case of a level with a fault."""
    return next(case for case in (drawn(seed, level) for seed in range(80)) if case.fault == fault)


class Practised(unittest.TestCase):
    def test_a_case_is_solved_by_its_soonest_way_and_a_wrong_answer_is_told(self):
        case = first("load_bypass")
        with visitor(demo=True) as client:
            before = client.get("/").text
            address = f"/practice/1/{case.seed}"
            page = unescape(client.get(address).text)
            self.assertIn(case.complaint, page)
            self.assertNotIn("The soonest way", page)
            steps = shortest(case).steps
            taken = ",".join(address_of(step.look) for step in steps)
            page = unescape(client.get(address, params={"taken": taken}).text)
            self.assertEqual(page.count("the monitor's screen"), sum(s.look.what == "display" for s in steps))
            # the device past the shunt shows nothing on the screen while it runs
            self.assertRegex(page, r"<b>-?0\.00 A</b> Read the screen: [^<]+ on")
            right = unescape(client.get(address, params={"taken": taken, "answer": case.truth}).text)
            self.assertIn("Right, which your looks had proven.", right)
            self.assertIn("/faults/load_bypass", right)
            wrong = unescape(client.get(address, params={"taken": taken, "answer": "reversed:"}).text)
            self.assertIn("Not that. It is: A load on the battery post", re.sub(r"</?b>", "", wrong))
            for name in ("board.svg", "true.svg"):
                drawing = client.get(f"{address}/{name}")
                self.assertEqual(drawing.headers["content-type"], "image/svg+xml")
            self.assertIn("0 %", drawing.text)  # as it is wired: none of it is counted
            self.assertEqual(client.get("/").text.count('class="strip"'), before.count('class="strip"'))

    def test_a_dark_screen_a_hot_lug_and_looks_there_are_none_of(self):
        with visitor() as client:
            case = first("sense_fuse")
            page = client.get(f"/practice/1/{case.seed}?taken=display..,,display.piano.,<b>,bank..").text
            self.assertIn("nothing: it is dark", page)
            self.assertEqual(len(re.findall(r"<li><b>", page)), 2)
            case = first("loose_lug", 2)
            page = client.get(f"/practice/2/{case.seed}?taken=warmth.inverter.{case.where}").text
            self.assertIn("too hot for a hand", page)
            self.assertIn("switch the load off before anything is touched", page)
            told = client.get(f"/practice/2/{case.seed}?answer=nonsense").text
            self.assertIn("Not that.", told)
            self.assertIn("Nothing was looked at.", told)

    def test_levels_and_numbers_there_are_none_of_are_refused(self):
        with visitor() as client:
            self.assertEqual(client.get("/practice").status_code, 200)
            following = client.get("/practice/3/next", follow_redirects=False)
            self.assertRegex(following.headers["location"], r"^/practice/3/\d+$")
            for address in ("/practice/0/1", "/practice/4/1", "/practice/1/1000000", "/practice/1/x"):
                self.assertIn(client.get(address).status_code, (404, 422), address)
