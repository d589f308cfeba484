"""The whole job, from why to the owner's sheet, once by keyboard alone and once by finger alone."""

import re
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase
from tests.browser.test_walks import ROWS

MOST_STOPS = 120


class Keys:
    """Hands that only have a keyboard: what is wanted is reached by Tab, or it is not reached."""

    def __init__(self, page):
        self.page = page

    def reach(self, locator):
        """Tab until it has the focus."""
        locator = locator.first
        expect(locator).to_be_attached()
        for _ in range(MOST_STOPS):
            if locator.evaluate("one => one === document.activeElement"):
                return
            self.page.keyboard.press("Tab")
        raise AssertionError(f"{locator} is not reached within {MOST_STOPS} stops")

    def press(self, locator):
        """Press a button or a link."""
        self.reach(locator)
        self.page.keyboard.press("Enter")

    def tick(self, locator):
        """Choose a box, or one of several that belong together."""
        group = locator.get_attribute("name")
        if locator.get_attribute("type") == "checkbox":
            self.reach(locator)
            return self.page.keyboard.press(" ")
        for _ in range(MOST_STOPS):
            if self.page.evaluate("() => document.activeElement.name") == group:
                break
            self.page.keyboard.press("Tab")
        self.page.keyboard.press(" ")
        while not locator.is_checked():
            self.page.keyboard.press("ArrowDown")
        return None

    def write(self, locator, text):
        """Type into a field, in place of what stands there."""
        self.reach(locator)
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)


class Finger:
    """A finger on a phone."""

    def __init__(self, page):
        self.page = page

    def press(self, locator):
        """Tap it."""
        locator.first.tap()

    tick = press

    def write(self, locator, text):
        """Tap a field and type on the phone's own keys."""
        locator.first.tap()
        locator.first.fill("")
        self.page.keyboard.insert_text(text)


class WholeJob(BrowserCase):
    def stage(self, page, name):
        """The bead of a stage in the rig's head."""
        return page.get_by_role("link", name=re.compile(f"^{name}"))

    def job(self, hand, name):
        """From the Yard to the owner's sheet; returns nothing, each stage is seen to be done."""
        page = hand.page
        page.goto("/")
        hand.press(page.get_by_role("button", name="New rig"))
        hand.write(page.get_by_label("Name", exact=True), name)
        hand.press(page.get_by_role("button", name="Take it into the Yard"))
        # why
        hand.press(page.get_by_role("link", name="Why", exact=True))
        hand.tick(page.get_by_label("nearly flat in bad weather"))
        hand.write(page.get_by_label("nights without sun or plug"), "2")
        hand.press(page.get_by_role("button", name="Keep the answers"))
        hand.press(page.get_by_role("link", name="On to the battery"))
        # the battery and its devices
        hand.write(page.get_by_label("Capacity"), "200 Ah")
        hand.press(page.get_by_role("button", name="Keep this battery"))
        hand.press(page.get_by_role("link", name="On to its devices"))
        for line in (
            "Fridge, 5 A, battery post, fuse 10 A, 6 mm², 2 m",
            "Solar 20 A post 10 mm² 2 m fuse 30 A",
        ):
            hand.write(page.get_by_label("A line a device"), line)
            page.keyboard.press("Enter")
            expect(page.locator(".landings")).to_contain_text(line[:5])
        # the path
        hand.press(page.get_by_role("link", name="Plan the path"))
        hand.press(page.get_by_role("button", name="Put all right"))
        hand.press(page.get_by_role("button", name="Put these right"))
        expect(page.get_by_text("every amp crosses the shunt")).to_be_visible()
        # the numbers
        hand.press(self.stage(page, "Numbers"))
        hand.press(page.get_by_role("button", name=re.compile("^Tail current: ")))
        hand.write(page.get_by_role("textbox", name="Tail current"), "6 A")
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name=re.compile("Tail current: 3 % = 6 A"))).to_be_visible()
        hand.write(page.get_by_label("Why"), "commissioning")
        hand.press(page.get_by_role("button", name="Save this version"))
        # the bay
        hand.press(self.stage(page, "Wire-up"))
        hand.write(page.get_by_placeholder("another name"), "Wren")
        hand.press(page.get_by_role("button", name="It is me"))
        step = page.locator(".work-card:visible .card-step:has([data-tick]:enabled:visible)").first
        told = step.locator("[data-tick]")
        hand.press(told)
        expect(page.locator("[data-settled]")).not_to_have_text("0")
        # proof
        hand.press(self.stage(page, "Prove"))
        desk = page.locator(".typed-roll")
        asked = desk.get_by_role("heading").inner_text()
        hand.write(desk.get_by_label("all as before, it off"), "-0.4 A")
        hand.write(desk.get_by_label("with it on", exact=True), "-5.3 A")
        hand.press(desk.get_by_role("button", name="Keep, next"))
        expect(desk.get_by_role("heading")).not_to_have_text(asked)  # the next device is asked for
        # the log
        hand.press(self.stage(page, "Watch"))
        hand.press(page.get_by_role("link", name="Import a log"))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "mine.csv"
            path.write_text("time,volts,amps\n" + ROWS.replace(",", ".").replace(";", ","), encoding="utf-8")
            page.set_input_files("#file", path)  # the system's own window for files is not the page's
            hand.press(page.get_by_role("button", name="Look at it"))
            hand.press(page.get_by_role("button", name="Import", exact=True))
        expect(page.get_by_text("200 readings").first).to_be_visible()
        # the papers
        hand.press(self.stage(page, "Hand over"))
        hand.press(page.get_by_role("button", name="Issue it"))
        expect(page.locator("article.issue").first).to_contain_text("not signed yet")

    def test_by_keyboard_alone(self):
        self.job(Keys(self.page()), "Keystone")

    def test_by_finger_alone(self):
        self.job(Finger(self.page(width=390, height=844, touch=True)), "Thimble")
