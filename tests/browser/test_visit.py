"""A year later: a battery swapped and two joints torqued in one visit, and what every page then tells."""

import re

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase


class AYearLater(BrowserCase):
    def test_one_visit_is_kept_and_the_record_tells_two_banks_prove_asks_and_the_report_prints(self):
        page = self.page()
        page.goto("/rigs/1/watch/sums")
        page.keyboard.press("g")
        page.keyboard.press("i")
        page.wait_for_url("**/rigs/1/visit")
        page.get_by_label("Why you are here").fill("percentage jumps")
        page.locator("summary", has_text="A battery swapped").click()
        page.get_by_role("button", name="Keep this visit").click()
        # nothing was said of what was done: told beside the list, and the reason still stands
        expect(page.locator("#problem-acts, .problem").first).to_be_visible()
        expect(page.get_by_label("Why you are here")).to_have_value("percentage jumps")
        page.locator("summary", has_text="A battery swapped").click()
        page.locator('[name="swapped.which"]').fill("A1")
        page.locator('[name="swapped.new"]').fill("Lowtide 160")
        page.locator("summary", has_text="Joints torqued").click()
        page.locator('[name="torqued.joints"]').fill("A1 plus, 12 N·m, 0.8 mV\nA1 minus, 9 ft-lb, 0.9 mV")
        page.get_by_role("button", name="Keep this visit").click()
        page.wait_for_url("**/rigs/1/visits/*")
        for words in ("A battery swapped", "Lowtide 160", "12 N·m", "12.2 N·m", "First full witnessed"):
            expect(page.locator("main")).to_contain_text(words)
        sides = re.findall(rb"/Count (\d+)", page.pdf(format="A4"))
        self.assertEqual(max(int(count) for count in sides), 1)
        page.goto("/rigs/1/watch/sums")
        expect(page.locator("main")).to_contain_text("Batteries before")
        page.goto("/rigs/1/prove")
        expect(page.locator(".states .open")).to_contain_text("First full witnessed")
        page.goto("/")
        expect(page.locator(".strip", has_text="Bookbus")).to_contain_text("charge unknown")
        self.troubles = [trouble for trouble in self.troubles if "422" not in trouble]
