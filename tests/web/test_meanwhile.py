"""Two pages on the same thing: the older one is shown both sides, and nothing is written over in silence."""

import csv
import html
import json
import re
import unittest
from urllib.parse import quote

from tests.web.shops import visitor
from volnik.services.acting import Acting, acting_as
from volnik.services.numbers.versions import numbers_view
from volnik.services.path.drawings import rig_path
from volnik.services.yard.rigs import rename, rig_head
from volnik.store import changes

NAME = {"name": "Heron", "silhouette": "van", "what": "panel van", "zone": "UTC"}


def fields_on(text, action):
    """The fields of a page's form as they stand there."""
    forms = re.findall(r"<form.*?</form>", text, re.DOTALL)
    form = next(form for form in forms if f'action="{action}"' in form or "board-form" in form)
    found = {}
    for tag in re.findall(r"<input[^>]*>", form):
        given = dict(re.findall(r'([\w-]+)="([^"]*)"', tag))
        if given.get("type") in ("radio", "checkbox") and "checked" not in tag:
            continue
        if "name" in given:
            found[given["name"]] = html.unescape(given.get("value", ""))
    for name, options in re.findall(r'<select[^>]*name="([^"]+)".*?>(.*?)</select>', form, re.DOTALL):
        value = re.search(r'value="([^"]*)"[^>]*selected', options)
        found[name] = html.unescape(value.group(1)) if value else ""
    for name, inside in re.findall(r'<textarea[^>]*name="([^"]+)"[^>]*>(.*?)</textarea>', form, re.DOTALL):
        found[name] = html.unescape(inside)
    return found


class TwoPages(unittest.TestCase):
    def setUp(self):
        self.client = self.enterContext(visitor(demo=True))
        self.context = self.client.running.context

    def _as(self, who):
        self.client.cookies.set("volnik_who", quote(who))

    def _held(self):
        return numbers_view(self.context, 1).held.numbers

    def _seen(self):
        return str(self.context.newest_change())

    def test_of_two_who_save_numbers_neither_is_lost(self):
        at = "/rigs/1/numbers"
        mine = theirs = fields_on(self.client.get(at).text, at)
        self._as("Wren")
        self.client.change(at, {**theirs, "reserve_pct": "35"})
        before = self._held()
        self.assertEqual(before.reserve_pct, 35)
        self._as("Lark")
        told = self.client.submit(at, {**mine, "dead_band_a": "0.15"}, page=at)
        self.assertEqual(told.status_code, 409)
        self.assertEqual(self._held(), before)
        for words in ("Wren", "reserve", "0.15", "Keep it as chosen"):
            self.assertIn(words, told.text)
        again = fields_on(told.text, at)
        self.assertEqual((again["reserve_pct"], again["dead_band_a"]), ("35", "0.15"))
        self.assertLess(self.client.change(at, again).status_code, 400)
        self.assertEqual((self._held().reserve_pct, self._held().dead_band_a), (35, 0.15))

    def test_who_changed_the_same_chooses(self):
        at = "/rigs/1/numbers"
        mine = fields_on(self.client.get(at).text, at)
        self.client.change(at, {**mine, "reserve_pct": "35"})
        told = self.client.submit(at, {**mine, "reserve_pct": "40"}, page=at)
        self.assertIn('class="both"', told.text)
        for chosen in ("35", "40"):
            again = fields_on(told.text, at) | {"reserve_pct": chosen}
            with self.subTest(chosen):
                self.assertLess(self.client.change(at, again | {"_seen": self._seen()}).status_code, 400)
                self.assertEqual(self._held().reserve_pct, float(chosen))

    def test_every_form_that_writes_over_something_is_refused_when_it_is_old(self):
        bank = {"chemistry": "lfp", "block_cells": "4", "series": "1", "parallel": "2", "kind": "nameplate"}
        block = {"key": "b1", "name": "Block", "chemistry": "agm", "cells": "6", "ah": "100"}
        device = self._path().devices[0].id
        for address, first, second in (
            ("/rigs/1/name", {**NAME, "name": "Heron"}, {**NAME, "name": "Tern"}),
            (
                "/rigs/1/survey",
                {**bank, "takeoff": "diagonal", "ah": "90"},
                {**bank, "takeoff": "one_end", "ah": "80"},
            ),
            (
                f"/rigs/1/survey/devices/{device}",
                {"name": "A"},
                {"name": "B"},
            ),
            ("/rigs/1/survey/gauge", {"lamp0": "12.1"}, {"lamp0": "12.2"}),
            ("/rigs/1/path/change", self._length(0, 2), self._length(1, 3)),
            (
                "/rigs/1/path/step",
                {"drawing": "planned", "way": "undo"},
                {"drawing": "planned", "way": "redo"},
            ),
            ("/rigs/1/numbers/alarms", self._alarm("20"), self._alarm("25")),
            ("/shelf/chemistries/agm", {"reserve_pct": "45"}, {"reserve_pct": "55"}),
            ("/shelf/parts/blocks", block, {**block, "ah": "120"}),
            ("/shelf/storage", {"months": "12"}, {"months": "24"}),
        ):
            with self.subTest(address):
                seen = self._seen()
                kept = self.client.change(address, {**self._whole(address), **first, "_seen": seen})
                self.assertLess(kept.status_code, 400, kept.text[-300:])
                stood = self._seen()
                self.assertNotEqual(stood, seen, "nothing was put on record")
                old = self.client.change(address, {**self._whole(address), **second, "_seen": seen})
                self.assertEqual((old.status_code, self._seen()), (409, stood))
                fresh = self.client.change(address, {**self._whole(address), **second, "_seen": stood})
                self.assertLess(fresh.status_code, 400, fresh.text[-300:])

    def _whole(self, address):
        """The fields the form of an address has beside those that are tried."""
        if address == "/shelf/chemistries/agm":
            return fields_on(self.client.get("/shelf").text, address)
        if "/devices/" in address:
            device = address.rpartition("/")[2]
            page = self.client.get(f"/rigs/1/survey/devices?show=device:{device}&pick={device}")
            return fields_on(page.text, address)
        return {}

    def _path(self):
        return rig_path(self.context, 1)

    def _length(self, at, metres):
        cable = self._path().planned.cables[at].id
        return {
            "drawing": "planned",
            "ops": json.dumps([{"op": "set_cable", "cable": cable, "length_m": metres}]),
        }

    @staticmethod
    def _alarm(level):
        return {
            "key": "low_charge",
            "level": level,
            "release": "40",
            "delay_s": "60",
            "on": "1",
            "volnik": "1",
        }

    def test_undo_in_another_tab_says_whose_change_it_would_take_back(self):
        seen = self._seen()
        self._as("Wren")
        self.client.change("/rigs/1/path/change", self._length(0, 2.5))
        self._as("Lark")
        step = {"drawing": "planned", "way": "undo", "_seen": seen}
        told = self.client.change("/rigs/1/path/step", step).json()
        self.assertIn("Wren changed this meanwhile", told["error"])
        self.assertIn("Wren", told["meanwhile"])
        self.assertEqual(
            self.client.change("/rigs/1/path/step", {**step, "_seen": str(told["seen"])}).status_code, 200
        )

    def test_what_is_sound_is_never_held_up(self):
        seen = self._seen()
        self.client.change("/rigs/1/name", NAME)
        for name, address, data in (
            ("another thing of the rig", "/rigs/1/survey/gauge", {"lamp0": "12.1", "_seen": seen}),
            ("another rig", "/rigs/2/name", {**NAME, "name": "Tern", "_seen": seen}),
            ("no page at all", "/rigs/1/name", {**NAME, "name": "Rook"}),
            ("what only adds", "/rigs/1/survey/devices/lines", {"lines": "Pump, 1 A", "_seen": seen}),
            ("nothing changed", "/rigs/1/name", {**NAME, "name": "Rook", "_seen": seen}),
        ):
            with self.subTest(name):
                self.assertLess(self.client.change(address, data).status_code, 400)
        quick = {"headers": {"x-form-token": self.client.token(), "x-page": "a1", "x-seen": self._seen()}}
        for metres in (2.5, 2.6):  # twice by hand before the first answer came
            sent = self.client.post("/rigs/1/path/change", data=self._length(0, metres), **quick)
            self.assertEqual(sent.status_code, 200)

    def test_an_undo_of_what_was_found_concerns_a_device_form_and_a_moved_cable_does_not(self):
        device = self._path().devices[0].id
        form = f"/rigs/1/survey/devices/{device}"
        fields = self._whole(form)
        self.client.change(form, {**fields, "name": "First"})
        seen = self._seen()
        found = {**self._length(0, 2.5), "drawing": "found"}
        self.assertEqual(self.client.change("/rigs/1/path/change", found).status_code, 200)
        kept = self.client.change(form, {**fields, "name": "Second", "_seen": seen})
        self.assertLess(kept.status_code, 400, "a cable is no figure of the device")
        seen = self._seen()
        self.client.change("/rigs/1/path/step", {"drawing": "found", "way": "undo"})
        told = self.client.change(form, {**fields, "name": "Third", "_seen": seen})
        self.assertEqual(told.status_code, 409)

    def test_name_and_place_have_a_history(self):
        first = rig_head(self.context, 1).rig.name
        self._as("Wren")
        for name in ("Heron", "Tern"):
            self.client.change("/rigs/1/name", {**NAME, "name": name})
        with self.context.db.reading() as session:
            found = [change for change in changes.listing(session, rig_id=1) if change.subject == "rig/name"]
        self.assertEqual([change.fields["name"] for change in found], [("Heron", "Tern"), (first, "Heron")])
        self.assertEqual({change.who for change in found}, {"Wren"})


