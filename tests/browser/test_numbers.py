"""Numbers in a browser: the cross-hair dragged, a school picked, a sheet made for the simple meter."""

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase


class Numbers(BrowserCase):
    def test_two_tails_on_the_map_and_a_sheet_for_the_simple_meter(self):
        page = self.page()
        page.goto(f"{self.bench.address}/rigs/1/numbers/map")
        expect(page.locator(".resetmap")).to_be_visible(timeout=60_000)
        expect(page.locator(".map-verdict")).to_contain_text("resets rightly")

        box = page.locator(".resetmap").bounding_box()
        grip = page.get_by_role("slider", name="Charged voltage and tail")
        spot = grip.bounding_box()
        page.mouse.move(spot["x"] + spot["width"] / 2, spot["y"] + spot["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] + 0.8 * box["width"], box["y"] + 0.86 * box["height"], steps=8)
        page.mouse.up()
        expect(page.locator(".map-verdict")).to_contain_text("false full, stays wrong")
        expect(page.locator(".fired.lasts").first).to_be_visible()

        grip.focus()
        before = grip.get_attribute("aria-valuetext")
        page.keyboard.press("ArrowUp")
        expect(grip).not_to_have_attribute("aria-valuetext", before)

        page.get_by_role("button", name="Absorption less 0.3 V, 2 %").press("Enter")
        expect(page.get_by_text("a small tail waits for a real taper").first).to_be_visible()
        page.get_by_role("button", name="Put the cross-hair there").locator("visible=true").click()
        expect(page.locator(".map-verdict")).to_contain_text("with 2 %")
        page.get_by_role("button", name="10", exact=True).click()
        expect(page.locator(".map-verdict")).to_contain_text("held 10 min")

        page.get_by_role("link", name="Use these settings").click()
        expect(page.get_by_text("changed, not saved")).to_be_visible()

        page.get_by_role("link", name="What to enter?").click()
        page.get_by_label("Monitor").select_option("simple")
        page.get_by_role("button", name="Show").click()
        expect(page.get_by_text("press full")).to_be_visible()
        page.get_by_role("button", name="Give it out for this monitor").click()
        expect(page.get_by_text("Kept as given out.")).to_be_visible()
        page.get_by_label("CAP as entered").fill("310")
        page.get_by_role("button", name="Keep what was read back").click()
        expect(page.get_by_text("310 is there, 320 is wanted")).to_be_visible()
