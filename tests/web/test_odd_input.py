"""What no page of Volnik's own would ever send is answered with a sentence, and changes nothing."""

import json
import unittest

from tests.web.shops import visitor
from tests.web.test_live import made

OVER = 2**63  # one more than the database's whole numbers
DRAW = "/rigs/1/watch/strip?width=900&height=300&pens=volts"
TICKS, LINES = "/rigs/2/wireup/ticks", "/rigs/1/survey/devices/lines"
BANK = {"chemistry": "agm", "block_cells": "6", "kind": "nameplate", "ah": "110", "takeoff": "diagonal"}


def a_tick(**more):
    """One tick as a phone sends it."""
    return json.dumps(
        {"ticks": [{"mark": "a", "step": "zero", "kind": "note", "time_s": 1, "body": {}, **more}]}
    )


class OddInput(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.client = cls.enterClassContext(visitor(demo=True))

    def _refused(self, answer, *codes):
        self.assertIn(answer.status_code, codes)
        self.assertNotIn("Traceback", answer.text)
        self.assertNotIn("went wrong", answer.text)

    def test_addresses_that_name_nothing(self):
        for address in (
            f"/rigs/{OVER}",
            f"/rigs/{OVER}/watch",
            f"/rigs/1/watch/sources/{OVER}",
            f"/rigs/1/survey/photos/{OVER}",
            f"/rigs/1/watch/checkup/retry?cause=scale&part={OVER}",
            "/rigs/²/watch",
            f"/rigs/-{2**80}/document.json",
            f"/shelf/changes?before={2**80}",
            "/rigs/-1/watch",
            "/rigs/0/live",
            "/jobs/²",
            "/rigs/1/watch/moment?at=1e18",
            "/rigs/1/watch/moment?at=nan",
            f"{DRAW}&start=0&end=1e300",
            f"{DRAW}&start=-1e300&end=1e9",
            "/rigs/1/watch/ahead?nights=999999999999999999999",
        ):
            with self.subTest(address):
                self._refused(self.client.get(address), 404, 422)

    def test_forms(self):
        devices = "\n".join("Pump, 1 A" for _ in range(300))
        far, long_ago = "9999-12-31T23:59", "0001-01-01T00:00"
        for address, data in (
            ("/rigs/1/survey", {**BANK, "series": "99999999", "parallel": "2"}),
            ("/rigs/1/survey", {**BANK, "series": str(2**70), "parallel": "2", "ah": "1e300"}),
            (LINES, {"lines": devices}),
            ("/rigs/1/watch/entries", {"kind": "set_soc", "time": far, "soc": "50"}),
            ("/rigs/1/watch/entries", {"kind": "set_soc", "time": long_ago, "soc": "1e308"}),
            ("/rigs/1/watch/trips", {"name": "t", "start": far, "end": far}),
            ("/rigs/1/watch/mended", {"cause": "scale", "time": far}),
            ("/rigs/1/prove/checks", {"check": "volts", "meter": "1e308", "monitor": "12"}),
            ("/rigs/1/name", {"name": "a\x00b\x1b[31m\u202eevil"}),
            ("/rigs", {"name": "\u202eevil", "silhouette": "van"}),
        ):
            with self.subTest(address, data=str(data)[:60]):
                self._refused(self.client.change(address, data), 422)

    def test_json(self):
        for name, body in (
            ("half a surrogate pair in a mark", a_tick(mark="\ud800")),
            ("half a surrogate pair in a note", a_tick(body={"text": "\ud800"})),
            ("brackets", "[" * 100_000),
            ("4,000 digits", a_tick().replace('"time_s": 1', '"time_s": ' + "9" * 4000)),
            ("NaN", a_tick(body={"value": float("nan")})),
        ):
            with self.subTest(name):
                headers = {"x-form-token": self.client.token(), "content-type": "application/json"}
                self._refused(self.client.post(TICKS, content=body, headers=headers), 422)

    def test_posts_of_bridges(self):
        _, key = made(self.client, 1)
        for body in (
            "[" * 100_000,
            '[{"time":%s,"volts":13,"amps":1}]' % ("9" * 400),
            '{"a":"\\ud800"}',
            "²",
        ):
            with self.subTest(body[:30]):
                headers = {**key, "content-type": "application/json"}
                self._refused(self.client.post("/api/rigs/1/readings", content=body, headers=headers), 422)

    def test_two_hundred_devices_are_taken_and_the_next_is_told_of(self):
        sound = "\n".join(f"Lamp {at}, 1 A" for at in range(150))
        self.assertLess(self.client.change("/rigs/3/survey/devices/lines", {"lines": sound}).status_code, 400)
        more = "\n".join(f"Fan {at}, 1 A" for at in range(100))
        told = self.client.change("/rigs/3/survey/devices/lines", {"lines": more})
        self.assertEqual(told.status_code, 422)
        self.assertIn("at most 200 devices", told.text)
        self.assertIn("Fan 99, 1 A", told.text)
