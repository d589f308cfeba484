"""A stranger's first three minutes: the tour of the demo, walked by what it says, and left."""

import re

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase, ServedBenchRig, call


class Tour(BrowserCase):
    def test_the_heater_nobody_counts_is_found_by_following_it(self):
        page, control = self.page(), self.page()
        page.goto("/")
        page.get_by_role("button", name=re.compile("Find the heater")).click()
        panel = page.get_by_role("complementary", name="The tour")
        expect(panel).to_contain_text("1 of 5")
        panel.get_by_role("button", name="Look at the plan").click()
        expect(page.locator(".path-board")).to_be_visible()
        panel.get_by_role("button", name="Prove it").click()
        expect(panel).to_contain_text("does not answer yet")
        served = ServedBenchRig(self.bench, 3, "blower_heater_minus.b=C1.minus")
        self.addCleanup(served.close)
        expect(page.locator("[data-live-figures]")).to_be_visible()
        control.goto(served.address)
        call(page, control, "Surgery lights", "surgery_lights")
        panel.get_by_role("button", name="Now the heater").click()
        call(page, control, "Blower heater", "blower_heater")
        expect(page.locator(".roll-verdict")).to_contain_text("Blower heater: not counted")
        panel.get_by_role("button", name="Put it right").click()
        control.get_by_label("Blower heater: its negative really sits on").select_option(
            label="negative busbar (as drawn)"
        )
        expect(control.get_by_text("not as drawn")).to_have_count(0)
        call(page, control, "Blower heater", "blower_heater")
        expect(page.locator(".roll-verdict")).to_contain_text("Blower heater: counted")
        panel.get_by_role("button", name="Your own van").click()
        expect(page.get_by_role("heading", name="Quick job")).to_be_visible()
        expect(panel).to_have_count(0)

    def test_it_can_be_left_anywhere(self):
        page = self.page(width=390, height=844)
        page.goto("/")
        page.get_by_role("button", name=re.compile("Find the heater")).click()
        page.goto("/shelf")
        panel = page.get_by_role("complementary", name="The tour")
        panel.get_by_role("button", name="Leave the tour").click()
        expect(panel).to_have_count(0)
        self.assertTrue(page.url.endswith("/shelf"))
