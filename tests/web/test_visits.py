"""A visit: what it wants, what was done kept as one, what it ends and opens again, taken back as one."""

import io
import re
import unittest

from pypdf import PdfReader

from tests.web.shops import visitor
from volnik.core.errors import InvalidInput
from volnik.core.visits.acts import done_from
from volnik.core.visits.joints import read_joints
from volnik.services.log.history import history
from volnik.services.prove.record import prove_view
from volnik.services.watch.sums import sums_view
from volnik.services.yard.rigs import rig_head

BOOKBUS = 1


class Joints(unittest.TestCase):
    def test_lines_are_read_as_people_write_them(self):
        found = read_joints("A1 plus, 12 N·m, 0.8 mV\nB2 minus 9 ft-lb\n\nshunt rig side: 1,2 mV")
        self.assertEqual([joint.where for joint in found], ["A1 plus", "B2 minus", "shunt rig side"])
        self.assertEqual([joint.nm for joint in found], [12.0, 12.2, None])  # by hand: 9 x 1.3558
        self.assertEqual([joint.mv for joint in found], [0.8, None, 1.2])

    def test_each_line_at_fault_is_named(self):
        with self.assertRaises(InvalidInput) as refused:
            read_joints("A1 plus\n12 Nm\nA2 minus, 120 N·m\nA3 plus 12 Nm")
        self.assertEqual(sorted(refused.exception.problems), ["1", "2", "3"])


class Acts(unittest.TestCase):
    def test_what_is_needed_and_what_cannot_be_is_told_beside_its_field(self):
        for key, typed, numbers, place in (
            ("swapped", {"new": "Lowtide 160"}, {}, "swapped.which"),
            ("equalised", {}, {"volts": 15.5}, "equalised.hours"),
            ("equalised", {}, {"volts": 9e9, "hours": 2.0}, "equalised.volts"),
            ("torqued", {"joints": ""}, {}, "torqued.joints"),
        ):
            with self.subTest(key, place=place), self.assertRaises(InvalidInput) as refused:
                done_from(key, typed, numbers)
            self.assertIn(place, refused.exception.problems)

    def test_a_roll_call_is_asked_of_the_devices_named_or_of_all(self):
        some = done_from("wiring", {"what": "new busbar", "devices": "fridge fan"}, {})
        self.assertEqual(some.opens, ("rollcall:fridge", "rollcall:fan"))
        self.assertEqual(done_from("wiring", {"what": "new busbar"}, {}).opens, ("rollcall",))


