"""Wire-up, Prove, Alarms and Doors through the pages.

Refusals beside their field, records that only grow, who may come in.
"""

import io
import json
import re
import unittest

from fastapi.testclient import TestClient
from PIL import Image

from tests.web.shops import visitor
from volnik.services.live import tokens
from volnik.services.prove.record import prove_view
from volnik.services.wireup.job import job_view, take_ticks
from volnik.store import records


def ticks_of(view, *, start=0, count=None, again="", **more):
    """Ticks for the open steps of a job, as a browser would send them."""
    open_steps = [step for step in view.status.steps if not step.settled][start:][:count]
    sent = []
    for open_step in open_steps:
        value = {
            "torque": open_step.step.torque_nm,
            "amps": 0.01,
            "volts": 0.0,
            "yes_no": "yes",
            "text": "seen",
        }.get(open_step.step.ask)
        sent.append(
            {
                "mark": f"mark-{open_step.step.key}{again}",
                "step": open_step.step.key,
                "kind": "done",
                "time_s": 1.0,
                "body": {} if value is None else {"value": value},
                **more,
            }
        )
    return sent


class WireUp(unittest.TestCase):
    def send(self, client, ticks, rig=2):
        token = re.search(r'name="form-token" content="([^"]+)"', client.get("/").text).group(1)
        return client.post(
            f"/rigs/{rig}/wireup/ticks", json={"ticks": ticks}, headers={"x-form-token": token}
        )

    def test_ticks_are_kept_once_in_order_with_who_and_the_harmful_ones_refused(self):
        with visitor(demo=True) as client:
            context = client.running.context
            client.change("/who", {"new_name": "Wren", "here": "/rigs/2/wireup"})
            self.assertIn("Wren holds this", client.get("/rigs/2/wireup").text)
            view = job_view(context, 2)
            first = ticks_of(view, count=2)
            answer = self.send(client, first).json()
            self.assertEqual([item["kept"] for item in answer["ticks"]], [True, True])
            self.assertEqual(answer["settled"], view.status.settled + 2)
            again = self.send(client, first).json()
            self.assertEqual(
                (again["settled"], [item["kept"] for item in again["ticks"]]),
                (answer["settled"], [True, True]),
            )
            early = {
                "mark": "much-too-early",
                "step": "fuse_in:feed_plus_busbar",
                "kind": "done",
                "body": {"value": 25.0},
            }
            refused = self.send(client, [early]).json()["ticks"][0]
            self.assertFalse(refused["kept"])
            self.assertIn("First: ", refused["why"])
            for wrong in (
                {**early, "step": "nothing"},
                {**early, "kind": "blown"},
                {**first[0], "mark": "x"},
            ):
                self.assertFalse(self.send(client, [wrong]).json()["ticks"][0]["kept"])
            self.assertEqual(self.send(client, "all").status_code, 422)
            self.assertEqual(client.post("/rigs/2/wireup/ticks", json={"ticks": []}).status_code, 403)
            with context.db.reading() as session:
                kept = [tick for tick in records.ticks(session, 2) if tick.who == "Wren"]
            self.assertEqual([item.step for item in kept], [item["step"] for item in first])

    def test_the_whole_job_is_done_closed_and_stands_and_a_new_plan_opens_a_new_job(self):
        with visitor(demo=True) as client:
            context = client.running.context
            answer = client.change("/rigs/2/wireup/close", {})
            self.assertEqual(answer.status_code, 422)
            self.assertIn("neither done nor skipped", answer.text)
            sent = take_ticks(context, 2, ticks_of(job_view(context, 2)), who="Wren")
            unfused = json.dumps([{"op": "set_fuse", "cable": "feed_plus_busbar", "fuse": None}])
            client.change("/rigs/2/path/change", {"drawing": "planned", "ops": unfused})
            take_ticks(context, 2, ticks_of(job_view(context, 2), again="-unfused"), who="Wren")
            self.assertIn("nothing is signed off without one", client.change("/rigs/2/wireup/close", {}).text)
            client.change("/rigs/2/path/step", {"drawing": "planned", "way": "undo"})
            take_ticks(context, 2, ticks_of(job_view(context, 2), again="-fused"), who="Wren")
            self.assertTrue(all(item.kept for item in sent), [item for item in sent if not item.kept])
            self.assertEqual(client.change("/rigs/2/wireup/close", {}).headers["location"], "/rigs/2/prove")
            page = client.get("/rigs/2/wireup").text
            self.assertIn("It is wired as planned since", page)
            self.assertIn("old lug cracked", page)
            self.assertIn("as it is since", client.get("/rigs/2/prove").text)
            client.change(
                "/rigs/2/path/change",
                {
                    "drawing": "planned",
                    "ops": json.dumps(
                        [{"op": "move_end", "cable": "fridge_minus", "end": "b", "to": "shunt.rig"}]
                    ),
                },
            )
            view = job_view(context, 2)
            self.assertEqual(
                (view.status.settled, view.status.step("lug:fridge_minus") is not None), (0, True)
            )

    def test_a_plan_with_a_stop_is_closed_only_in_spite_of_it_by_name_and_reason(self):
        with visitor(demo=True) as client:
            context = client.running.context
            astray = [{"op": "move_end", "cable": "fridge_minus", "end": "b", "to": "B4.minus"}]
            client.change("/rigs/2/path/change", {"drawing": "planned", "ops": json.dumps(astray)})
            take_ticks(context, 2, ticks_of(job_view(context, 2)), who="Wren")
            refused = client.change("/rigs/2/wireup/close", {"in_spite": "no"})
            self.assertEqual(refused.status_code, 422)
            self.assertIn("say why it stays all the same", refused.text)
            self.assertIn(">no</textarea>", refused.text)
            reason = "Owner waits for the ferry; the fridge is moved on Friday."
            closed = client.change("/rigs/2/wireup/close", {"in_spite": reason})
            self.assertEqual(closed.headers["location"], "/rigs/2/prove")
            page = client.get("/rigs/2/prove/record").text + client.get("/rigs/2/prove").text
            self.assertIn(reason, page)

    def test_a_photo_stands_at_its_step_and_rubbish_is_refused(self):
        with visitor(demo=True) as client:
            picture = io.BytesIO()
            Image.new("RGB", (64, 48), "red").save(picture, "JPEG")
            key = job_view(client.running.context, 2).status.next.step.key
            answer = client.change(
                "/rigs/2/wireup/photos",
                {"step": key, "mark": "photo-mark-1"},
                files={"file": ("lug.jpg", picture.getvalue(), "image/jpeg")},
            )
            self.assertEqual(answer.status_code, 200)
            shown = re.findall(r'src="(/rigs/2/survey/photos/[^"]+)"', client.get("/rigs/2/wireup").text)
            self.assertEqual(shown, [f"/rigs/2/survey/photos/{answer.json()['photo']}.jpg?small=1"])
            self.assertEqual(client.get(shown[0]).headers["content-type"], "image/jpeg")
            self.assertEqual(client.change("/rigs/2/wireup/photos", {"step": key}).status_code, 422)

    def test_the_other_school_turns_the_last_joints_round(self):
        with visitor(demo=True) as client:

            def joints():
                steps = job_view(client.running.context, 2).status.steps
                return [step.step.key for step in steps if step.step.key.startswith("joint")]

            self.assertEqual(joints(), ["joint:negative", "joint:positive"])
            self.send(
                client,
                [
                    {
                        "mark": "school-mark",
                        "step": "closing",
                        "kind": "choice",
                        "body": {"school": "negative_last"},
                    }
                ],
            )
            self.assertEqual(joints(), ["joint:positive", "joint:negative"])

    def test_pages_without_bank_plan_or_work_say_what_comes_first(self):
        with visitor(demo=True) as client:
            client.change("/rigs", {"name": "Tern", "silhouette": "van", "zone": "UTC"})
            for address, words in (
                ("/rigs/7/wireup", "No battery yet"),
                ("/rigs/7/prove", "No battery yet"),
                ("/rigs/4/wireup", "No plan yet"),
                ("/rigs/1/wireup", "nothing is left to wire"),
                ("/rigs/2/wireup/list", "Take the battery off"),
                ("/rigs/2/wireup/list?long=1", "one after the other"),
                ("/rigs/3/prove/record", "Nothing was measured yet"),
            ):
                with self.subTest(address):
                    self.assertIn(words, client.get(address).text)


