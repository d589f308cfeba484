"""`make screenshots`: the pictures in docs/screenshots, from the demo data at a set instant."""

from pathlib import Path

from tests.browser.bench import Bench, ServedBenchRig, call
from tests.vans import VANS

OUT = Path(__file__).parent.parent.parent / "docs" / "screenshots"
LAPTOP, PHONE = (1280, 800), (390, 844)
PRACTICE = (
    "/practice/1/2?taken=log..,display.inverter.,display.lights.,display.water_pump.,display.roof_fan.,do-down..,"
    "do-mend.move.roof_fan_minus,do-up..,display.roof_fan.&answer=load_bypass:roof_fan_minus"
)
SHOTS = {
    "yard": ("/", LAPTOP, "day"),
    "numbers": ("/rigs/1/numbers", LAPTOP, "day"),
    "watch": ("/rigs/1/watch", LAPTOP, "day"),
    "helm-night": ("/rigs/6/watch/helm?demo=1", LAPTOP, "night"),
    "watch-phone": ("/rigs/1/watch", PHONE, "day"),
    "survey-day": ("/rigs/2/survey/day", LAPTOP, "day"),
    "survey-devices": ("/rigs/4/survey/devices", LAPTOP, "day"),
    "watch-checkup": ("/rigs/6/watch/checkup", LAPTOP, "day"),
    "watch-ahead": ("/rigs/1/watch/ahead?sky=grey&sky_days=2", LAPTOP, "day"),
    "practice": (PRACTICE, LAPTOP, "day"),
    "wireup-phone": ("/rigs/2/wireup", PHONE, "day"),
    "visit": ("/rigs/1/visit", LAPTOP, "day"),
    "path-phone": ("/rigs/5/path?pick=fan&show=device:fan", PHONE, "day"),
    "handover": ("/rigs/1/handover", LAPTOP, "day"),
}
WHO = "Tolly"


def roll_call(bench):
    """Prove in the middle of a roll call, and the bench rig it is called on."""
    served = ServedBenchRig(bench, 3, "blower_heater_minus.b=C1.minus")
    try:
        context = bench.browser.new_context(
            viewport={"width": 1280, "height": 800}, timezone_id="Europe/London"
        )
        context.add_cookies([{"name": "volnik_who", "value": WHO, "url": bench.address}])
        page, control = context.new_page(), context.new_page()
        control.goto(served.address)
        page.goto(f"{bench.address}/rigs/3/prove")
        page.locator("[data-live-figures]:visible").wait_for()
        for name, device in (
            ("Surgery lights", "surgery_lights"),
            ("Sockets", "sockets"),
            ("Blower heater", "blower_heater"),
        ):
            call(page, control, name, device)
        page.wait_for_timeout(1500)
        page.screenshot(path=OUT / "prove.png")
        control.get_by_role("group", name="Surgery lights", exact=True).get_by_role(
            "button", name="on", exact=True
        ).click()
        control.get_by_role("group", name="Blower heater", exact=True).get_by_role(
            "button", name="on", exact=True
        ).click()
        control.wait_for_timeout(2500)
        control.screenshot(path=OUT / "bench-rig.png")
        context.close()
    finally:
        served.close()


def quick_job(bench):
    """A quick job while it is typed."""
    chemistry, label, _, lines = VANS["panel van"]
    page = bench.browser.new_page(viewport={"width": 1280, "height": 800})
    page.goto(f"{bench.address}/quick")
    page.locator(f"input[value={chemistry}]").check()
    page.get_by_label("On its label").fill(label)
    page.get_by_label("Devices, one a line").fill("\n".join(lines))
    page.get_by_text("Every device is counted").wait_for()
    page.screenshot(path=OUT / "quick.png")
    page.close()


def bypass(bench):
    """A plan in which one heavy device passes the shunt by."""
    page = bench.browser.new_page(viewport={"width": 1280, "height": 800})
    page.goto(f"{bench.address}/rigs/3/path?pick=blower_heater&show=device:blower_heater")
    page.get_by_label("negative on").select_option(label="minus post of C1")
    page.get_by_role("heading", name="not counted").or_(page.locator(".wire.uncounted").first).wait_for(
        state="attached"
    )
    page.goto(f"{bench.address}/rigs/3/path")
    page.wait_for_timeout(300)
    page.screenshot(path=OUT / "path-bypass.png")
    page.get_by_role("button", name="Undo").click()
    page.locator(".wire.uncounted").first.wait_for(state="detached")
    page.close()


def main():
    """Take every picture."""
    OUT.mkdir(exist_ok=True)
    bench = Bench()
    try:
        for name, (address, (width, height), theme) in SHOTS.items():
            context = bench.browser.new_context(
                viewport={"width": width, "height": height}, timezone_id="Europe/London"
            )
            context.add_cookies(
                [
                    {"name": "volnik_theme", "value": theme, "url": bench.address},
                    {"name": "volnik_who", "value": WHO, "url": bench.address},
                ]
            )
            page = context.new_page()
            page.goto(bench.address + address)
            page.wait_for_load_state("networkidle")
            page.wait_for_timeout(250)
            page.screenshot(path=OUT / f"{name}.png")
            context.close()
        page = bench.browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{bench.address}/rigs/1/numbers/map?b=under-float")
        page.locator(".resetmap").wait_for(timeout=60_000)
        page.goto(f"{bench.address}/rigs/1/numbers/map?b=under-float")
        page.wait_for_timeout(300)
        page.screenshot(path=OUT / "numbers-map.png")
        bypass(bench)
        roll_call(bench)
        quick_job(bench)
    finally:
        bench.close()


if __name__ == "__main__":
    main()
