"""The bay: step cards on a phone with the link cut and restored.

A roll call against a bench rig that finds a wrong wire.
"""

import re

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase, ServedBenchRig, call


class StepCards(BrowserCase):
    def test_ticks_made_while_the_link_is_away_arrive_once_also_after_a_reload(self):
        page = self.page(width=390, height=844)
        page.goto("/rigs/2/wireup/list")
        settled = int(page.locator(".one-number b").inner_text())
        page.goto("/rigs/2/wireup")
        page.get_by_placeholder("another name").fill("Wren")
        page.get_by_role("button", name="It is me").click()
        expect(page.get_by_text("Wren holds this")).to_be_visible()
        shown = page.locator(".work-card:visible")
        expect(shown).to_have_count(1)
        title = shown.locator("h2").inner_text()
        # a step out of its turn cannot be ticked
        page.get_by_role("button", name="All cards").click()
        page.locator("#all-steps").get_by_role("button", name="Power up").click()
        late = shown.locator(".card-step").first
        expect(late.locator(".step-blocked")).to_contain_text("First: ")
        expect(late.locator("[data-tick]")).to_be_disabled()
        page.get_by_role("button", name="All cards").click()
        page.locator("#all-steps").get_by_role("button", name=re.compile(re.escape(title))).click()
        page.context.set_offline(True)
        for _ in range(3):
            self.tick(shown.locator(".card-step:has([data-tick]:enabled:visible)").first)
        expect(
            page.get_by_text(re.compile("3 entries wait in this browser; the link is away"))
        ).to_be_visible()
        expect(page.locator("[data-settled]")).to_have_text(str(settled + 3))
        page.context.set_offline(False)
        page.reload()  # before anything was sent: the queue is still there
        expect(page.locator("[data-queue]")).to_have_text("")
        expect(page.locator("[data-settled]")).to_have_text(str(settled + 3))
        page.reload()
        expect(page.locator("[data-settled]")).to_have_text(str(settled + 3))
        step = shown.locator(".card-step").first
        step.locator("summary").click()
        step.locator("[data-note]").fill("lug scraped bright")
        step.locator("[data-keep-note]").click()
        expect(step.locator(".step-notes")).to_contain_text("lug scraped bright")
        expect(page.locator("[data-queue]")).to_have_text("")
        page.goto("/rigs/2/wireup/list")
        expect(page.get_by_text("Note, Wren: lug scraped bright")).to_be_visible()
        expect(page.get_by_text(re.compile(r"Done[\s\S]*,\s+Wren"))).to_have_count(3)
        self.troubles = [trouble for trouble in self.troubles if "ERR_INTERNET_DISCONNECTED" not in trouble]

    def test_readings_typed_at_prove_without_a_link_arrive_once_and_the_next_device_is_asked_for(self):
        page = self.page(width=390, height=844, touch=True)
        page.goto("/rigs/1/prove?device=inverter")
        page.get_by_placeholder("another name").fill("Wren")
        page.get_by_role("button", name="It is me").click()
        page.goto("/rigs/1/prove?device=inverter")
        desk = page.locator(".typed-roll")
        expect(desk.get_by_role("heading")).to_have_text("Inverter")
        page.context.set_offline(True)
        desk.get_by_label("all as before, it off").fill("-0.4")
        desk.get_by_label("with it on", exact=True).fill("-41.2")
        desk.get_by_role("button", name="Keep, next").click()
        expect(page.get_by_text("1 measurement waits in this browser")).to_be_visible()
        expect(desk.get_by_role("heading")).not_to_have_text("Inverter")
        page.context.set_offline(False)
        page.reload()
        expect(page.get_by_text("waits in this browser")).to_have_count(0)
        expect(page.get_by_text("Not kept")).to_have_count(0)  # the page may be on its way to another
        page.goto("/rigs/1/prove/record")
        row = page.locator("tr", has=page.get_by_text("Wren"))
        expect(row).to_have_count(1)
        expect(row).to_contain_text("Inverter")
        self.troubles = [trouble for trouble in self.troubles if "ERR_INTERNET_DISCONNECTED" not in trouble]

    def tick(self, step):
        field = step.locator("[data-value]")
        if field.count():
            field.fill("9,5" if "N·m" in step.inner_text() else "0")
        if step.locator("[data-answer=yes]").count():
            step.locator("[data-answer=yes]").click()
        step.locator("[data-tick]").click()


class RollCall(BrowserCase):
    def test_the_heater_left_on_the_battery_post_is_found_its_cable_moved_and_then_it_passes(self):
        served = ServedBenchRig(self.bench, 3, "blower_heater_minus.b=C1.minus")
        self.addCleanup(served.close)
        page, control = self.page(), self.page()
        control.goto(served.address)
        page.goto("/rigs/3/path")
        expect(page.locator(".verdict")).to_contain_text(re.compile("counted", re.I))  # Path is content
        page.goto("/rigs/3/prove")
        expect(page.locator("[data-live-figures]")).to_be_visible()
        call(page, control, "Surgery lights", "surgery_lights")
        expect(page.locator(".roll-verdict")).to_contain_text("Surgery lights: counted")
        page.locator('[data-call="blower_heater"]').first.click()
        page.wait_for_timeout(1500)
        page.reload()  # in the middle of a roll call: nothing is lost
        expect(page.get_by_role("heading", name="Blower heater", exact=True)).to_be_visible()
        call(page, control, "Blower heater", "blower_heater")
        expect(page.locator(".roll-verdict")).to_contain_text("Blower heater: not counted")
        expect(page.locator(".roll-verdict")).to_contain_text("follow the wire, or correct the drawing")
        expect(page.locator(".verdict h1")).to_contain_text("not counted")
        page.locator(".roll-verdict").get_by_role("link", name="The drawing").click()
        expect(page.locator(".path-board")).to_be_visible()
        control.get_by_label("Blower heater: its negative really sits on").select_option(
            label="negative busbar (as drawn)"
        )
        expect(control.get_by_text("not as drawn")).to_have_count(0)
        page.goto("/rigs/3/prove")
        call(page, control, "Blower heater", "blower_heater")
        expect(page.locator(".roll-verdict")).to_contain_text("Blower heater: counted")
        expect(page.locator(".verdict .one-number b")).to_have_text("2")
        page.get_by_role("link", name=re.compile("All . entries")).click()
        expect(page.get_by_role("cell", name=re.compile("not counted, the shunt saw"))).to_be_visible()
        expect(page.get_by_role("cell", name="live", exact=True)).to_have_count(3)
