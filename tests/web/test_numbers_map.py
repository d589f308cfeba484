"""The reset map, the ladder and the sheet as pages.

Made once, read often, refused where a charger cannot be.
"""

import json
import re
import unittest

from tests.web.shops import visitor

SETTLED = 60


def made(client, rig_id=1):
    """The map page of a rig, its study made first."""
    answer = client.get(f"/rigs/{rig_id}/numbers/map", follow_redirects=False)
    started = re.match(r"/jobs/([\w-]+)", answer.headers.get("location", ""))
    if started:
        client.running.jobs.settle(client.running.jobs.job(started.group(1)), SETTLED)
    return client.get(f"/rigs/{rig_id}/numbers/map")


class Maps(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.shop = visitor(demo=True)
        cls.client = cls.shop.__enter__()
        cls.page = made(cls.client).text

    @classmethod
    def tearDownClass(cls):
        cls.shop.__exit__(None, None, None)

    def test_two_installers_put_their_tails_on_one_map(self):
        wide = self.client.get("/rigs/1/numbers/map/at?v=13.4&t=5&h=180").text
        narrow = self.client.get("/rigs/1/numbers/map/at?v=13.9&t=2&h=180").text
        self.assertIn("false full, stays wrong", wide)
        self.assertIn("resets rightly", narrow)
        self.assertIn("(16.0 A) held 3 min", wide)  # by hand: 5 % of 320 Ah

    def test_schools_zones_and_limits_are_on_the_page(self):
        for words in (
            "Float less 0.3 V",
            "Where balancing begins",
            "false full, corrects itself",
            "What the model leaves out",
            "Recommended 13.",
        ):
            self.assertIn(words, self.page)
        self.assertIn("z-early_lasts", self.page)

    def test_another_hold_is_another_map(self):
        boards = [
            self.client.get(f"/rigs/1/numbers/map/board?v=14.1&t=5&h={hold}").text for hold in (60, 1800)
        ]
        self.assertIn('data-hold="1800" aria-pressed="true"', boards[1])
        self.assertNotEqual(*[re.findall(r'class="zone-\w+" x="[^>]+', board) for board in boards])

    def test_a_drag_asks_nothing_that_must_be_made(self):
        before = list(self.client.running.context.works)
        self.client.get("/rigs/1/numbers/map/at?v=13.77&t=3.3&h=300&b=balance&day=20")
        self.assertEqual(sorted(before), sorted(self.client.running.context.works))

    def test_a_setting_is_taken_to_the_numbers_unsaved(self):
        page = self.client.get("/rigs/1/numbers?v=13.8&t=3&h=300").text
        self.assertIn("changed, not saved", page)
        self.assertIn('name="charged_voltage_v" value="13.8"', page)
        self.assertIn("Recommended here", page)
        self.assertEqual(self.client.get("/rigs/1/numbers?v=abc").status_code, 200)

    def test_both_settings_on_the_real_log(self):
        answer = self.client.change(
            "/rigs/1/numbers/map/log", {"v": "14.1", "t": "2", "h": "600", "b": "held"}
        )
        page = self.client.get(answer.headers["location"]).text
        self.assertIn("would have reset", page)
        self.assertIn("84 with the numbers as set", page)

    def test_impossible_use_is_told_beside_its_field_and_kept(self):
        answer = self.client.change(
            "/rigs/1/numbers/map/use",
            {"season": "summer", "sky": "mixed", "drive_days": "9", "drive_h": "2", "shore_nights": "x"},
        )
        self.assertEqual(answer.status_code, 422)
        self.assertIn("“x” is not a number", answer.text)
        self.assertIn('value="9"', answer.text)

    def test_a_changed_use_makes_another_study(self):
        client = self.client
        made(client, 3)
        count = len(client.running.context.works)
        client.change(
            "/rigs/3/numbers/map/use",
            {"season": "winter", "sky": "cloudy", "drive_days": "0", "drive_h": "0", "shore_nights": "0"},
        )
        page = made(client, 3).text
        self.assertGreater(len(client.running.context.works), count)
        self.assertIn("This battery is never filled", page)
        self.assertIn("reset by hand after a shore night", page)
        sheet = client.get("/rigs/3/numbers/ladder").text
        self.assertIn("This battery is never filled", sheet)

    def test_a_charger_that_cannot_be_is_named(self):
        client = self.client
        document = client.get("/rigs/5/document.json").json()
        for item in document["devices"]:
            if item["id"] == "mains_charger":
                item |= {"absorption_v": 56.0, "float_v": 58.0}
        document["rig"]["name"] = "Odd"
        files = {"document": ("rig.json", json.dumps(document).encode(), "application/json")}
        answer = client.change("/rigs/document", files=files)
        rig_id = re.search(r"/rigs/(\d+)", answer.headers["location"]).group(1)
        page = client.get(f"/rigs/{rig_id}/numbers/map")
        self.assertEqual(page.status_code, 422)
        self.assertIn("float 58 V lies above absorption 56 V", page.text)
        self.assertIn("float 58 V lies above absorption 56 V", client.get(f"/rigs/{rig_id}/numbers").text)

    def test_cut_offs_are_kept_on_the_ladder(self):
        client = self.client
        bad = client.change("/rigs/6/numbers/ladder", {"cell_low_v": "", "cell_high_v": "58"})
        self.assertEqual(bad.status_code, 422)
        self.assertIn("is volts a cell", bad.text)
        client.change("/rigs/6/numbers/ladder", {"cell_low_v": "2.8", "cell_high_v": "3.58"})
        page = client.get("/rigs/6/numbers/ladder").text
        self.assertIn("28.64 V, 3.580 a cell", page)
        self.assertIn("less than 0.05 V under the cell cut-off", page)


class Sheets(unittest.TestCase):
    def test_a_sheet_is_given_out_read_back_and_compared_with_the_last(self):
        with visitor(demo=True) as client:
            base = "/rigs/1/numbers/sheet"
            page = client.get(f"{base}?dialect=wall").text
            self.assertIn("A DONE", page)
            client.change(base, {"dialect": "wall"})
            plain = client.get(f"{base}.json").json()
            self.assertEqual(plain["monitor"]["key"], "wall")
            self.assertEqual(
                next(row["value"] for row in plain["rows"] if row["key"] == "charged_voltage_v"), 3.47
            )
            answer = client.change(
                f"{base}/read-back", {"same-capacity_ah": "on", "charged_voltage_v": "3,30"}
            )
            self.assertIn("said=off", answer.headers["location"])
            answer = client.change(f"{base}/read-back", {"same-charged_voltage_v": "on"})
            self.assertIn("said=part", answer.headers["location"])
            page = client.get(base).text
            unread = len([row for row in plain["rows"] if row["value"] is not None]) - 2
            self.assertIn(f"{unread} values not read back from the monitor yet", page)
            self.assertIn("rows are not read back yet", client.get("/rigs/1/prove").text)
            every = {f"same-{row['key']}": "on" for row in plain["rows"] if row["value"] is not None}
            self.assertIn("said=same", client.change(f"{base}/read-back", every).headers["location"])
            self.assertIn("the monitor holds what the sheet says", client.get(base).text)
            client.change(f"{base}/read-back", {"charged_voltage_v": "3,30"})
            self.assertIn("3.3 is there, 3.47 is wanted", client.get(base).text)
            self.assertEqual(client.change(f"{base}/read-back", {"reserve_pct": "much"}).status_code, 422)
            self.assertIn("Tick what is set", client.change(f"{base}/read-back", {}).text)
            form = {
                "capacity_ah": "300",
                "rated_hours": "20",
                "peukert_exponent": "1.03",
                "charged_voltage_v": "13.9",
                "tail_current_pct": "4",
                "tail_floor_pct": "0",
                "hold_s": "3",
                "dead_band_a": "0.1",
                "coulombic_efficiency": "99",
                "reserve_pct": "15",
                "runtime_window_s": "3",
                "initial_soc": "100",
                "power_up": "blank",
                "what": "save",
                "reason": "measured",
            }
            client.change("/rigs/1/numbers", form)
            self.assertIn("AH TOTAL: 320 Ah → 300 Ah", client.get(base).text)

    def test_a_monitor_nobody_described_has_its_sheet_in_plain_words_and_lends_its_own(self):
        with visitor(demo=True) as client:
            base = "/rigs/2/numbers/sheet"
            page = client.get(f"{base}?dialect=plain").text
            for wanted in ("Battery capacity", "Never below", "Called on mine"):
                self.assertIn(wanted, page)
            client.change(base, {"dialect": "plain"})
            self.assertEqual(client.get(f"{base}.json").json()["monitor"]["key"], "plain")
            bad = client.change(f"{base}/called", {"monitor": "", "called-reserve_pct": "FLOOR"})
            self.assertEqual(bad.status_code, 422)
            for wanted in ("Type what is printed", "capacity is called", 'value="FLOOR"'):
                self.assertIn(wanted, bad.text)
            words = {"monitor": "Loft gauge", "called-capacity_ah": "SIZE", "called-reserve_pct": "FLOOR"}
            client.change(f"{base}/called", words)
            rows = client.get(f"{base}.json").json()
            self.assertEqual(rows["monitor"]["name"], "Loft gauge")
            self.assertEqual([row["label"] for row in rows["rows"] if row["label"]], ["SIZE", "FLOOR"])
            self.assertIn("Loft gauge", client.get("/shelf/dialects?key=loft_gauge").text)

    def test_no_made_up_monitor_is_preselected(self):
        with visitor() as client:
            client.submit("/quick", {"label": "100 Ah", "chemistry": "lfp", "lines": "Fridge"}, page="/quick")
            self.assertEqual(client.get("/rigs/1/numbers/sheet.json").json()["monitor"]["key"], "plain")

    def test_a_dialect_is_described_and_refused_where_it_is_wrong(self):
        with visitor(demo=True) as client:
            form = {
                "key": "shed",
                "name": "Shed meter",
                "floor_pct": "0",
                "power-last": "on",
                "capacity_ah-label": "SIZE",
                "capacity_ah-low": "10",
                "capacity_ah-high": "500",
                "capacity_ah-step": "10",
                "tail_current_pct-label": "STOP",
                "tail_current_pct-unit": "A",
                "tail_current_pct-low": "1",
                "tail_current_pct-high": "20",
                "tail_current_pct-step": "1",
            }
            answer = client.change("/shelf/dialects", {**form, "capacity_ah-label": ""})
            self.assertEqual(answer.status_code, 422)
            self.assertIn("the parameter capacity_ah is missing", answer.text)
            self.assertIn('value="STOP"', answer.text)
            self.assertIn(
                "below where it begins",
                client.change("/shelf/dialects", {**form, "tail_current_pct-low": "50"}).text,
            )
            client.change("/shelf/dialects", form)
            self.assertIn("SIZE", client.get("/rigs/1/numbers/sheet?dialect=shed").text)
            self.assertEqual(len(client.get("/shelf/parts.json").json()["dialects"]), 5)
            client.change("/shelf/dialects", {**form, "what_to_do": "remove"})
            self.assertNotIn("Shed meter", client.get("/shelf/dialects").text)

    def test_a_rig_without_a_bank_is_sent_to_survey(self):
        with visitor() as client:
            client.change("/rigs", {"name": "Wren", "silhouette": "van", "what": "", "zone": "UTC"})
            for part in ("map", "ladder", "sheet"):
                self.assertIn("No battery, no numbers", client.get(f"/rigs/1/numbers/{part}").text)
