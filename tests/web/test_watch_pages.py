"""The pages of Watch beside the count: each answers for every demo rig; bad input is told beside its field.

Feeds need their keys.
"""

import re
import unittest
from datetime import UTC, datetime

import numpy as np

from benchmarks.trials.rigs import trial
from tests.services.test_watching import trial_rig
from tests.web.shops import visitor
from volnik.core.readings import Readings
from volnik.drawings.fan import clock
from volnik.services.live import tokens
from volnik.services.log.counted_log import open_counted_log
from volnik.services.log.sources import take_in
from volnik.services.path.drawings import rig_path
from volnik.services.watch.checked import whole_log

PARTS = ("checkup", "ahead", "loads", "opinions", "alarms", "sums", "ask")


class Learned(unittest.TestCase):
    def test_a_chargers_log_laid_beside_shows_its_hidden_load_at_once(self):
        with visitor(demo=True) as client:
            context = client.running.context
            self.assertNotIn("straight to loads", client.get("/rigs/1/watch/loads").text)
            with context.db.reading() as session:
                counted_log = open_counted_log(session, context, 1)
                log = whole_log(session, context, counted_log, since_s=counted_log.end_s - 15 * 86400.0)
            gave = np.maximum(log.amps, 0.0) + np.where(log.amps > 1.0, 6.0, 0.0)
            take_in(
                context,
                1,
                Readings(log.time_s, log.volts, gave),
                kind="beside",
                name="sun.csv",
                report={"problems": [], "left_out": 0},
            )
            page = client.get("/rigs/1/watch/loads").text
            self.assertIn("straight to loads", page)
            self.assertIn('class="paper fed"', page)

    def test_only_what_differs_is_taken_into_the_survey_and_goes_back(self):
        with visitor(demo=True) as client:
            token = re.search(r'name="_token" value="([^"]+)"', client.get("/rigs/1/watch/loads").text)
            self.assertIsNotNone(token)
            sent = {"_token": token[1], "device": ""}
            self.assertEqual(client.post("/rigs/1/watch/loads/learned", data=sent).status_code, 200)
            kept = {each.name: each.learned for each in rig_path(client.running.context, 1).devices}
            self.assertIsNone(kept["Fridge"])  # as listed
            self.assertAlmostEqual(kept["Inverter"].standby_a, 0.32, delta=0.08)
            inverter = next(d.id for d in rig_path(client.running.context, 1).devices if d.name == "Inverter")
            back = {"_token": token[1], "forget": inverter}
            client.post("/rigs/1/watch/loads/learned", data=back)
            again = {each.name: each.learned for each in rig_path(client.running.context, 1).devices}
            self.assertIsNone(again["Inverter"])


