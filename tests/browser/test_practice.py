"""A case solved on a phone by finger, and one by keyboard alone."""

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase
from tests.browser.test_whole_job import Finger, Keys
from tests.web.test_practice import first
from volnik.core.practice.mends import mend_of
from volnik.core.practice.play import Act
from volnik.core.practice.search import shortest
from volnik.web.views.practice import address_of


class Solved(BrowserCase):
    def solve(self, hand, choose, case, level):
        """Look as the soonest way does, mend what is found, see that it helped, then conclude."""
        page = hand.page
        page.goto(f"/practice/{level}/{case.seed}")
        for step in shortest(case).steps:
            if step.look.running:  # what is pressed on the drawing is what is offered
                everything = page.locator("#look option").count()
                hand.press(page.locator(f'[data-about="device:{step.look.running}"]'))
                expect(page.locator("[data-told]")).to_contain_text("to look at")
                self.assertLess(page.locator("#look option").count(), everything / 2)
            self.make(hand, choose, step.look)
        (wrong,) = case.wrongs
        proof = shortest(case).steps[-1].look
        for move in (Act("down"), Act("mend", mend_of(wrong), wrong.where), Act("up"), proof):
            self.make(hand, choose, move)
        choose(page.get_by_label("It is"), case.truth)
        hand.press(page.get_by_role("button", name="Conclude"))
        expect(page.get_by_text("Right, which your looks had proven.")).to_be_visible()
        expect(page.get_by_text("A look after the mend shows that it helped.")).to_be_visible()
        expect(page.get_by_role("img", name="The rig as it is wired")).to_be_visible()
        self.assertLessEqual(
            page.evaluate("document.documentElement.scrollWidth"), page.viewport_size["width"]
        )

    def make(self, hand, choose, move):
        """Choose a look or something to do, and do it."""
        rows = hand.page.locator(".practice-rows li")
        before = rows.count()
        choose(hand.page.get_by_label("Look, or do"), address_of(move))
        hand.press(hand.page.get_by_role("button", name="Do it"))
        expect(rows).to_have_count(before + 1)

    def test_on_a_phone(self):
        hand = Finger(self.page(width=390, height=844, touch=True))
        case = first("load_bypass")
        page = hand.page
        page.goto(f"/practice/1/{case.seed}")
        for stud in ("A1.plus", "shunt.bank"):  # lugs pressed take the tips
            hand.press(page.locator(f'[data-lug="{stud}"]').first)
        expect(page.get_by_label("black tip")).to_have_value("shunt.bank")
        hand.press(page.get_by_role("button", name="Hold it there"))
        expect(page.locator(".practice-rows li")).to_contain_text("V Measure volts")
        self.solve(hand, lambda field, value: field.select_option(value), case, 1)

    def test_by_keyboard(self):
        hand = Keys(self.page())

        def choose(field, value):
            hand.reach(field)
            words = field.locator(f'option[value="{value}"]').inner_text()
            hand.page.keyboard.type(words)  # a list goes to what is typed
            expect(field).to_have_value(value)

        self.solve(hand, choose, first("scale", 2), 2)
