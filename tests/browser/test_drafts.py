"""Nothing typed is lost: a draft outlives reload, a stage link and Back, until it is kept or dropped."""

import re

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase


class Drafts(BrowserCase):
    def test_what_is_half_typed_is_there_again_until_it_is_kept_or_undone(self):
        page = self.page()
        page.goto("/rigs/3/survey")
        capacity = page.get_by_label("Capacity")
        was = capacity.input_value()
        capacity.fill("131")
        capacity.press("Enter")  # takes the value, but keeps no half-drawn battery
        expect(page.locator(".one-number b")).to_have_text("393")
        expect(page.get_by_text("The battery is kept")).to_have_count(0)
        expect(page.get_by_text("Not saved: 1 change, kept in this browser.")).to_be_visible()
        page.get_by_role("link", name=re.compile("^Path")).click()
        expect(page.locator(".path-board")).to_be_visible()
        page.get_by_role("link", name=re.compile("^Survey")).click()
        expect(capacity).to_have_value("131")
        expect(page.locator(".one-number b")).to_have_text("393")  # the board follows the draft
        page.reload()
        expect(capacity).to_have_value("131")
        page.get_by_role("button", name="Undo them").click()
        expect(capacity).to_have_value(was)
        page.reload()
        expect(capacity).to_have_value(was)
        expect(page.get_by_text("Not saved")).to_have_count(0)

        # kept, and then nothing is left over; nor does it come back over what is saved
        capacity.fill("120")
        capacity.press("Tab")
        expect(page.locator(".one-number b")).to_have_text("360")
        page.get_by_role("button", name="Keep this battery").click()
        expect(page.get_by_text("The battery is kept")).to_be_visible()
        page.goto("/rigs/3/survey")
        expect(capacity).to_have_value("120")
        expect(page.get_by_text("Not saved")).to_have_count(0)

    def test_what_was_refused_is_still_typed_after_a_look_elsewhere(self):
        page = self.page()
        page.goto("/rigs/5/survey/why")
        page.get_by_label("nights without sun or plug").fill("-3")
        page.get_by_label("in the owner's words").fill("dark at noon")
        page.get_by_role("button", name="Keep the answers").click()
        nights = page.get_by_label("nights without sun or plug")
        expect(nights).to_be_focused()  # the first fault has the hand
        expect(page.get_by_label("in the owner's words")).to_have_value("dark at noon")
        page.get_by_role("link", name="Battery", exact=True).click()
        page.get_by_role("link", name="Why", exact=True).click()
        expect(page.get_by_label("in the owner's words")).to_have_value("dark at noon")
        nights.fill("3")
        page.get_by_role("button", name="Keep the answers").click()
        expect(page.get_by_role("heading", name="Wanted: 3 nights")).to_be_visible()
        expect(page.get_by_text("Not saved")).to_have_count(0)
        self.troubles = [trouble for trouble in self.troubles if "422" not in trouble]

    def test_lines_and_figures_of_devices_wait_for_their_return(self):
        page = self.page()
        page.goto("/rigs/3/survey/devices?show=device:blower_heater&pick=blower_heater")
        page.locator("#lines").fill("Radio, 2 A, bus")
        page.locator("#f-surge_a").fill("12")
        page.goto("/rigs/3/numbers")
        page.goto("/rigs/3/survey/devices?show=device:blower_heater&pick=blower_heater")
        expect(page.locator("#lines")).to_have_value("Radio, 2 A, bus")
        expect(page.locator("#f-surge_a")).to_have_value("12")
        page.get_by_role("button", name="Enter", exact=True).click()
        expect(page.locator('[data-pick="radio"]').first).to_be_attached()
        expect(page.locator("#lines")).to_have_value("")
        page.reload()
        expect(page.locator("#lines")).to_have_value("")

    def test_what_was_read_of_a_line_is_shown_and_turned_by_a_press(self):
        page = self.page()
        page.goto("/rigs/2/survey/devices")
        page.locator("#lines").fill("300A fused inverter 2500W busbar\nOutboard 20A")
        page.get_by_role("button", name="Enter", exact=True).click()
        read = page.get_by_role("region", name="What was read")
        for words in ("inverter", "2500 W", "minus on negative busbar", "fuse 300 A"):
            expect(read.get_by_role("link", name=words, exact=True)).to_be_visible()
        read.get_by_role("button", name="it charges: alternator").click()
        expect(read.get_by_role("link", name="gives at most 20 A")).to_be_visible()
        expect(page.locator('[data-pick="outboard"]').first).to_contain_text("+20 A")
        read.get_by_role("link", name="2500 W").click()
        expect(page.locator("#f-power_w")).to_be_focused()
