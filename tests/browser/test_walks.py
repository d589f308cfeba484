"""Real tasks in a real browser."""

import re
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase

ROWS = "".join(
    f"{1_790_000_000 + 60 * at};{14.3 if at < 10 else 13.1:.1f}".replace(".", ",")
    + f";{4 if at < 10 else -12}\n"
    for at in range(200)
)


# Only what is amiss is wanted, not the long lists of what is well.
AXE_RUN = """(rules) => axe.run(document, {
  runOnly: rules, resultTypes: ["violations"], preload: false, elementRef: false,
})"""


class Walks(BrowserCase):
    def test_new_rig_bank_numbers_import_watch(self):
        page = self.page()
        page.goto("/")
        page.get_by_role("button", name="New rig").click()
        page.get_by_label("Name", exact=True).fill("Whimbrel")
        page.get_by_text("Motorhome").click()
        expect(page.get_by_label("Time zone")).to_have_value("Europe/London")
        page.get_by_role("button", name="Take it into the Yard").click()
        # Survey: draw a bank of two 12 V AGM blocks from reserve minutes, then correct to the nameplate.
        expect(page.get_by_role("heading", name="What battery is it?")).to_be_visible()
        page.get_by_label("Chemistry").select_option("agm")
        expect(page.locator("#block_cells")).to_have_value("6")
        page.get_by_text("reserve minutes", exact=True).click()
        page.get_by_label("Reserve", exact=True).fill("180")
        page.get_by_label("Reserve", exact=True).press("Tab")
        expect(page.get_by_text("at the 20-hour rate").first).to_be_visible()
        expect(page.get_by_text(re.compile(r"Not\s+75 Ah"))).to_be_visible()
        page.get_by_text("Ah on the nameplate").click()
        page.get_by_label("Capacity").fill("110")
        page.get_by_role("button", name="one more: rows in parallel").click()
        expect(page.locator("svg.bank .block")).to_have_count(2)
        page.get_by_label("main leads connect at").select_option("one_end")
        page.get_by_role("button", name="Put it right").click()
        expect(page.get_by_role("button", name="Put it right")).to_have_count(0)
        expect(page.locator(".one-number b")).to_have_text("220")
        page.get_by_role("button", name="Keep this battery").click()
        page.get_by_role("link", name="On to Numbers").click()
        # Numbers: a fraction for a percentage is refused beside the field, then typed rightly.
        page.get_by_role("button", name=re.compile("Tail current: 4 %")).click()
        page.get_by_role("textbox", name="Tail current").fill("0.05")
        page.get_by_role("textbox", name="Tail current").press("Enter")
        expect(page.locator("#problem-tail_current_pct")).to_contain_text("for 5 % type 5")
        page.get_by_role("textbox", name="Tail current").fill("3")
        page.get_by_role("textbox", name="Tail current").press("Enter")
        expect(page.get_by_role("button", name=re.compile("Tail current: 3 % = 6.6 A"))).to_be_visible()
        page.keyboard.press("Escape")
        line = page.get_by_role("slider", name="Charged voltage")
        line.focus()
        before = float(page.locator("#charged_voltage_v").input_value())
        line.press("ArrowDown")
        expect(page.locator("#charged_voltage_v")).to_have_value(f"{before - 0.01:.2f}")
        page.get_by_label("Why").fill("commissioning")
        page.get_by_role("button", name="Save this version").click()
        page.get_by_role("link", name="On to Watch").click()
        # Import: semicolons, decimal comma, other names; the preview, then the count.
        page.get_by_role("link", name="Import a log").first.click()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "mine.csv"
            path.write_text("\ufeffWann;Spannung;Strom\n" + ROWS, encoding="utf-8")
            page.set_input_files("#file", path)
            page.get_by_role("button", name="Look at it").click()
            page.get_by_label("time", exact=True).select_option("Wann")
            expect(page.get_by_role("button", name="Import", exact=True)).to_be_disabled()
            page.get_by_label("times are").select_option("epoch_s")
            expect(page.get_by_text("is this right?")).to_be_visible()
            page.get_by_role("button", name="Import", exact=True).click()
        expect(page.get_by_text("200 readings").first).to_be_visible()
        # by hand: reset after 5 min; 190 min of 12 A at k 1.12 above 11 A: 11 x (12/11)^1.12 x 190/60 = 38.4
        # Ah of 220
        expect(page.locator(".ledger .balance td")).to_have_text("38.4 Ah")
        expect(page.locator(".verdict .one-number b")).to_have_text("83")
        expect(page.locator("svg.paper .reset-mark")).to_have_count(1)
        expect(page.locator(".verdict h1")).to_contain_text("to the reserve of 50 %")

    def test_the_time_cursor_moves_the_whole_page_and_the_strip_pans_and_zooms(self):
        page = self.page()
        page.goto("/rigs/1/watch")
        paper = page.locator(".strip-paper")
        expect(page.locator("svg.paper .trace").first).to_be_attached()
        now = page.locator(".verdict .one-number b").inner_text()
        box = paper.bounding_box()
        page.mouse.click(box["x"] + box["width"] * 0.52, box["y"] + 100)
        expect(page.locator(".verdict .one-number b")).not_to_have_text(now)
        there = page.locator(".as-of").inner_text()
        self.assertIn("17 Nov", there)
        expect(page.locator("svg.paper .tip text").nth(2)).to_contain_text("%")
        paper.focus()
        page.keyboard.press("Shift+ArrowLeft")
        expect(page.locator(".as-of")).not_to_have_text(there)
        start = page.locator("svg.paper").get_attribute("data-start")
        page.keyboard.press("+")
        expect(page.locator("svg.paper")).not_to_have_attribute("data-start", start)
        page.get_by_role("button", name="the whole log").click()
        expect(page.locator("svg.paper .reset-mark")).to_have_count(84)
        page.keyboard.press("Tab")
        page.get_by_role("button", name="temperature").click()
        expect(page.locator("svg.paper .lane")).to_have_count(4)
        page.get_by_role("button", name="day", exact=True).click()
        page.mouse.move(box["x"] + 400, box["y"] + 120)
        page.mouse.down()
        page.mouse.move(box["x"] + 600, box["y"] + 120, steps=5)
        page.mouse.up()
        paper.focus()
        page.keyboard.press("End")
        expect(page.locator(".verdict .one-number b")).to_have_text(now)

    def test_a_trial_then_a_saved_version_counts_the_record_anew_and_versions_compare(self):
        page = self.page()
        page.goto("/rigs/6/numbers")
        grip = page.get_by_role("slider", name="Hold time")
        box = grip.bounding_box()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] + 90, box["y"] + 15, steps=4)
        page.mouse.up()
        expect(page.get_by_text("changed, not saved")).to_be_visible()
        minutes = float(page.locator("#hold_s").input_value())
        self.assertGreater(minutes, 10)
        page.get_by_role("button", name="Try on the whole log, then save").click()
        expect(
            page.get_by_role("heading", name=re.compile(r"\d+ full resets before, \d+ with the new numbers"))
        ).to_be_visible()
        page.get_by_label("Why").fill("longer hold tried")
        page.get_by_role("button", name="Save this version").click()
        page.get_by_role("link", name="2 versions").click()
        expect(page.locator("tr.differs")).to_contain_text("Hold time")

    def test_keys_lead_and_themes_and_units_stay(self):
        page = self.page()
        page.goto("/rigs/1/watch")
        page.keyboard.press("?")
        expect(page.get_by_role("heading", name="Keys")).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("g")
        page.keyboard.press("y")
        expect(page).to_have_url(re.compile(r"/$"))
        page.get_by_role("button", name=re.compile("Daylight")).click()
        expect(page.get_by_role("button", name=re.compile("Night"))).to_be_visible()
        page.get_by_role("button", name=re.compile("metric")).click()
        expect(page.get_by_role("button", name=re.compile("US customary"))).to_be_visible()
        page.reload()
        self.assertEqual(page.locator("html").get_attribute("data-theme"), "night")
        page.goto("/rigs/1/watch?pens=celsius")
        expect(page.locator("svg.paper .tip text")).to_contain_text("°F")
        page.goto("/")
        page.keyboard.press("/")
        page.keyboard.type("cutter\n")
        expect(page.locator(".strip")).to_have_count(1)