class Prove(unittest.TestCase):
    def test_every_device_and_measurement_works_typed_and_a_correction_is_a_new_entry(self):
        with visitor(demo=True) as client:
            context = client.running.context
            typed = {"device": "surgery_lights", "before": "-0,3", "with": "-4.2", "after": "-0.3"}
            self.assertEqual(client.change("/rigs/3/prove/typed", typed).status_code, 303)
            page = client.get("/rigs/3/prove").text
            self.assertIn("Surgery lights: counted, 3.90 A of 4.00 A expected.", page)  # by hand: 4.2 - 0.3
            for form, field in (
                ({"device": "surgery_lights", "with": "-4"}, "before"),
                ({"device": "mains_charger", "before": "0", "with": "12"}, "display"),
                ({**typed, "with": "lots"}, "with"),
            ):
                answer = client.change("/rigs/3/prove/typed", form)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(f'id="problem-{field}"', answer.text)
            self.assertEqual(
                client.change(
                    "/rigs/3/prove/typed",
                    {"device": "mains_charger", "before": "0", "with": "11.7", "display": "12"},
                ).status_code,
                303,
            )
            first = prove_view(context, 3).every[-1]
            client.change("/rigs/3/prove/typed", {**typed, "with": "-0.3", "corrects": str(first.id)})
            view = prove_view(context, 3)
            self.assertEqual((len(view.every), view.proven, view.corrected), (3, 1, {first.id}))
            self.assertEqual(
                client.change("/rigs/3/prove/typed", {**typed, "corrects": str(first.id)}).status_code, 422
            )
            self.assertIn("Surgery lights: not counted", client.get("/rigs/3/prove/record").text)
            for check, values, words in (
                ("volts", {"meter": "12.7", "monitor": "12.71"}, "0.01 V high"),
                ("zero", {"amps": "0.02"}, "within the dead band"),
                ("idle", {"amps": "-1.9"}, "45.6 Ah a day"),
                ("joint", {"about": "link to shunt", "mv": "60", "amps": "100"}, "0.60 mΩ, 6.0 W"),
                ("auxiliary", {"shown": "12.6", "meter": "12.65"}, "12.60 V of the starter"),
                ("reach", {"bay": "14", "cab": "5"}, "cab 5 m"),
                (
                    "net",
                    {"about": "mains_charger", "display": "12", "monitor": "8.1"},
                    "3.90 A are used in the background",
                ),
                (
                    "net",
                    {
                        "about": "mains_charger",
                        "display": "12",
                        "monitor": "11",
                        "charger_v": "14.4",
                        "bank_v": "14.28",
                    },
                    "0.12 V at 12.0 A: 10.0 mΩ",
                ),
            ):
                with self.subTest(check):
                    self.assertEqual(
                        client.change("/rigs/3/prove/checks", {"check": check, **values}).status_code, 303
                    )
                    self.assertIn(words, client.get("/rigs/3/prove").text)
            answer = client.change(
                "/rigs/3/prove/checks", {"check": "gain", "clamp": "twenty", "monitor": "20"}
            )
            self.assertIn("“twenty” is not a number", answer.text)

    def test_wires_touched_since_reopen_a_proof_and_a_scale_is_told_over_its_devices(self):
        with visitor(demo=True) as client:
            context = client.running.context
            for device, amps in (
                ("surgery_lights", 6.0),
                ("sockets", 9.0),
                ("water_pump", 9.1),
                ("vaccine_fridge", 6.1),
            ):
                client.change(
                    "/rigs/3/prove/typed", {"device": device, "before": "0", "with": f"-{amps}", "after": "0"}
                )
            self.assertIn("a 75 mV shunt entered as 50 mV", client.get("/rigs/3/prove").text)
            ops = json.dumps([{"op": "move_end", "cable": "sockets_minus", "end": "b", "to": "shunt.rig"}])
            client.change("/rigs/3/path/change", {"drawing": "planned", "ops": ops})
            take_ticks(context, 3, ticks_of(job_view(context, 3)), who="Wren")
            client.change("/rigs/3/wireup/close", {})
            rows = {row.device.id: row.reopened for row in prove_view(context, 3).rows if row.proof}
            self.assertEqual(
                rows, {"surgery_lights": False, "sockets": True, "water_pump": False, "vaccine_fridge": False}
            )

    def test_the_four_states_rest_on_what_is_on_record(self):
        with visitor(demo=True) as client:
            message = {
                rig: {state.key: state.done for state in prove_view(client.running.context, rig).states}
                for rig in (1, 3, 6)
            }
            self.assertEqual(message[1], {"installed": True, "proven": True, "numbers": True, "full": True})
            # a tick at Wire-up is no read-back
            self.assertEqual(
                message[3], {"installed": True, "proven": False, "numbers": False, "full": False}
            )
            self.assertEqual((message[6]["proven"], message[6]["full"]), (False, True))
            self.assertIn("not tested: Solar controller", client.get("/rigs/6/prove").text)
            self.assertIn("The proof is open", client.get("/").text)
            client.change(
                "/rigs/3/prove/checks", {"check": "full", "volts": "14.4", "amps": "2", "minutes": "6"}
            )
            self.assertTrue(
                next(
                    state.done
                    for state in prove_view(client.running.context, 3).states
                    if state.key == "full"
                )
            )

    def test_nothing_live_is_called_without_readings(self):
        with visitor(demo=True) as client:
            answer = client.change("/rigs/3/prove/call", {"what": "call", "device": "sockets"})
            self.assertEqual(answer.status_code, 422)
            self.assertIn("No readings arrive now", answer.text)


