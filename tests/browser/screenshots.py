"""`make screenshots`: the pictures in docs/screenshots, from the demo data at a set instant."""

from pathlib import Path

from tests.browser.bench import Bench

OUT = Path(__file__).parent.parent.parent / "docs" / "screenshots"
LAPTOP, PHONE = (1280, 800), (390, 844)
SHOTS = {
    "yard": ("/", LAPTOP, "day"), "yard-phone": ("/", PHONE, "day"), "survey": ("/rigs/4/survey", LAPTOP, "day"),
    "numbers": ("/rigs/1/numbers", LAPTOP, "day"), "numbers-ladder": ("/rigs/2/numbers/ladder", LAPTOP, "night"),
    "watch": ("/rigs/1/watch", LAPTOP, "day"), "watch-night": ("/rigs/6/watch", LAPTOP, "night"),
    "watch-phone": ("/rigs/1/watch", PHONE, "day"), "shelf": ("/shelf", LAPTOP, "day"), "patterns": ("/patterns", LAPTOP, "day"),
    "survey-devices": ("/rigs/4/survey/devices", LAPTOP, "day"), "survey-gauge": ("/rigs/4/survey/gauge", LAPTOP, "day"),
    "path-planned": ("/rigs/5/path", LAPTOP, "day"),
    "path-phone": ("/rigs/5/path?pick=fan&show=device:fan", PHONE, "day"), "shelf-dialects": ("/shelf/dialects?key=wall", LAPTOP, "day"),
    "numbers-sheet": ("/rigs/1/numbers/sheet?dialect=simple", LAPTOP, "day"),
}  # fmt: skip
LOG = "Zeit;Spannung (V);Strom mA\n" + "".join(
    f"01.11.2026 10:{at:02}:00;13,{25 - at};{-5000 - 10 * at}\n" for at in range(9)
)


def main():
    """Take every picture."""
    OUT.mkdir(exist_ok=True)
    bench = Bench()
    try:
        for name, (address, (width, height), theme) in SHOTS.items():
            context = bench.browser.new_context(
                viewport={"width": width, "height": height}, timezone_id="Europe/London"
            )
            context.add_cookies([{"name": "volnik_theme", "value": theme, "url": bench.address}])
            page = context.new_page()
            page.goto(bench.address + address)
            page.wait_for_load_state("networkidle")
            page.wait_for_timeout(250)
            page.screenshot(path=OUT / f"{name}.png")
            context.close()
        page = bench.browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{bench.address}/rigs/1/numbers")
        page.get_by_role("slider", name="Charged voltage").press("PageDown")
        page.get_by_text("changed, not saved").wait_for()
        page.get_by_role("slider", name="Charged voltage").press("PageDown")
        page.wait_for_timeout(300)
        page.get_by_role("button", name="Try on the whole log, then save").click()
        page.get_by_text("Nothing is saved yet").wait_for()
        page.screenshot(path=OUT / "trial.png")
        page.goto(f"{bench.address}/rigs/1/numbers/map?b=under-float")
        page.locator(".resetmap").wait_for(timeout=60_000)
        page.goto(f"{bench.address}/rigs/1/numbers/map?b=under-float")
        page.wait_for_timeout(300)
        page.screenshot(path=OUT / "numbers-map.png")
        page.goto(f"{bench.address}/rigs/3/watch/import")
        page.set_input_files("#file", {"name": "logger.csv", "mimeType": "text/csv", "buffer": LOG.encode()})
        page.get_by_role("button", name="Look at it").click()
        page.get_by_text("is this right?").wait_for()
        page.screenshot(path=OUT / "import.png")
    finally:
        bench.close()


if __name__ == "__main__":
    main()
