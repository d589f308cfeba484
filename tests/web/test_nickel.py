"""A rig of nickel lithium on every page: its own limits, and "cannot tell" where nothing is known."""

import unittest
from dataclasses import replace
from unittest.mock import patch

from fastapi.routing import APIRoute

from tests.web.shops import visitor
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.shelf.cells import bank_model
from volnik.tasks import demo

PACK = Bank("nmc", 14, 1, 1, CapacityLabel("nameplate", ah=200.0))
ASKS_FOR_MORE = ("/live", "/take-along.html", "/checkup/retry", "/watch/strip")


def nickel_log(now_s):
    """Dome Truck's month, its battery of nickel cells and its chargers at 4.17 V a cell."""
    charger = demo.Charger

    def at_nickel_volts(name, offers, _absorption_v, _float_v, *more, **_counted):
        return charger(name, offers, 58.4, 56.0, *more)

    with (
        patch.object(demo, "bank_model", lambda *_, **__: bank_model("nmc", capacity_ah=198.0, cells=14)),
        patch.object(demo, "Charger", at_nickel_volts),
    ):
        return demo.dome_log(now_s, 20)


class EveryPage(unittest.TestCase):
    def test_stands_and_what_it_cannot_tell_it_says(self):
        kettle = next(rig for rig in demo.RIGS if rig.key == "kettle")
        rig = replace(kettle, bank=PACK, name="Nickel Kettle", numbered=True)
        with visitor(demo=True) as client:
            logs = patch.object(demo, "_logs", lambda key, now_s: iter([("log.csv", nickel_log(now_s))]))
            with logs:
                demo._add(client.running.context, rig)
            base = "/rigs/8"
            for path in self.pages(client):
                with self.subTest(path):
                    self.assertEqual(self.settled(client, base + path).status_code, 200)
            checked = self.settled(client, f"{base}/watch/checkup").text
            self.assertIn("of nickel lithium it cannot tell", checked)
            self.assertNotIn("Cannot tell:", checked)  # once, not thirteen times
            survey = client.get(f"{base}/survey").text
            self.assertIn("24 V: 7, 48 V: 14", survey)
            self.assertIn("58.8 V", survey)  # by hand: 14 x 4.20 V
            ladder = client.get(f"{base}/numbers/ladder").text
            self.assertIn("4.25", ladder)

    def pages(self, client):
        """Addresses below a rig that ask for nothing more."""
        for route in client.running.app.routes:
            if not isinstance(route, APIRoute) or "GET" not in route.methods:
                continue
            path = route.path.removeprefix("/rigs/{rig_id}")
            if path != route.path and "{" not in path and not path.endswith(ASKS_FOR_MORE):
                yield path

    def settled(self, client, address):
        """The page, its job waited for."""
        answer = client.get(address)
        if "/jobs/" in str(answer.url):
            jobs = client.running.jobs
            jobs.settle(jobs.job(str(answer.url).split("/jobs/")[1].split("?")[0]), 60)
            answer = client.get(address)
        return answer
