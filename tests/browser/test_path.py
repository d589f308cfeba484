"""The path board driven as an installer would: by mouse, by keys, by touch."""

import re

from playwright.sync_api import expect

from tests.browser.bench import BrowserCase


def middle(locator):
    """Middle of what is drawn."""
    box = locator.bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


class Board(BrowserCase):
    def shares(self, page, name):
        """What the board says of a device."""
        return page.locator(f'[data-pick="{name}"] .told')

    def test_a_heaters_negative_is_dragged_to_the_rig_side_and_undone(self):
        page = self.page()
        page.goto("/rigs/3/path")
        heater = self.shares(page, "blower_heater")
        expect(heater).to_have_text("counted")
        # by mouse: off the busbar and onto the battery post, where it is not counted
        end = page.locator('.end[data-cable="blower_heater_minus"][data-end="b"]')
        rail_x, rail_y = middle(end)
        post_x, post_y = middle(page.locator(".post.minus").last)
        page.mouse.move(rail_x, rail_y)
        page.mouse.down()
        page.mouse.move(post_x + 30, post_y + 40, steps=6)
        expect(page.locator(".path-board.choosing .target.possible").first).to_be_attached()
        page.mouse.move(post_x, post_y, steps=4)
        expect(page.locator(".target.aimed")).to_have_attribute("data-stud", "C1.minus")
        page.mouse.up()
        expect(heater).to_have_text("0 % counted")
        expect(
            page.get_by_text(
                "Blower heater: 0 % of its 2 A is counted; its negative is on the minus post of C1."
            )
        ).to_be_visible()
        expect(page.locator(".one-number b")).to_have_text("6")
        # and back to the rig side, onto the busbar
        x, y = middle(page.locator('.end[data-cable="blower_heater_minus"][data-end="b"]'))
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(rail_x + 4, rail_y, steps=8)
        expect(page.locator(".target.aimed")).to_have_attribute("data-stud", "minus_busbar")
        page.mouse.up()
        expect(heater).to_have_text("counted")
        page.get_by_role("button", name="Undo").click()
        expect(heater).to_have_text("0 % counted")
        page.get_by_role("button", name="Redo").click()
        expect(heater).to_have_text("counted")
        # dropped in the air it ends nowhere: nothing changes
        x, y = middle(page.locator('.end[data-cable="blower_heater_minus"][data-end="b"]'))
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(1100, 560, steps=6)
        page.mouse.up()
        expect(heater).to_have_text("counted")

    def test_what_is_half_typed_stays_while_the_board_is_drawn_anew(self):
        page = self.page()
        page.goto("/rigs/3/survey/devices?show=device:blower_heater&pick=blower_heater")
        lines, peak = page.locator("#lines"), page.locator("#f-surge_a")
        lines.fill("Radio, 2 A, bus")
        peak.fill("12")
        fridge = page.get_by_label("Vaccine fridge: its negative lands on")
        on_bus = fridge.input_value()
        fridge.select_option(label="minus post of C1")
        end = page.locator('.end[data-cable="vaccine_fridge_minus"][data-end="b"]')
        expect(end).to_have_attribute("data-on", "C1.minus")
        expect(lines).to_have_value("Radio, 2 A, bus")
        expect(peak).to_have_value("12")
        # what the server says anew is followed: undone, the list shows the busbar again
        page.get_by_role("button", name="Undo").click()
        expect(fridge).to_have_value(on_bus)
        # another device's slip begins with that device's own figures
        page.locator('.named[data-pick="vaccine_fridge"]').click()
        expect(page.locator("#name")).to_have_value("Vaccine fridge")
        expect(peak).to_have_value("")
        expect(lines).to_have_value("Radio, 2 A, bus")

    def test_the_same_by_keys_on_another_rig(self):
        page = self.page()
        page.goto("/rigs/1/path")
        heater = self.shares(page, "blower_heater")
        end = page.locator('.end[data-cable="blower_heater_minus"][data-end="b"]')
        # a row is one tab stop: a letter leads to the device, an arrow on to its cables
        stops, all_of_them = (page.locator(f".path-board [tabindex{at}]").count() for at in ('="0"', ""))
        self.assertLess(3 * stops, 2 * all_of_them)
        page.locator('.path-board [tabindex="0"]').first.focus()
        for _ in range(3):  # past the batteries, A1 and B1
            page.keyboard.press("b")
        expect(page.locator('[data-pick="blower_heater"]')).to_be_focused()
        page.keyboard.press("ArrowRight")
        expect(page.locator(".end:focus")).to_have_count(1)
        page.keyboard.press("Escape")
        expect(page.locator('[data-pick="blower_heater"]')).to_be_focused()
        end.focus()
        for _ in range(12):
            page.keyboard.press("ArrowUp")
            if page.locator(".target.aimed").get_attribute("data-stud") == "B1.minus":
                break
        expect(page.locator("#aimed-at")).to_have_text("minus post of B1")
        page.keyboard.press("Enter")
        expect(heater).to_have_text("0 % counted")
        page.get_by_role("button", name=re.compile("Put it right: Blower heater")).click()
        expect(heater).to_have_text("counted")
        page.locator(".one-number").click()
        page.keyboard.press("Control+z")
        expect(heater).to_have_text("0 % counted")
        page.keyboard.press("Control+z")
        expect(heater).to_have_text("counted")
        # Enter at rest opens the cable: its size is refused beside the field, then kept
        page.locator('.end[data-cable="blower_heater_minus"][data-end="b"]').focus()
        page.keyboard.press("Enter")
        page.get_by_label("Size").fill("thick")
        page.get_by_label("Size").press("Enter")
        expect(page.locator("[data-problem]")).to_contain_text("35 mm² or 2/0 AWG")
        page.get_by_label("Size").fill("10 AWG")
        page.get_by_label("Length, one way").fill("2,5")
        page.get_by_label("Length, one way").press("Enter")
        expect(page.locator("[data-slip]")).to_contain_text("carries 60 A")
        self.troubles = [trouble for trouble in self.troubles if "422" not in trouble]

    def test_a_rig_is_drawn_from_nothing_planned_and_its_parts_listed(self):
        page = self.page()
        page.goto("/")
        page.get_by_role("button", name="New rig").click()
        page.get_by_label("Name", exact=True).fill("Dunlin")
        page.get_by_role("button", name="Take it into the Yard").click()
        page.get_by_label("From the Shelf, or printed on it").fill("Lowtide 200")
        page.get_by_label("From the Shelf, or printed on it").press("Tab")
        expect(page.locator("#ah")).to_have_value("200")
        page.get_by_role("button", name="Keep this battery").click()
        page.get_by_role("link", name="On to its devices").click()
        field = page.get_by_label("A line a device")
        for line in (
            "Heater, 2 A, battery post, fuse 15 A, 6 mm², 1 m",
            "Solar controller, 20 A, battery post, fuse 30 A, 10 mm², 2 m",
        ):
            field.fill(line)
            field.press("Enter")
            expect(page.locator(".landings")).to_contain_text(line.split(",")[0])
        expect(page.get_by_text("2 negatives on the battery posts, no shunt yet")).to_be_visible()
        field.fill("Radio, 25 furlongs, busbar")
        field.press("Enter")
        expect(page.get_by_text("Line 1: “25 furlongs” cannot be read")).to_be_visible()
        expect(field).to_have_value("Radio, 25 furlongs, busbar")
        page.get_by_role("link", name="Plan the path").click()
        expect(page.get_by_text("No shunt is drawn, and 2 cables are")).to_be_visible()
        expect(page.locator(".bead.here")).to_contain_text("no plan yet")
        page.get_by_role("button", name="Put all right").click()
        preview = page.locator(".mends > li")
        expect(preview.first).to_contain_text("No shunt is drawn")
        expect(preview.first).to_contain_text("Fit the shunt")
        for row in preview.all():
            row.get_by_role("checkbox").uncheck()
        page.get_by_role("button", name="Put these right").click()
        expect(preview).to_have_count(0)
        expect(page.get_by_text("No shunt is drawn, and 2 cables are")).to_be_visible()  # nothing was taken
        page.get_by_role("button", name="Put all right").click()
        page.get_by_role("button", name="Put these right").click()
        expect(page.get_by_text("every amp crosses the shunt")).to_be_visible()
        expect(page.locator(".bead.here")).to_contain_text("no stops")
        expect(page.locator(".one-number b")).to_have_text("2")
        page.get_by_role("button", name=re.compile("^Solar controller, ")).click()
        expect(page.locator(".path-board .arrow").first).to_be_attached()
        expect(page.locator(".wire.heavy")).to_have_count(3)  # its negative, its positive, the link
        page.get_by_role("button", name="As found").click()
        expect(page.locator(".box.shunt")).to_have_count(0)
        page.get_by_role("button", name="As planned").click()
        expect(page.locator(".box.shunt")).to_have_count(1)
        page.get_by_role("link", name="Parts and tools").click()
        expect(page.get_by_role("rowheader", name="Shunt Causeway 150 (150 A / 50 mV)")).to_be_visible()
        self.troubles = [trouble for trouble in self.troubles if "422" not in trouble]

    def test_a_load_that_runs_alone_is_picked_and_its_cable_says_what_protects_it(self):
        page = self.page()
        page.goto("/rigs/4/path")
        page.get_by_role("button", name=re.compile("^Windlass, ")).click()
        expect(page.locator("[data-slip]")).to_contain_text("Windlass")
        page.goto("/rigs/4/path?show=cable:windlass_plus")
        protects = page.get_by_role("region", name="What protects this?")
        expect(protects).to_contain_text("100 A for good (its own fuse 100 A); 110 A below what it carries.")
        page.get_by_label("Fuse at its feeding end").fill("")
        page.get_by_role("button", name="Keep the fuse").click()
        expect(protects).to_contain_text("whatever the batteries give")
        expect(protects).to_contain_text("nothing opens")

    def test_on_a_phone_a_cable_is_landed_by_its_list(self):
        page = self.page(width=390)
        page.goto("/rigs/5/path")
        page.get_by_role("button", name=re.compile("^Water pump,")).click()
        slip = page.locator("[data-slip]")
        expect(slip).to_be_in_viewport()
        slip.get_by_label("negative on").select_option(label="battery's minus post")
        expect(slip).to_contain_text("0.0 % of its current")
        page.get_by_role("button", name="Undo").click()
        expect(page.locator('[data-pick="water_pump"] .told')).to_have_text("counted")

    def test_what_was_found_is_drawn_at_survey(self):
        page = self.page()
        page.goto("/rigs/4/survey/devices")
        landing = page.get_by_label("Bilge pump: its negative lands on")
        expect(landing).to_have_value("B1.minus")
        x, y = middle(page.locator('.end[data-cable="bilge_pump_minus"][data-end="b"]'))
        rail_x, rail_y = middle(page.locator(".rail-bar.busbar rect").first)
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(rail_x, rail_y, steps=8)
        page.mouse.up()
        expect(landing).to_have_value("minus_busbar")
        page.get_by_role("button", name="Undo").click()
        expect(landing).to_have_value("B1.minus")
        page.get_by_label("Mains charger: its negative lands on").select_option(label="negative busbar")
        expect(page.get_by_text("not looked yet")).to_have_count(0)
        # a device's figures: a bad one is told beside its field, the others are kept as typed
        page.get_by_role("button", name=re.compile("^Fridge compressor")).click()
        page.get_by_label("or current").fill("lots")
        page.get_by_label("Name", exact=True).fill("Cool box")
        page.get_by_role("button", name="Keep the figures").click()
        expect(page.locator("#problem-current_a")).to_contain_text("is not a number")
        expect(page.get_by_label("Name", exact=True)).to_have_value("Cool box")
        page.get_by_label("or current").fill("3,5")
        page.get_by_role("button", name="Keep the figures").click()
        expect(page.locator(".landings")).to_contain_text("Cool box")
        self.troubles = [trouble for trouble in self.troubles if "422" not in trouble]