class Waited(unittest.TestCase):
    def test_what_waited_for_the_link_is_kept_once_and_dated_when_it_was_typed(self):
        with visitor(demo=True) as client:
            typed = {
                "device": "fridge",
                "before": "-0.4 A",
                "with": "-4,1",
                "mark": "m1a2r3k4",
                "age_s": "3600",
            }
            for _ in range(2):
                self.assertEqual(client.change("/rigs/1/prove/typed", typed).status_code, 303)
            context = client.running.context
            kept = [proof for proof in prove_view(context, 1).every if proof.time_s > context.now() - 7200.0]
            self.assertEqual([proof.about for proof in kept], ["fridge"])
            self.assertAlmostEqual(kept[0].time_s, context.now() - 3600.0, delta=60.0)


class Alarms(unittest.TestCase):
    def test_one_list_is_changed_refused_undone_and_spoken_on_the_sheet(self):
        with visitor(demo=True) as client:
            base = "/rigs/1/numbers/alarms"
            form = {
                "key": "low_charge",
                "level": "25",
                "release": "35",
                "delay_s": "60",
                "monitor": "1",
                "volnik": "1",
                "on": "1",
            }
            self.assertEqual(client.change(base, form).status_code, 303)
            rows = {
                row["key"]: row["value"] for row in client.get("/rigs/1/numbers/sheet.json").json()["rows"]
            }
            self.assertEqual(rows["low_alarm_pct"], 25)
            for change, field, words in (
                ({"release": "20"}, "release", "must lie above the level"),
                ({"level": "much"}, "level", "not a number"),
                ({"quiet_from": "22"}, "quiet_to", "a beginning and an end"),
                ({"monitor": "", "volnik": ""}, "volnik", "Somebody must give the warning"),
                ({"delay_s": "-5"}, "delay_s", "at least 0"),
            ):
                with self.subTest(change):
                    answer = client.change(base, {**form, **change})
                    self.assertEqual(answer.status_code, 422)
                    self.assertRegex(answer.text, rf'id="problem-{field}"[^<]*(<svg.*?</svg>)?[^<]*{words}')
            client.change(base, {**form, "level": "10"})
            self.assertIn("below the reserve of 15 %", client.get(base).text)
            client.change(f"{base}/undo", {})
            self.assertNotIn("below the reserve of 15 %", client.get(base).text)
            document = client.get("/rigs/1/document.json").json()
            self.assertEqual(
                next(item["level"] for item in document["numbers"]["alarms"] if item["key"] == "low_charge"),
                25,
            )