class Pages(unittest.TestCase):
    def test_every_part_answers_for_every_rig(self):
        with visitor(demo=True) as client:
            for rig in range(1, 7):
                for part in PARTS:
                    with self.subTest(part, rig=rig):
                        answer = client.get(f"/rigs/{rig}/watch/{part}")
                        self.assertEqual(answer.status_code, 200)
                        self.assertIn("<h1>", answer.text)
            self.assertEqual(client.get("/rigs/99/watch/checkup").status_code, 404)
            self.assertEqual(client.get("/rigs/1/watch/checkup?part=7").status_code, 404)
            self.assertEqual(client.get("/rigs/1/watch/ask?symptom=none").status_code, 404)
            self.assertIn("No problems found in this log.", client.get("/rigs/1/watch/checkup").text)
            self.assertIn(
                "The percentage cannot be believed. Almost certainly: a charger bypasses the shunt",
                client.get("/rigs/6/watch").text + client.get("/rigs/6/watch").text,
            )

    def test_the_count_tells_what_the_rigs_own_days_say_unless_it_cannot_be_believed(self):
        with visitor(demo=True) as client:
            now_told = client.get("/rigs/1/watch").text
            likely = client.get("/rigs/1/watch/ahead").text.split('class="one-number"><b>')[1].split("<")[0]
            message = re.search(
                r"this rig's own days</a>, (\d+) % at 07:00 on Sat, between (\d+) and (\d+)", now_told
            )
            self.assertIsNotNone(message)
            self.assertEqual(message.group(1), likely)
            self.assertTrue(int(message.group(2)) < int(likely) < int(message.group(3)))
            earlier = client.get("/rigs/1/watch/moment?at=1795000000").text
            self.assertTrue("own days" not in earlier)
            client.get("/rigs/6/watch/checkup")
            self.assertTrue("own days" not in client.get("/rigs/6/watch").text)
            self.assertTrue(
                "Not to be relied on: Almost certainly: a charger bypasses the shunt."
                in client.get("/rigs/6/watch/ahead").text
            )

    def test_instants_to_come_are_told_without_taking_next_week_for_this(self):
        friday = datetime(2026, 11, 20, 15, 40, tzinfo=UTC).timestamp()
        for hours, said in ((4, "19:40 today"), (24, "15:40 on Sat"), (7 * 24, "15:40 on Fri 27 Nov")):
            self.assertEqual(clock(friday + 3600 * hours, "UTC", friday), said)

    def test_bad_input_is_told_beside_its_field_and_nothing_is_lost(self):
        with visitor(demo=True) as client:
            answer = client.change("/rigs/6/watch/mended", {"time": "", "cause": "charger_bypass"})
            self.assertEqual(answer.status_code, 422)
            self.assertIn('id="problem-time"', answer.text)
            answer = client.change(
                "/rigs/6/watch/mended", {"time": "2031-01-01T00:00", "cause": "charger_bypass"}
            )
            self.assertIn("lies in the future", answer.text)
            answer = client.change(
                "/rigs/1/watch/trips",
                {"name": "Round", "start": "2026-11-02T08:00", "end": "2026-11-01T08:00"},
            )
            self.assertIn("ends after it begins", answer.text)
            self.assertIn('value="Round"', answer.text)
            answer = client.change("/rigs/1/watch/loads", {"name": "", "amps": "6.0"})
            self.assertEqual(answer.status_code, 422)
            answer = client.change("/rigs/1/watch/export", {"what": "secrets", "form": "csv"})
            self.assertEqual(answer.status_code, 422)
            answer = client.change(
                "/rigs/1/watch/opinions",
                {"time": "2026-11-20T12:00", "pasted": "name;%;Ah\nport;80;160\nstarboard;x;160"},
            )
            self.assertIn("Line 3: soc_pct", answer.text)
            self.assertIn("starboard;x;160", answer.text)
            client.change(
                "/rigs/1/watch/opinions",
                {
                    "time": "2026-11-20T12:00",
                    "pasted": "port\t80 %\t160\nstarboard\t70\t160\t2026-11-18T09:00\t-3",
                },
            )
            self.assertIn("weighed 75 %", client.get("/rigs/1/watch/opinions").text)
            answer = client.change("/shelf/storage", {"months": "never"})
            self.assertIn('id="problem-months"', answer.text)
            self.assertIn('value="never"', answer.text)

    def test_a_correction_is_tried_and_taken_to_the_numbers(self):
        with visitor(demo=True) as client:
            self.assertEqual(
                client.get("/rigs/6/watch/checkup/retry?cause=charger_bypass").status_code, 404
            )  # no value mends a wire
            cases = (
                ("apart", 503, "efficiency", "coulombic efficiency"),
                ("set", 21, "zero_offset", "amps +"),
            )
            for family, seed, fault, said in cases:
                made = trial(family, seed, "lfp", fault)
                rig_id, _ = trial_rig(client.running.context, made, name=f"Heron {fault}")
                found = client.get(f"/rigs/{rig_id}/watch/checkup").text
                self.assertTrue(said in found, f"{fault}: no try with {said}")
                tried = client.get(f"/rigs/{rig_id}/watch/checkup/retry?cause={fault}").text
                self.assertTrue("Nothing is saved." in tried, fault)
                self.assertEqual("Use these settings" in tried, fault == "efficiency")
            self.assertIn('value="290"', client.get("/rigs/1/numbers?capacity_ah=290").text)

    def test_feeds_answer_to_their_own_keys_alone(self):
        with visitor(demo=True) as client:
            context = client.running.context
            calendar = tokens.make(context, kind="calendar", rig_id=None, name="phone").secret
            metrics = tokens.make(context, kind="metrics", rig_id=None, name="collector").secret
            for address in ("/api/calendar", "/api/metrics"):
                self.assertEqual(client.get(address).status_code, 401)
                self.assertEqual(
                    client.get(address, headers={"authorization": "Bearer nonsense"}).status_code, 403
                )
            self.assertEqual(
                client.get("/api/metrics", headers={"authorization": f"Bearer {calendar}"}).status_code, 403
            )
            self.assertEqual(
                client.get(f"/api/metrics?key={metrics}").status_code, 401
            )  # only calendars may put it in the address
            feed = client.get(f"/api/calendar?key={calendar}")
            self.assertTrue(feed.text.startswith("BEGIN:VCALENDAR"))
            self.assertIn("Bookbus: Charge until full", feed.text.replace("\r\n ", ""))
            message = client.get("/api/metrics", headers={"authorization": f"Bearer {metrics}"})
            self.assertIn("openmetrics-text", message.headers["content-type"])
            self.assertIn(
                'volnik_charge_ratio{name="Bookbus",rig="1"}',
                message.text.replace('rig="1",name="Bookbus"', 'name="Bookbus",rig="1"'),
            )
