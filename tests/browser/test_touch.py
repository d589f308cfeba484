"""A phone in the bay, by real touches: what is dragged follows the finger, and the page stays where it is."""

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase

STEPS = 10


def middle(locator):
    """Middle of what is drawn, on the screen."""
    locator.scroll_into_view_if_needed()
    box = locator.bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


class Fingers(BrowserCase):
    def drag(self, page, start, end):
        """A finger put down, moved and lifted."""
        fingers = page.context.new_cdp_session(page)
        (x, y), (to_x, to_y) = start, end

        def send(kind, *points):
            fingers.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

        send("touchStart", {"x": x, "y": y})
        for step in range(1, STEPS + 1):
            share = step / STEPS
            send("touchMove", {"x": x + share * (to_x - x), "y": y + share * (to_y - y)})
        send("touchEnd")

    def test_the_charged_voltage_and_a_cable_end_follow_the_finger(self):
        page = self.page(width=390, height=844, touch=True)
        page.goto("/rigs/1/numbers")
        line = page.get_by_role("slider", name="Charged voltage")
        x, y = middle(line)
        before = float(line.get_attribute("aria-valuenow"))
        self.drag(page, (x, y), (x, y - 40))
        expect(line).not_to_have_attribute("aria-valuenow", f"{before:g}")
        self.assertGreater(float(line.get_attribute("aria-valuenow")), before)

        page.goto("/rigs/3/path")
        end = page.locator('.end[data-cable="blower_heater_minus"][data-end="b"]')
        middle(page.locator(".post.minus").last)  # both in sight, the end scrolled to last
        start, post = middle(end), page.locator(".post.minus").last.bounding_box()
        self.drag(page, start, (post["x"] + post["width"] / 2, post["y"] + post["height"] / 2))
        expect(page.locator('[data-pick="blower_heater"] .told')).to_have_text("0 % counted")