class Audit(unittest.TestCase):
    def setUp(self):
        self.client = self.enterContext(visitor(demo=True))

    def test_who_changed_what_is_read_as_a_page_and_as_a_table(self):
        self.assertIn("Nothing was changed", self.client.get("/shelf/changes").text)
        self.client.cookies.set("volnik_who", quote("Wren"))
        self.client.change("/rigs/1/name", {**NAME, "name": "Heron"})
        self.client.change("/doors/keys", {"kind": "metrics", "name": "=wall", "interval_s": "1"})
        page = self.client.get("/shelf/changes").text
        for words in ("Wren", "name: ", "→ Heron", "key “=wall” made"):
            self.assertIn(words, html.unescape(page))
        self.assertNotIn("=wall", self.client.get("/shelf/changes?rig=1").text)
        rows = list(csv.reader(self.client.get("/shelf/changes.csv").text.splitlines()))
        self.assertEqual([row[1] for row in rows], ["who", "Wren", "Wren"])
        self.assertFalse(any(cell[:1] in ("=", "+", "-", "@") for row in rows for cell in row))

    def test_a_long_record_comes_page_by_page(self):
        context = self.client.running.context
        with acting_as(Acting("Wren")):
            for number in range(150):
                rename(context, 4, **{**NAME, "name": f"Heron {number}"})  # without a log: quick to reckon
        first = html.unescape(self.client.get("/shelf/changes").text)
        self.assertIn("→ Heron 149", first)
        older = re.search(r'href="(\?before=\d+)"', first).group(1)
        last = html.unescape(self.client.get(f"/shelf/changes{older}").text)
        self.assertIn("→ Heron 0", last)
        self.assertNotIn("Older ones", last)