class Fitness(BrowserCase):
    def study(self):
        """Let the first rig's study be made, so that its map answers at once."""
        page = self.page()
        page.goto("/rigs/1/numbers/map")
        expect(page.locator(".resetmap")).to_be_visible(timeout=60_000)

    def open(self, page, address):
        """Go there and wait until the page asks for nothing more, and was painted."""
        page.goto(address)
        expect(page.locator("html[data-asking]")).to_have_count(0)
        page.evaluate("new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")

    def found(self, page, *rules):
        """What axe finds by some rules or sets of them, with the element it is about."""
        answer = page.evaluate(AXE_RUN, list(rules))
        return [
            f"{violation['id']}: {node['html'][:140]}"
            for violation in answer["violations"]
            for node in violation["nodes"]
        ]

    def test_axe_finds_nothing_on_any_page_in_either_theme(self):
        addresses = [
            "/",
            "/rigs/4/survey",
            "/rigs/7/survey/why",
            "/rigs/2/survey/day",
            "/rigs/4/survey/devices",
            "/rigs/3/survey/devices?show=device:blower_heater&pick=blower_heater",
            "/rigs/4/survey/gauge",
            "/rigs/5/path",
            "/rigs/4/path?drawing=found",
            "/rigs/2/path?pick=inverter&show=cable:shunt_link",
            "/rigs/2/path/parts",
            "/shelf/parts/shunts?key=causeway-150",
            "/rigs/1/numbers",
            "/rigs/1/numbers/versions",
            "/rigs/1/numbers/map",
            "/rigs/2/numbers/ladder",
            "/rigs/1/numbers/sheet?dialect=wall",
            "/shelf/dialects",
            "/shelf/parts/schools?key=balance",
            "/rigs/1/numbers/alarms",
            "/rigs/2/wireup",
            "/rigs/2/wireup/list",
            "/rigs/3/prove",
            "/rigs/1/prove?check=joint",
            "/rigs/1/prove/record",
            "/rigs/1/handover",
            "/rigs/6/owner",
            "/rigs/1/watch/event",
            "/rigs/1/visit",
            "/rigs/1/watch/trends",
            "/doors",
            "/pair",
            "/rigs/1/watch",
            "/rigs/1/watch/import",
            "/shelf",
            "/patterns",
            "/faults",
            "/faults/loose_lug",
            "/practice",
            "/practice/2/7?taken=display..,warmth.inverter.inverter_minus",
            *(
                f"/rigs/6/watch/{part}"
                for part in ("checkup", "ahead?nights=2", "loads", "alarms", "sums?by=week")
            ),
            "/rigs/1/watch/opinions",
            "/rigs/6/watch/devices",
            "/rigs/1/watch/helm?demo=1",
            "/rigs/1/watch/helm/layout",
            "/rigs/4/watch/ask",
            "/rigs/4/watch/ask?symptom=dead&answers=n",
            "/shelf/storage",
            "/nowhere",
        ]
        self.study()
        # on a phone and by night some of each kind: the same sheets of style hold for all
        by_night = set(addresses[::5])
        for width, looked_at in ((1280, addresses), (390, addresses[::8])):
            page = self.page(width=width, axe=True)
            for address in looked_at:
                self.open(page, address)
                with self.subTest(address, theme="day", width=width):
                    self.assertEqual(self.found(page, "wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"), [])
                if width < 400 or address not in by_night:
                    continue
                # By night only colours differ, and they hang on these two words alone.
                page.evaluate(
                    "Object.assign(document.documentElement.dataset, {theme: 'night', bsTheme: 'dark'})"
                )
                with self.subTest(address, theme="night", width=width):
                    self.assertEqual(self.found(page, "color-contrast", "link-in-text-block"), [])
        self.troubles = [trouble for trouble in self.troubles if "404" not in trouble]

    def test_stage_pages_fit_a_laptop_and_no_page_is_wider_than_a_phone(self):
        self.study()
        page = self.page()
        for address in (
            "/rigs/1/numbers",
            "/rigs/1/watch",
            "/rigs/1/survey",
            "/rigs/5/path",
            "/rigs/4/survey/devices",
            "/rigs/4/survey/gauge",
            "/rigs/1/numbers/map",
            "/rigs/2/numbers/ladder",
            "/rigs/1/numbers/alarms",
            "/rigs/2/wireup",
            "/rigs/3/prove",
            "/rigs/6/watch",
            *(
                f"/rigs/{rig}/watch/{part}"
                for rig in (1, 6)
                for part in ("checkup", "ahead", "loads", "opinions", "alarms", "sums")
            ),
        ):
            self.open(page, address)
            drawing = page.locator(
                ".questions, .strip-place, .survey, .board-paper, .map-left, .ladder, .alarm-list, "
                ".wireup-cards, .prove-guide, .checkup .paper, .empty-drawing"
            ).first.bounding_box()
            self.assertLessEqual(drawing["y"] + drawing["height"], 800, address)
            size = page.locator(".one-number b").first.evaluate(
                "node => parseFloat(getComputedStyle(node).fontSize)"
            )
            self.assertGreaterEqual(size, 56)
        phone = self.page(width=390, height=844)
        for address in (
            "/",
            "/rigs/1/numbers",
            "/rigs/1/watch",
            "/rigs/1/survey",
            "/shelf",
            "/rigs/5/path",
            "/rigs/4/survey/devices",
            "/rigs/4/survey/gauge",
            "/rigs/2/path/parts",
            "/shelf/parts/presets",
            "/rigs/1/numbers/map",
            "/rigs/2/numbers/ladder",
            "/rigs/1/numbers/sheet?dialect=phone",
            "/shelf/dialects",
            "/rigs/1/numbers/alarms",
            "/rigs/2/wireup",
            "/rigs/2/wireup/list",
            "/rigs/3/prove",
            "/rigs/1/prove/record",
            "/doors",
            "/pair",
            "/shelf/storage",
            "/practice/2/7?taken=display..&answer=sound:",
            "/faults",
            *(
                f"/rigs/6/watch/{part}"
                for part in (
                    "checkup",
                    "ahead?nights=2",
                    "loads",
                    "opinions",
                    "alarms",
                    "sums",
                    "ask",
                    "ask?symptom=dead",
                )
            ),
        ):
            self.open(phone, address)
            self.assertLessEqual(phone.evaluate("document.documentElement.scrollWidth"), 391, address)