class Doors(unittest.TestCase):
    """Who may come in from the network: a client with an address of its own."""

    def phone(self, client, **more):
        return TestClient(
            client.running.app,
            base_url="http://192.168.7.2:80",
            client=("192.168.7.40", 5555),
            raise_server_exceptions=False,
            **more,
        )

    def test_a_stranger_gets_nothing_a_paired_phone_everything_but_doors_until_it_is_ended(self):
        with visitor(demo=True) as client:
            pairing = client.app.state.web.pairing
            phone = self.phone(client)
            head = {"host": "192.168.7.2:80"}
            for address in ("/", "/rigs/2/wireup", "/doors", "/api/rigs/3/readings", "/rigs/3/live"):
                self.assertEqual(phone.get(address, headers=head).status_code, 403, address)
            self.assertEqual(phone.get("/", headers={"host": "127.0.0.1:80"}).status_code, 400)
            self.assertEqual(phone.get("/static/css/tokens.css", headers=head).status_code, 200)
            page = phone.get("/pair", headers=head)
            token = re.search(r'name="form-token" content="([^"]+)"', page.text).group(1)

            def pair(code, name="Wren's phone"):
                return phone.post(
                    "/pair",
                    data={"code": code, "name": name},
                    headers={**head, "x-form-token": token},
                    follow_redirects=False,
                )

            right = pairing.code().text
            self.assertEqual(pair(right, name="").status_code, 422)
            self.assertEqual(pair("WRONGONE").status_code, 422)
            self.assertEqual(pair(f"{right[:4].lower()} {right[4:]}").status_code, 303)
            self.assertEqual(phone.get("/rigs/2/wireup", headers=head).status_code, 200)
            self.assertEqual(phone.get("/doors", headers=head).status_code, 403)
            self.assertEqual(pair(right).status_code, 422)  # a code serves once
            listed = client.get("/doors").text
            self.assertIn("Wren&#39;s phone", listed)
            client.change(f"/doors/paired/{pairing.all()[0].id}/end")
            self.assertEqual(phone.get("/rigs/2/wireup", headers=head).status_code, 403)
            forged = self.phone(client, cookies={"volnik_paired": "1.forged"})
            self.assertEqual(forged.get("/", headers=head).status_code, 403)

    def test_a_key_of_the_network_opens_its_one_address_and_is_shown_once(self):
        with visitor(demo=True) as client:
            answer = client.change(
                "/doors/keys", {"kind": "bridge", "rig_id": "3", "name": "mast bridge", "interval_s": "1"}
            )
            secret = re.search(r'class="secret">([^<]+)<', answer.text).group(1)
            self.assertNotIn(secret, client.get("/doors").text)
            phone, head = self.phone(client), {"host": "192.168.7.2:80", "authorization": f"Bearer {secret}"}
            reading = [{"time": "2026-11-20T15:00:00Z", "volts": 12.7, "amps": -3.0}]
            self.assertEqual(
                phone.post("/api/rigs/3/readings", json=reading, headers=head).json()["taken"], 1
            )
            self.assertEqual(phone.post("/api/rigs/1/readings", json=reading, headers=head).status_code, 403)
            self.assertEqual(phone.get("/rigs/3/watch", headers=head).status_code, 403)
            made = tokens.all_tokens(client.running.context)[-1]
            self.assertEqual(
                client.change(f"/doors/keys/{made.id}/interval", {"interval_s": "60"}).status_code, 303
            )
            self.assertEqual(phone.get("/api/rigs/3/readings", headers=head).json()["interval_s"], 60.0)
            answer = client.change(f"/doors/keys/{made.id}/interval", {"interval_s": "never"})
            self.assertEqual(answer.status_code, 422)
            self.assertIn("is not a number", answer.text)
            client.change(f"/doors/keys/{tokens.all_tokens(client.running.context)[-1].id}/end")
            self.assertEqual(phone.post("/api/rigs/3/readings", json=reading, headers=head).status_code, 403)
            for form, field in (
                ({"kind": "bridge", "rig_id": "3", "name": "", "interval_s": "1"}, "name"),
                ({"kind": "bridge", "rig_id": "3", "name": "x", "interval_s": "0"}, "interval_s"),
            ):
                answer = client.change("/doors/keys", form)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(f'id="problem-{field}"', answer.text)
