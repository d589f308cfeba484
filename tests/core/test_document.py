"""The open rig document: round trips, older and newer versions, and what is wrong told by its place."""

import json
import re
import unittest

from tests.core.path.rigs import bank, device, sound
from volnik.core.document import (
    DocumentRefused,
    RigDocument,
    RigSection,
    WiringSection,
    read_document,
    rig_schema,
    written,
)
from volnik.core.numbers.defaults import default_numbers
from volnik.core.rig.monitor import Monitor
from volnik.core.shelf.chemistries import CHEMISTRIES


def document():
    """A whole document."""
    item = sound([device("fridge", current_a=5.0), device("solar", "solar")], bank("agm", 1, 2))
    numbers = default_numbers(item.bank, CHEMISTRIES["agm"]).as_dict() | {"power_up": "blank"}
    return RigDocument(
        rig=RigSection(name="Tern", silhouette="van", zone="Europe/London", latitude=52.0),
        bank=item.bank.as_dict(),
        devices=item.devices,
        monitor=Monitor(shunt_a=500, shunt_mv=50),
        wiring=WiringSection(found=item.wiring, planned=item.wiring),
        numbers=numbers,
    )


class Documents(unittest.TestCase):
    def test_a_round_trip_is_identical(self):
        text = written(document())
        self.assertEqual(written(read_document(text)), text)
        self.assertEqual(read_document(text).wiring, document().wiring)
        self.assertEqual(read_document(text).the_bank(), document().the_bank())
        body = json.loads(text)
        self.assertEqual(body["volnik_rig"], 2)
        self.assertIn(
            {
                "id": "fridge_minus",
                "a": "fridge.minus",
                "b": "nb",
                "length_m": 1.0,
                "size": "16 mm²",
                "mm2": 16.0,
            },
            body["wiring"]["planned"]["cables"],
        )

    def test_any_section_may_be_missing(self):
        for name in ("rig", "bank", "devices", "monitor", "wiring", "numbers"):
            body = json.loads(written(document()))
            del body[name]
            if name in ("bank", "devices"):
                body.pop("wiring")
            with self.subTest(name):
                self.assertEqual(read_document(json.dumps(body)).volnik_rig, 2)

    def test_an_older_version_is_upgraded_and_a_newer_one_refused(self):
        body = json.loads(written(document()))
        old = {**body, "volnik_rig": 0, "wiring": body["wiring"]["found"]}
        read = read_document(json.dumps(old))
        self.assertEqual((read.wiring.found, read.wiring.planned), (document().wiring.found, None))
        before = read_document(json.dumps({**body, "volnik_rig": 1}))
        self.assertEqual((before.volnik_rig, before.wiring), (2, document().wiring))
        with self.assertRaisesRegex(DocumentRefused, "Version 3 was written by a newer Volnik"):
            read_document(json.dumps({**body, "volnik_rig": 3}))

    def test_what_is_wrong_is_told_by_its_place(self):
        def spoilt(*path, value):
            body = json.loads(written(document()))
            at = body
            for step in path[:-1]:
                at = at[step]
            at[path[-1]] = value
            return json.dumps(body)

        planned = ("wiring", "planned")
        rows = [
            ("{", "document", "not JSON in line 1"),
            ("[1]", "volnik_rig", "no rig document"),
            ("{}", "volnik_rig", "no rig document"),
            ('{"volnik_rig": "x"}', "volnik_rig", "whole number"),
            ("[" * 100_000, "document", "not JSON"),
            (
                spoilt(*planned, "cables", 0, "length_m", value=-1),
                "wiring.planned.cables.0.length_m",
                "more than 0, got -1",
            ),
            (spoilt(*planned, "cables", 0, "size", value="0 mm²"), "wiring.planned.cables.0", "0.05 to 500"),
            (
                spoilt(*planned, "cables", 0, "a", value="Q9.minus"),
                "wiring.planned.cables.0",
                "Q9.minus, which is not there",
            ),
            (spoilt(*planned, "cables", 0, "id", value="fridge_plus"), "wiring.planned", "is there twice"),
            (spoilt("bank", "series", value=0), "bank.series", "from 1 to 24"),
            (spoilt("bank", "colour", value="red"), "bank.colour", "not known here"),
            (spoilt("numbers", "capacity_ah", value="many"), "numbers.capacity_ah", "must be a number"),
            (spoilt("rig", "zone", value="Moon/Base"), "rig.zone", "not a time zone"),
            (spoilt("rig", "silhouette", value="rocket"), "rig.silhouette", "none of"),
            (spoilt("devices", 1, "id", value="fridge"), "devices", "is there twice"),
            (spoilt("devices", 0, "duty", value=3), "devices.0.duty", "at most 1, got 3"),
        ]
        for text, at, message in rows:
            with self.subTest(at=at, message=message):
                with self.assertRaises(DocumentRefused) as caught:
                    read_document(text)
                self.assertIn(at, caught.exception.problems)
                self.assertIn(message, caught.exception.problems[at])

    def test_the_schema_knows_every_section(self):
        schema = rig_schema()
        self.assertEqual(
            set(schema["properties"]),
            {"volnik_rig", "rig", "bank", "devices", "monitor", "wiring", "numbers", "use"},
        )
        self.assertEqual(
            schema["$defs"]["Cable"]["properties"]["length_m"]["anyOf"][0]["exclusiveMinimum"], 0
        )
        self.assertIn("charged_voltage_v", schema["$defs"]["Numbers"]["properties"])
        for text in (json.dumps(schema),):
            for name in set(re.findall(r'"#/\$defs/(\w+)"', text)):
                self.assertIn(name, schema["$defs"])
