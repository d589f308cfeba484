"""Prove alone in a van: results said aloud, the next device called by itself; or one keypad for all."""

import re

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase, ServedBenchRig, call

# Headless browsers have no voices: this one writes down what it is given to say.
VOICE = """
window.saidAloud = [];
const voices = [{localService: true, lang: "en-GB", name: "stand-in"}];
Object.defineProperty(window, "speechSynthesis", {value: {
  getVoices: () => voices,
  cancel() {},
  speak(words) { window.saidAloud.push(words.text); setTimeout(() => words.onend(), 50); },
}});
window.SpeechSynthesisUtterance = class { constructor(text) { this.text = text; } };
"""


class ByEar(BrowserCase):
    def test_each_result_is_said_and_the_next_device_called_by_itself(self):
        served = ServedBenchRig(self.bench, 3)
        self.addCleanup(served.close)
        page, control = self.page(width=390, height=844), self.page()
        page.add_init_script(VOICE)
        control.goto(served.address)
        page.goto("/rigs/3/prove")
        expect(page.locator("[data-live-figures]")).to_be_visible()
        page.get_by_label(re.compile("By ear")).check()
        call(page, control, "Surgery lights", "surgery_lights")
        page.wait_for_function("window.saidAloud.some((words) => words.startsWith('Surgery lights counted'))")
        # nobody presses anything: the next one is called
        expect(page.get_by_role("button", name="It is on")).to_be_visible(timeout=60_000)
        said = page.evaluate("window.saidAloud")
        self.assertEqual(said[:3], ["Surgery lights. On.", "Off.", "Surgery lights counted."])
        page.wait_for_function("window.saidAloud.length > 3 && window.saidAloud[3].endsWith('. On.')")
        self.assertNotIn("Surgery lights", page.evaluate("window.saidAloud[3]"))

    def test_typed_on_one_keypad_with_the_baseline_kept(self):
        page = self.page(width=390, height=844)
        page.goto("/rigs/2/prove")
        form = page.locator(".typed-roll")
        first = form.locator("h2").inner_text()
        form.get_by_label("all as before, it off").fill("-0.3")
        form.get_by_label("with it on").click()
        for key in ("4", ".", "2", "7", "−"):
            form.locator(f'[data-key="{key}"]').click()
        form.get_by_role("button", name="Rub out the last figure").click()
        expect(form.get_by_label("with it on")).to_have_value("−4.2")
        form.get_by_role("button", name="Keep, next").click()
        expect(page.locator(".roll-verdict")).to_contain_text(first)
        expect(form.locator("h2")).not_to_have_text(first)
        expect(form.get_by_label("all as before, it off")).to_have_value("-0.3")
        expect(form.get_by_label("with it on")).to_have_value("")
