"""Cases kept by person and as files, twenty logs, sums of a school's values, the owner's page."""

import re
import unittest
from html import unescape

from tests.web.shops import visitor
from tests.web.test_practice import first, taken
from volnik.core.practice.log_drill import STRIPS, strip_case
from volnik.core.practice.looks import Look
from volnik.core.practice.numbers_drill import drawn_sum, solved


class Kept(unittest.TestCase):
    def setUp(self):
        self.client = self.enterContext(visitor())
        self.client.change("/who", {"new_name": "Tolly", "here": "/practice"}, page="/practice")

    def text(self, address, **more):
        return unescape(self.client.get(address, **more).text)

    def test_a_conclusion_is_kept_by_name_missed_comes_again_and_the_owner_sees_it(self):
        case = first("load_bypass")
        address = f"/practice/1/{case.seed}"
        self.assertIn("Nobody has practised yet.", self.text("/practice/people"))
        looks = taken(Look("display"))
        answer = self.client.change(
            f"{address}/conclude", {"taken": looks, "answer": "reversed:"}, page=address
        )
        self.assertEqual(answer.status_code, 303)
        self.assertIn("Not that.", self.text(answer.headers["location"]))
        self.assertIn("missed: it comes again", self.text("/practice"))
        people = self.text("/practice/people")
        for said in ("Tolly", "0 of 1", "A load on the battery post"):
            self.assertIn(said, people)
        answer = self.client.change(f"{address}/conclude", {"answer": case.truth}, page=address)
        self.assertIn("Right; ", self.text(answer.headers["location"]))
        self.assertIn("1 of 2", self.text("/practice/people"))
        stopped = taken(Look("tight", "inverter", "inverter_plus"))
        self.client.change(f"{address}/conclude", {"taken": stopped}, page=address)
        self.assertIn("1 danger", self.text("/practice/people"))

    def test_the_next_case_is_one_not_met_yet(self):
        address = self.client.get("/practice/1/next", follow_redirects=False).headers["location"]
        self.assertRegex(address, r"^/practice/1/\d+$")
        self.assertEqual(self.client.get("/practice/9/next").status_code, 404)
        lesson = self.client.get("/practice/lessons/weak_block", follow_redirects=False).headers["location"]
        self.assertRegex(lesson, r"^/practice/3/\d+$")
        self.assertIn("It dies early", self.text(lesson))
        self.assertEqual(self.client.get("/practice/lessons/piano").status_code, 404)

    def test_a_case_goes_as_a_file_and_comes_back_with_what_was_done(self):
        case = first("load_bypass")
        looks = taken(Look("display"), Look("bank"))
        file = self.client.get(f"/practice/1/{case.seed}/case.json", params={"taken": looks})
        self.assertIn(f"volnik-case-1-{case.seed}.json", file.headers["content-disposition"])
        sent = {"file": ("case.json", file.content, "application/json")}
        answer = self.client.change("/practice/open", page="/practice", files=sent)
        self.assertEqual(self.text(answer.headers["location"]).count("<li><b>"), 2)
        for body, said in (
            (file.content.replace(b'"edition": ', b'"edition": 1'), "drawn by edition"),
            (b"no case", "This is no case"),
        ):
            refused = self.client.change("/practice/open", page="/practice", files={"file": ("c.json", body)})
            self.assertEqual(refused.status_code, 422)
            self.assertIn(said, unescape(refused.text))
        self.assertIn("Choose a file", unescape(self.client.change("/practice/open", page="/practice").text))

    def test_twenty_logs_are_judged_marked_and_kept(self):
        address = self.client.get("/practice/logs/next", follow_redirects=False).headers["location"]
        self.assertRegex(address, r"^/practice/logs/\d+\?began=\d+$")
        seed, given = 7, []
        for at in range(STRIPS):
            case = strip_case(seed, at)
            cause, day = case.wrongs[0].cause, 14 - case.since_days + 1
            given.append(f"{cause if at else 'reversed' if cause != 'reversed' else 'sound'}.{day}")
        page = self.text(f"/practice/logs/{seed}", params={"given": ",".join(given[:3])})
        self.assertIn("<b>4</b> of 20", page)
        self.assertIn('class="paper"', page)
        last = f"/practice/logs/{seed}?given={','.join(given[:-1])}"
        self.assertIn('method="post"', self.text(last))
        cause, day = given[-1].split(".")
        form = {"given": ",".join(given[:-1]), "cause": cause, "day": day, "began": "0"}
        answer = self.client.change(f"/practice/logs/{seed}", form, page=last)
        page = self.text(answer.headers["location"])
        self.assertIn("19 of 20 causes, 19 with their day.", page)
        self.assertIn(
            "since here",
            self.text(answer.headers["location"] + "&look=1")
            + "since here" * (strip_case(seed, 0).truth == "sound:"),
        )
        self.assertIn("19 of 20", self.text("/practice/people"))
        for odd in ("?given=piano.3,,..", "?given=" + "sound.0," * 60, "?look=99&given=sound"):
            self.assertEqual(self.client.get(f"/practice/logs/{seed}{odd}").status_code, 200, odd)

    def test_a_reset_is_predicted_then_the_map_is_shown(self):
        right = solved(drawn_sum(3)).right
        page = self.text("/practice/numbers/3")
        self.assertNotIn('class="resetmap"', page)
        answer = self.client.change("/practice/numbers/3", {"answer": right}, page="/practice/numbers/3")
        page = self.text(answer.headers["location"])
        self.assertIn("<h1>Right.", page)
        self.assertIn('class="resetmap"', page)
        self.assertRegex(re.sub(r"<[^>]+>", " ", self.text("/practice/people")), r"Tolly .*1 of 1")
        refused = self.client.change("/practice/numbers/3", {"answer": "piano"}, page="/practice/numbers/3")
        self.assertEqual(refused.status_code, 422)
