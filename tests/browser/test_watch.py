"""The owner's call answered from the desk.

From the alarm to the charger that bypasses, the mending, and what comes after it.
"""

import re
import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import expect

from tests.browser.bench import BrowserCase, ServedBenchRig

SOLAR = "solar_controller"


class DomeTruck(BrowserCase):
    def test_from_its_alarm_to_the_bypassing_charger_the_mending_and_readings_counted_whole(self):
        page = self.page()
        page.goto("/rigs/6/watch/alarms")
        expect(page.locator(".verdict h1")).to_contain_text(re.compile(r"would have spoken\s+\d+\s+times"))
        page.get_by_role("link", name="Cross-examine the log").click()
        expect(page.locator(".verdict h1")).to_contain_text("a charger bypasses the shunt")
        expect(page.locator(".causes")).to_contain_text(
            re.compile(r"About\s+\d+\s+Ah\s+a\s+day\s+came\s+in\s+unseen")
        )
        expect(page.locator("svg.evidence polygon.unseen").first).to_be_attached()
        # beside it the controller's own log
        page.get_by_role("link", name="import it beside").click()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "controller.csv"
            at = 1_795_189_200 - 600 * np.arange(2000)[::-1]
            path.write_text(
                "time,volts,amps\n"
                + "".join(
                    f"{when},28.0,{max(0.0, 12 * np.sin((when % 86400 / 86400 - 0.25) * 2 * np.pi)):.2f}\n"
                    for when in at
                )
            )
            page.set_input_files("#file", path)
            page.get_by_role("button", name="Look at it").click()
            page.get_by_role("button", name="Import", exact=True).click()
        expect(page.get_by_text("controller.csv, own amps")).to_be_visible()
        expect(page.locator("svg.evidence path.beside").first).to_be_attached()
        # the wiring is mended where the log ends; then the vehicle runs on, wired as planned
        page.get_by_label("what was done").fill("solar negative moved to the rig side")
        page.get_by_role("button", name="Mark it put right").click()
        expect(page.locator(".parts a")).to_have_count(2)
        served = ServedBenchRig(self.bench, 6, factor=60.0, interval_s=60.0)
        self.addCleanup(served.close)
        control = self.page()
        control.goto(served.address)
        control.get_by_role("group", name="Shore power").get_by_role("button", name="off", exact=True).click()
        control.locator("#sun").fill("1")
        solar = control.get_by_role("row", name=re.compile("^Solar"))
        expect(solar.get_by_role("cell", name="100 %")).to_be_visible()
        for _ in range(40):  # until its first readings came in
            page.goto("/rigs/6/watch")
            if page.locator("[data-live-figures]").count():
                break
            page.wait_for_timeout(500)
        expect(page.locator("[data-live-figures]")).to_contain_text(
            re.compile(r"\+\d+\.\d\d A"), timeout=40_000
        )  # the sun's amps are seen
        page.wait_for_timeout(4000)
        page.goto("/rigs/6/watch/checkup?part=0&span=all")
        before = page.locator("svg.evidence polygon.unseen").first.get_attribute("points")
        end = float(before.split()[-1].split(",")[0])
        page.goto("/rigs/6/watch/checkup")
        expect(page.locator(".parts a").nth(1)).to_have_attribute("aria-current", "true")
        expect(page.locator(".verdict h1")).to_contain_text(
            "a check-up wants at least"
        )  # too little to judge yet
        expect(page.locator("svg.evidence polygon.unseen")).to_have_count(0)  # nothing is estimated after it
        self.assertLess(end, 821)
        page.goto("/rigs/6/watch")
        expect(page.locator(".looked")).to_contain_text("Before the wiring was put right about")
        expect(page.locator("svg.paper text.entry", has_text="wiring put right")).to_be_attached()
        expect(page.get_by_text("Kept beside, never counted.")).to_be_visible()
        page.goto("/rigs/6/watch/checkup?part=0&span=all")
        page.get_by_role("button", name="Withdraw").click()
        expect(page.locator(".parts a")).to_have_count(0)


class Bookbus(BrowserCase):
    def test_what_if_is_drawn_over_what_is_a_night_is_kept_and_loads_are_named(self):
        page = self.page()
        page.goto("/rigs/1/watch/ahead")
        expect(page.locator(".verdict h1")).to_contain_text("As things are: the reserve of 15 %")
        page.get_by_label("Fridge").check()
        page.get_by_label("can we stay").select_option("3")
        page.get_by_role("button", name="Draw it").click()
        expect(page.locator(".verdict h1")).to_contain_text("of 100 such stays")
        expect(page.locator("svg.fan .asked-middle").first).to_be_attached()
        page.get_by_role("button", name="Keep it, to compare").click()
        expect(page.get_by_text("the morning is still to come")).to_be_visible()
        page.goto("/rigs/1/watch/loads")
        page.get_by_role("button", name="Inverter: take the measured use into the Survey").click()
        page.get_by_role("button", name="Inverter: back to what is listed").click()
        expect(page.get_by_role("button", name="Inverter: take the measured use")).to_be_visible()
        page.goto("/rigs/6/watch/loads")
        name = page.get_by_placeholder("name it").first
        name.fill("Kettle")
        name.press("Enter")
        expect(page.get_by_text("named here")).to_be_visible()
        page.get_by_role("button", name="Take back").click()
        expect(page.get_by_text("named here")).to_have_count(0)
        page.goto("/rigs/1/watch/opinions")
        page.get_by_role("button", name="Weigh them").click()
        expect(page.locator("#problem-0\\.name")).to_be_visible()
        page.locator('[name="0.soc_pct"]').fill("70")
        page.locator('[name="1.soc_pct"]').fill("540")
        page.get_by_role("button", name="Weigh them").click()
        expect(page.locator("#problem-1\\.soc_pct")).to_be_visible()
        page.locator('[name="1.soc_pct"]').fill("54")
        page.get_by_role("button", name="Weigh them").click()
        expect(page.locator(".verdict .one-number b")).to_have_text("62")
        page.goto("/rigs/1/watch/sums?by=week")
        with page.expect_download() as caught:
            page.get_by_label("as", exact=True).select_option("parquet")
            page.get_by_role("button", name="Export").click()
        self.assertEqual(caught.value.suggested_filename, "bookbus-readings.parquet")
        self.troubles = [trouble for trouble in self.troubles if "422" not in trouble]