class Visits(unittest.TestCase):
    def setUp(self):
        shop = visitor(demo=True)
        self.client = shop.__enter__()
        self.addCleanup(shop.__exit__, None, None, None)
        self.context = self.client.running.context
        page = self.client.get("/rigs/1/visit").text
        self.now = re.search(r'name="time" value="([^"]+)"', page).group(1)

    def keep(self, **typed):
        given = {"time": self.now, "reason": "yearly look", **typed}
        return self.client.change("/rigs/1/visit", given)

    def test_a_swap_and_two_joints_are_one_act_that_ends_and_opens(self):
        before = prove_view(self.context, BOOKBUS)
        self.assertTrue(all(state.done for state in before.states))
        answer = self.keep(
            **{
                "swapped.which": "a1",
                "swapped.old": "160 Ah, 104 Ah measured",
                "swapped.new": "Lowtide 160",
                "torqued.joints": "A1 plus, 12 N·m, 0.8 mV\nA1 minus, 12 N·m, 0.9 mV",
            }
        )
        self.assertEqual(answer.status_code, 303)
        report = self.client.get(answer.headers["location"]).text
        for words in ("A battery swapped", "Joints torqued", "A1 minus", "12 N·m", "First full witnessed"):
            self.assertIn(words, report)
        with self.context.db.reading() as session:
            kinds = [event.kind for event in history(session, BOOKBUS)]
        self.assertEqual([kind for kind in kinds if kind in ("block_swapped", "torqued")].count("torqued"), 2)
        self.assertIn("block_swapped", kinds)
        after = prove_view(self.context, BOOKBUS)
        self.assertEqual([state.key for state in after.states if not state.done], ["full"])
        self.assertEqual(after.proven, before.proven)
        self.assertEqual(rig_head(self.context, BOOKBUS).rig.summary.believed, "unknown")
        self.assertEqual(len(sums_view(self.context, BOOKBUS).before), 2)
        record = self.client.get("/rigs/1/watch/sums").text
        self.assertIn("Batteries before", record)

    def test_it_is_taken_back_and_brought_back_as_one(self):
        address = self.keep(**{"swapped.which": "A1", "swapped.new": "Lowtide 160"}).headers["location"]
        self.client.change(address, {"back": ""})
        self.assertEqual(rig_head(self.context, BOOKBUS).rig.summary.believed, "plain")
        self.assertTrue(all(state.done for state in prove_view(self.context, BOOKBUS).states))
        self.assertIn("taken back", self.client.get(address).text)
        self.client.change(address, {"back": "1"})
        self.assertEqual(rig_head(self.context, BOOKBUS).rig.summary.believed, "unknown")

    def test_only_the_device_whose_cable_was_touched_is_called_again(self):
        rows = prove_view(self.context, BOOKBUS).rows
        touched = rows[0].device.id
        self.keep(**{"wiring.what": "new lug", "wiring.devices": touched})
        reopened = [row.device.id for row in prove_view(self.context, BOOKBUS).rows if row.reopened]
        self.assertEqual(reopened, [touched])
        attention = rig_head(self.context, BOOKBUS).rig.summary.attention
        self.assertTrue(any("Changed since it was tested" in message for _, message, _ in attention))
        self.assertEqual(rig_head(self.context, BOOKBUS).rig.summary.believed, "doubt")

    def test_new_firmware_asks_for_the_read_back(self):
        self.keep(**{"firmware.what": "4.19"})
        left = [state.key for state in prove_view(self.context, BOOKBUS).states if not state.done]
        self.assertEqual(left, ["numbers"])

    def test_what_is_left_for_now_stays_in_the_yard_until_it_is_put_right(self):
        self.keep(**{"temporary.what": "fan on a spare fuse", "temporary.due": "2026-12-24"})
        self.assertIn(
            "Left for now, to be put right by 2026-12-24: fan on a spare", self.client.get("/").text
        )
        page = self.client.get("/rigs/1/visit").text
        number = re.search(r'name="of" value="(\d+)"', page).group(1)
        self.client.change("/rigs/1/visit/cleared", {"of": number})
        self.assertNotIn("Left for now, to be put", self.client.get("/").text)

    def test_faults_are_told_beside_their_fields_and_nothing_is_lost(self):
        for typed, place in (
            ({"swapped.which": "C9", "swapped.new": "x"}, "swapped.which"),
            ({"torqued.joints": "A1 plus"}, "torqued.joints"),
            ({"equalised.volts": "lots", "equalised.hours": "2"}, None),
            ({"time": "2031-01-01T00:00", "firmware.what": "9"}, "time"),
            ({}, "acts"),
        ):
            with self.subTest(typed):
                answer = self.keep(**typed)
                self.assertEqual(answer.status_code, 422)
                if place:
                    self.assertIn(f'id="problem-{place}"', answer.text)
                for value in typed.values():
                    if value != "lots" and value != "2":
                        self.assertIn(value, answer.text)

    def test_the_report_is_a_paper_too_and_a_message_goes_before(self):
        address = self.keep(**{"torqued.joints": "A1 plus, 12 N·m, 0.8 mV", "firmware.what": "4.19"})
        body = self.client.get(f"{address.headers['location']}.pdf").content
        text = " ".join(PdfReader(io.BytesIO(body)).pages[0].extract_text().split())
        for words in (
            "Bookbus: visit of",
            "yearly look",
            "A1 plus 12 N·m 0.8 mV",
            "4.19",
            "To be proven again",
        ):
            self.assertIn(words, text)
        page = self.client.get("/rigs/1/visit").text
        self.assertIn("Before we come to Bookbus", page)
        self.assertIn("mailto:?subject=Before%20we%20come%20to%20Bookbus", page)
