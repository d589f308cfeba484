"""The quick job by mouse, touch and keys, with presses, typed values, cards and words counted."""

import re

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase
from tests.vans import VANS

COUNTS = """
window.counted = JSON.parse(sessionStorage.getItem("counted") || '{"presses": 0, "typed": 0}');
const keep = () => sessionStorage.setItem("counted", JSON.stringify(window.counted));
addEventListener("click", (event) => { if (event.isTrusted) window.counted.presses += 1; keep(); }, true);
addEventListener("change", (event) => {
  if (event.target.matches("input:not([type=radio]), select") && event.isTrusted) window.counted.typed += 1;
  keep();
}, true);
"""
MOST_PRESSES, MOST_TYPED, MOST_FINDINGS, MOST_CARDS, MOST_WORDS = 20, 12, 5, 16, 700


def words(text):
    """How many words a text has, without numbering and blanks to fill in."""
    return len([word for word in text.split() if re.search(r"[A-Za-z]", word)])


class ThreeVans(BrowserCase):
    def test_each_is_planned_with_few_presses_and_its_work_stands_on_few_cards(self):
        for (name, van), touch in zip(VANS.items(), (False, True, False), strict=True):
            with self.subTest(name):
                self.plan(name, *van, touch=touch)

    def plan(self, name, chemistry, label, vehicle, lines, *, touch):
        page = self.page(width=390 if touch else 1280, height=844 if touch else 800)
        page.add_init_script(COUNTS)
        page.goto("/")
        page.get_by_role("link", name="Quick job").click()
        page.locator(f"input[name=chemistry][value={chemistry}]").click()
        page.get_by_label("On its label").fill(label)
        page.get_by_label("Devices, one a line").click()
        page.keyboard.insert_text("\n".join(lines))
        page.get_by_text("Name and vehicle").click()
        page.get_by_label("Name", exact=True).fill(name)
        page.get_by_label("Vehicle", exact=True).select_option(vehicle)
        expect(page.locator(".quick-verdict")).to_contain_text("Every device is counted")
        self.assertLessEqual(page.locator(".finding-line:has(.level)").count(), MOST_FINDINGS)
        self.assertEqual(page.locator(".level-stop").count(), 0)
        page.get_by_role("button", name=re.compile("Keep it")).click()
        expect(page.get_by_role("heading", name=f"Job card: {name}")).to_be_visible()
        counted = page.evaluate("window.counted")
        self.assertLessEqual(counted["presses"], MOST_PRESSES)
        self.assertLessEqual(counted["typed"], MOST_TYPED)
        self.assertGreater(counted["presses"], 3)  # it does count
        work = page.url.removesuffix("/card") + "/wireup"
        page.goto(work)
        self.assertLessEqual(page.locator(".work-card").count(), MOST_CARDS)
        page.goto(f"{work}/list")
        printed = words(page.locator(".step-list").inner_text())
        self.assertLess(printed, MOST_WORDS)
        self.assertGreater(printed, 200)

    def test_the_card_is_two_sides_and_by_keys_alone_a_job_is_kept(self):
        page = self.page()
        page.goto("/quick")
        page.get_by_label("On its label").focus()
        page.keyboard.type("2 x 100 Ah")
        page.keyboard.press("Tab")
        page.keyboard.type("Fridge 45W\nHeater on chassis\nSolar 100W")
        expect(page.locator(".quick-verdict")).to_contain_text("Every device is counted")
        page.get_by_label("How are the 2 batteries joined?").select_option("series")
        expect(page.get_by_text("24 V LFP")).to_be_visible()
        keep = page.get_by_role("button", name=re.compile("Keep it"))
        keep.focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Job card: Van")).to_be_visible()
        for paper in ("A4", "Letter"):
            sides = re.findall(rb"/Count (\d+)", page.pdf(format=paper))
            self.assertLessEqual(int(sides[0]), 2)
        page.get_by_role("link", name="Change the plan").click()
        expect(page.locator(".path-board")).to_be_visible()

    def test_what_is_typed_stays_while_the_plan_grows_and_a_fault_is_told_beside_it(self):
        page = self.page()
        page.goto("/quick")
        lines = page.get_by_label("Devices, one a line")
        lines.fill("Fridge\nLamp, 12")
        expect(page.get_by_text("Line 2: “12” needs a unit")).to_be_visible()
        expect(page.get_by_role("button", name=re.compile("Keep it"))).to_be_disabled()
        lines.fill("Fridge\nLamp, 12 W")
        page.get_by_label("On its label").fill("100")
        expect(page.get_by_role("button", name=re.compile("Keep it"))).to_be_enabled()
        expect(lines).to_have_value("Fridge\nLamp, 12 W")
