"""A rig nobody described yet: its readings are kept, seen, given out; metrics tell every rig's latest."""

import re
import unittest
from unittest import mock

from prometheus_client.openmetrics.parser import text_string_to_metric_families

from tests.web.shops import visitor
from tests.web.test_live import START, made, readings
from volnik.services.live import tokens
from volnik.services.live.pending import ingest_pending

NEW = {"name": "Quill", "silhouette": "van", "zone": "UTC", "what": "", "latitude": "", "climate": ""}


def families(client):
    """Every sample by name and rig, read by a strict parser."""
    key = tokens.make(client.running.context, kind="metrics", rig_id=None, name="wall").secret
    text = client.get("/api/metrics", headers={"authorization": f"Bearer {key}"}).text
    found = {}
    for family in text_string_to_metric_families(text):
        assert family.documentation, family.name
        for sample in family.samples:
            found[sample.name, sample.labels["rig"]] = sample.value
    return found


class Undescribed(unittest.TestCase):
    def setUp(self):
        self.client = self.enterContext(visitor())
        self.client.change("/rigs", NEW)
        _, self.key = made(self.client, 1)
        self.client.post("/api/rigs/1/readings", json=readings(250), headers=self.key)

    def test_where_its_log_ends_is_told(self):
        last = self.client.get("/api/rigs/1/readings", headers=self.key).json()["last"]
        self.assertEqual((last["volts"], last["amps"], last["soc"]), (13.1, -6.0, None))

    def test_its_readings_are_given_out_as_they_came(self):
        ingest_pending(self.client.running.context, 1)
        page = self.client.get("/rigs/1/watch").text
        self.assertIn("250 readings, the last of", page)
        self.assertIn("The readings as they came", page)
        went = self.client.change(
            "/rigs/1/watch/export", {"what": "readings", "form": "csv"}, page="/rigs/1/watch"
        )
        lines = self.client.get(went.headers["location"]).text.splitlines()
        self.assertEqual(len(lines), 251)
        self.assertIn("13.1", lines[1])
        counted = self.client.change(
            "/rigs/1/watch/export", {"what": "counted", "form": "csv"}, page="/rigs/1/watch"
        )
        self.assertRegex(counted.text, "describe the battery")

    def test_metrics_tell_its_latest_reading_settled_or_not(self):
        self.assertEqual(families(self.client)["volnik_volts", "1"], 13.1)
        with mock.patch.object(self.client.running.ingest, "catch_up"):
            later = [{"time": START + 9000, "volts": 12.5, "amps": -1.0}]
            self.client.post("/api/rigs/1/readings", json=later, headers=self.key)
            found = families(self.client)
        self.assertEqual(found["volnik_volts", "1"], 12.5)
        self.assertEqual(found["volnik_reading_timestamp_seconds", "1"], START + 9000)
        self.assertNotIn(("volnik_charge_ratio", "1"), found)


class Metrics(unittest.TestCase):
    def test_a_strict_parser_reads_all_of_the_demo_and_each_family_says_what_it_is(self):
        with visitor(demo=True) as client:
            client.change("/rigs/1/name", {**NEW, "name": 'He "said"\\ no'})
            found = families(client)
            rigs = {rig for _, rig in found}
            self.assertGreaterEqual(len(rigs), 2)
            for name in ("volnik_charge_ratio", "volnik_volts", "volnik_taken_out_amperehours_total"):
                self.assertTrue(any(re.fullmatch(name, sample) for sample, _ in found), name)
            self.assertTrue(
                all(0.0 <= value <= 1.0 for (name, _), value in found.items() if name.endswith("_ratio"))
            )
