"""Practice over HTTP: a case is looked at, mended, concluded and told; nothing of it stands in the Yard."""

import re
import unittest
from functools import lru_cache
from html import unescape

from tests.web.shops import visitor
from volnik.core.practice.cases import drawn
from volnik.core.practice.looks import Look
from volnik.core.practice.mends import mend_of
from volnik.core.practice.play import Act
from volnik.core.practice.search import shortest
from volnik.web.views.practice import address_of


@lru_cache
def first(fault, level=1):
    """The first case of a level with a fault."""
    cases = (drawn(seed, level) for seed in range(80))
    return next(case for case in cases if case.wrongs[0].cause == fault)


def taken(*moves):
    """Moves as they stand in an address."""
    return ",".join(map(address_of, moves))


class Practised(unittest.TestCase):
    def setUp(self):
        self.client = self.enterContext(visitor(demo=True))

    def page(self, case, *moves, **more):
        address = f"/practice/{case.level}/{case.seed}"
        return unescape(self.client.get(address, params={"taken": taken(*moves), **more}).text)

    def test_a_case_is_solved_by_its_soonest_way_mended_and_proven_and_a_wrong_answer_is_told(self):
        case = first("load_bypass")
        before = self.client.get("/").text
        page = self.page(case)
        self.assertIn(case.complaint, page)
        self.assertNotIn("The soonest way", page)
        looks = [step.look for step in shortest(case).steps]
        page = self.page(case, *looks)
        screens = sum(look.what == "display" for look in looks)
        self.assertEqual(page.count("1 min, the monitor's screen"), screens)
        (wrong,) = case.wrongs
        mend = Act("mend", mend_of(wrong), wrong.where)
        proof = Look("display", wrong.where.removesuffix("_minus"))
        moves = (*looks, Act("down"), mend, Act("up"), proof)
        self.assertIn(f'value="{address_of(looks[0])}"', self.page(case, *moves[:-1]))  # looks stand again
        right = self.page(case, *moves, answer=case.truth)
        for said in (
            "Right, which your looks had proven.",
            "/faults/load_bypass",
            "It is mended.",
            "A look after the mend shows that it helped.",
            "The order was kept",
        ):
            self.assertIn(said, right)
        wrong_answer = self.page(case, answer="reversed:")
        self.assertIn(
            "Not that. It is: A load on the battery post", re.sub(r"</?b>| (?= )", "", wrong_answer)
        )
        self.assertIn("Nothing was mended.", wrong_answer)
        for name in ("board.svg", "true.svg"):
            drawing = self.client.get(f"/practice/1/{case.seed}/{name}")
            self.assertEqual(drawing.headers["content-type"], "image/svg+xml")
        self.assertIn("0 %", drawing.text)  # as it is wired: none of it is counted
        self.assertEqual(self.client.get("/").text.count('class="strip"'), before.count('class="strip"'))

    def test_what_is_dangerous_stops_the_case_with_what_would_have_happened(self):
        case = first("loose_lug", 2)
        page = self.page(case, Look("tight", "inverter", "inverter_plus"))
        self.assertRegex(page, r"The lug comes off with \d[\d,]* A in it")
        self.assertIn("The soonest way", page)
        self.assertNotIn("Conclude", page)
        page = self.page(case, Act("mend", "lug", "inverter_plus"))
        self.assertRegex(page, r"to the chassis: about \d,\d00 A")
        page = self.page(case, Act("down"), Act("mend", "monitor"), answer="sound:")
        self.assertIn("Bought for nothing: a monitor.", page)
        self.assertIn("It was left powered down.", page)

    def test_a_dark_screen_a_hot_lug_and_looks_there_are_none_of(self):
        case = first("sense_fuse")
        page = self.client.get(f"/practice/1/{case.seed}?taken=display..,,display.piano.,<b>,bank..").text
        self.assertIn("nothing: it is dark", page)
        self.assertEqual(len(re.findall(r"<li><b>", page)), 2)
        case = first("loose_lug", 2)
        where = case.wrongs[0].where
        page = self.page(case, Look("warmth", "inverter", where))
        self.assertIn("too hot for a hand", page)
        self.assertIn("switch the load off before anything is touched", page)
        told = self.page(case, answer="nonsense")
        self.assertIn("Not that.", told)
        self.assertIn("Nothing was looked at.", told)

    def test_the_log_is_read_drawn_and_volniks_own_word_on_it_told(self):
        case = first("reversed")
        page = self.page(case, Look("log"))
        self.assertIn("volts fall while it shows charge", page)
        self.assertIn('class="paper"', page)
        told = self.page(case, Look("log"), answer=case.truth)
        self.assertIn("here it leaves the soonest way", told)
        self.assertIn("Volnik's check-up of this log names it: shunt reversed.", told)
        self.assertIn('class="paper"', told)

    def test_a_meter_is_held_anywhere_and_tells_what_the_network_does(self):
        case = first("load_bypass")
        bank = case.bay.scene("inverter")
        plus, minus = case.bay.analysis.top_posts[0], case.bay.analysis.posts[0]
        asked = {"tool": "volts", "running": "inverter", "red": plus, "black": minus}
        page = self.page(case, **asked)
        told = re.search(r"<li><b>([\d.]+) V</b>[^<]*against", page)
        self.assertAlmostEqual(float(told[1]), bank.volts(plus, minus), delta=0.15)
        where = case.wrongs[0].where
        page = self.page(case, tool="clamp", running=where.removesuffix("_minus"), cable=where)
        self.assertRegex(page, r"<li><b>\d[\d.]* A</b> Clamp round a cable")
        told = self.page(case, Look("volts", "", f"{plus}~{minus}"), answer=case.truth)
        self.assertIn("Measure volts: ", told)
        for odd in ({"tool": "volts", "red": plus, "black": "piano"}, {"tool": "saw", "cable": where}):
            self.assertNotIn("<li><b>", self.page(case, **odd))

    def test_two_things_at_once_are_concluded_together(self):
        case = drawn(0, 4)
        self.assertIn("Two things are wrong.", self.page(case))
        one, other = case.truth.split("+")
        address = f"/practice/4/{case.seed}"
        for also, said in ((one, "Right; "), (other, "Not that.")):
            sent = {"answer": other, "also": also}
            answer = self.client.change(f"{address}/conclude", sent, page=address)
            self.assertIn(said, unescape(self.client.get(answer.headers["location"]).text))

    def test_levels_and_numbers_there_are_none_of_are_refused(self):
        self.assertEqual(self.client.get("/practice").status_code, 200)
        following = self.client.get("/practice/3/next", follow_redirects=False)
        self.assertRegex(following.headers["location"], r"^/practice/3/\d+$")
        for address in ("/practice/0/1", "/practice/5/1", "/practice/1/1000000", "/practice/1/x"):
            self.assertIn(self.client.get(address).status_code, (404, 422), address)
