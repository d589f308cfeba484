"""What pages show, without a browser or a server: sums and choices of words."""

import math
import unittest
from dataclasses import replace

from tests.web.shops import visitor
from volnik.core.count.runtime import Runtime
from volnik.core.count.state import CountState
from volnik.core.findings import Finding
from volnik.core.rig.rig import Rig, RigSummary
from volnik.core.settings import Numbers
from volnik.core.stages import PlanFacts
from volnik.core.watch.outlook import Outlook
from volnik.core.wireup.steps import Tick
from volnik.services.log.counted_log import Moment
from volnik.services.prove.rollcall import calling
from volnik.services.watch.view import WatchView, WidthNow
from volnik.services.wireup.job import job_view
from volnik.services.yard.rigs import RigStrip, rig_head
from volnik.web.views.prove import prove_desk
from volnik.web.views.watch import count_verdict
from volnik.web.views.wireup import wireup_view
from volnik.web.views.yard import Want, yard_view

NOON = 1_700_049_600.0  # 2023-11-15 12:00 UTC


def strip(name="Tern", *, alarm="", **summary):
    """A rig of the Yard with what was reckoned of it."""
    rig = Rig(7, name, "van", "test van", "UTC", NOON, summary=RigSummary(**summary))
    return RigStrip(rig, "12 V LFP", [], alarm=alarm)


class Yard(unittest.TestCase):
    def view(self, *strips, search="", archived=False):
        return yard_view(list(strips), search=search, archived=archived)

    def test_the_heading_says_what_presses(self):
        calm, pressed = strip(need=1.0), strip("Wren", need=110.0)
        cases = [
            (self.view(), None, "The Yard is empty."),
            (self.view(calm), 0, "rigs want something. Nothing presses."),
            (self.view(pressed, calm), 1, "rig wants something; Wren first."),
            (self.view(pressed, pressed), 2, "rigs want something; Wren first."),
            (self.view(calm, archived=True), None, "Put aside: 1 rig."),
            (self.view(archived=True), None, "Put aside: 0 rigs."),
        ]
        for view, count, heading in cases:
            with self.subTest(heading):
                self.assertEqual((view.count, view.heading), (count, heading))

    def test_an_empty_yard_says_what_to_do(self):
        self.assertIn("Take in the first rig", self.view().empty)
        self.assertEqual(self.view(search="zz").empty, "No rig matches “zz”.")
        self.assertEqual(self.view(archived=True).empty, "Nothing is put aside.")
        self.assertEqual(self.view(strip()).empty, "")

    def test_a_live_alarm_comes_before_what_else_it_wants(self):
        wants = [["fix", "Resets come early."], ["advise", "The proof is open."]]
        told = {"attention": wants, "sentence": "8 A is going out."}
        self.assertEqual(self.view(strip(**told)).strips[0].want, Want("fix", "Resets come early.", 1))
        spoken = self.view(strip(alarm="Low volts: 11.8 V.", **told)).strips[0].want
        self.assertEqual(spoken, Want("stop", "Low volts: 11.8 V.", 0, "/rigs/7/watch/alarms"))
        calm = self.view(strip(sentence="8 A is going out.")).strips[0].want
        self.assertEqual(calm, Want("well", "8 A is going out."))

    def test_the_bar_is_drawn_only_where_the_charge_is_known(self):
        known = self.view(strip(at_s=NOON, soc=0.65, last_full_s=NOON - 2 * 86400, reserve_pct=15.0)).strips[
            0
        ]
        # by hand: 0.65 of 226 is 146.9, 15 % of it 33.9
        self.assertEqual((known.bar.percent, known.bar.charge_w, known.bar.reserve_w), ("65", 146.9, 33.9))
        self.assertEqual(known.bar.label, "65 % charge, reserve 15 %")
        self.assertEqual((known.full, known.as_of), ("full 2 days ago", "as of 15 Nov 12:00"))
        unknown = self.view(strip()).strips[0]
        self.assertEqual((unknown.bar, unknown.full, unknown.as_of), (None, "", "no readings"))


class WireUp(unittest.TestCase):
    def test_cards_tell_what_was_done_and_what_is_wanted(self):
        with visitor(demo=True) as client:
            rig = rig_head(client.running.context, 2).rig
            job = job_view(client.running.context, 2)
        view = wireup_view(job, rig)
        self.assertEqual(view.heading, f"Next: {job.status.next.step.title}.")
        self.assertEqual((view.closable, view.closing), (False, "when every step is done or skipped"))
        self.assertEqual(
            [card.number for part in view.parts for card in part.cards], [*range(1, view.count + 1)]
        )
        done = next(card for card in view.cards if card.step.ask == "torque" and card.settled)
        wanted = f"{done.step.torque_nm:.10g} N·m"
        self.assertTrue(done.asked.endswith(f"(wanted {wanted})"))
        self.assertRegex(done.done, rf"^Done \d+ \w+ [\d:]+ by Maren: {done.step.torque_nm}$")
        self.assertEqual((done.mark, done.unit), ("✓", "N·m"))

    def test_what_no_longer_holds_and_what_the_plan_lacks_is_said_in_a_sentence(self):
        with visitor(demo=True) as client:
            rig = rig_head(client.running.context, 2).rig
            job = job_view(client.running.context, 2)
        gone = [Tick(f"lug:{at}", "done", NOON, "Wren", {"title": f"Lug {at}"}) for at in range(4)]
        rig = replace(rig, summary=replace(rig.summary, plan=PlanFacts(True, 1)))
        for count, said in (
            (0, ""),
            (1, "1 ticked step no longer holds: Lug 0. Undo that work where it was done."),
            (4, "4 ticked steps no longer hold: Lug 0; Lug 1; Lug 2. Undo that work where it was done."),
        ):
            view = wireup_view(replace(job, status=replace(job.status, dropped=gone[:count])), rig)
            self.assertEqual(view.dropped, said)
            self.assertEqual(len(view.dropped_lines), count)
            self.assertEqual(view.plan_stops, "The plan itself has 1 thing to stop for")


class Prove(unittest.TestCase):
    def desk(self, rig_id, **changes):
        """The desk of a demo rig, with what is changed of where the roll call stands."""
        with visitor(demo=True) as client:
            running = client.running
            given = calling(running.context, running.live, rig_id, who="Wren")
        return given, prove_desk(replace(given, **changes))

    def test_the_verdict_counts_and_names_what_is_open(self):
        given, desk = self.desk(6)
        left = [row for row in given.view.rows if not row.proven]
        self.assertEqual([row.device.id for row in left], ["solar_controller"])
        self.assertEqual(desk.verdict.proven, desk.verdict.count - 1)
        self.assertIn("1 device is not proven yet", desk.verdict.heading)
        self.assertEqual([title for title, _ in desk.verdict.open], ["Paths proven"])
        self.assertEqual(desk.following.device, "solar_controller")
        self.assertIn("A full bank takes little", desk.following.hint)
        self.assertEqual((desk.live, desk.called, desk.result), (False, None, None))

    def test_a_called_device_is_told_what_to_do_phase_by_phase(self):
        given, _ = self.desk(6)
        rows = {row.device.id: row.device for row in given.view.rows}
        source = rows["solar_controller"]
        load = next(device for device in rows.values() if device.takes)
        cases = [
            (load, "switch on", "It should be off now. Switch it on. Then say so.", "on", False),
            (source, "switch on", "It should give nothing now.", "on", False),
            (load, "switch off", "Switch it off.", "off", False),
            (source, "switch off", "Type what its own display shows now", "off", True),
            (load, "wait on", "Waiting until its start-up is over: 1 of 3 readings.", "", False),
            (load, "wait off", "Waiting for the readings after: 1 of 3.", "", False),
        ]
        for device, phase, lead, press, display in cases:
            with self.subTest(phase=phase, device=device.id):
                called = prove_desk(replace(given, device=device, phase=phase, had=1, wanted=3)).called
                self.assertIn(lead, called.lead)
                self.assertEqual((called.press, called.asks_display), (press, display))

    def test_a_partly_counted_device_wants_a_clamp_only_while_readings_come(self):
        came_to = {"device": "fan", "word": "partly", "level": "fix", "sentence": "Half."}
        _, desk = self.desk(6, verdict=came_to)
        self.assertEqual((desk.result.asks_clamp, desk.result.again), (False, False))
        self.assertEqual(desk.result.sentence, "Half.")
        self.assertTrue(desk.following.heading.startswith("Next: "))


class Count(unittest.TestCase):
    def told(self, *, doubted="", own_days="", width=None, findings=(), **changes):
        """What is told of a rig 35 Ah below full of 100, that draws 7 A."""
        now = Moment(
            NOON,
            NOON - 60.0,
            {"volts": 13.1, "amps": -7.0, "celsius": 20.0},
            CountState(deficit_ah=35.0),
            Numbers(100.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.1, 20.0, 1.0, 180.0),
            Runtime("discharging", 7.0, 6.4),
            None,
            None,
            NOON - 2 * 86400.0,
            False,
        )
        rig = Rig(7, "Tern", "van", "test van", "UTC", NOON)
        ahead = [Outlook("22:00", NOON + 36_000.0, 55.0)]
        view = WatchView(rig, None, None, ahead, list(findings), width)
        return count_verdict(
            view, replace(now, **changes), doubted=doubted, own_days=own_days, system="metric"
        )

    def test_a_sound_count_is_told_with_its_width_and_what_lies_ahead(self):
        width = WidthNow(0.65, 0.62, 0.68, [("gain", 0.02)])
        told = self.told(width=width, own_days="67 % at 07:00")
        self.assertEqual((told.percent, told.give, told.evidence), ("65", "± 3", False))
        # by hand: 55 Ah below full of 100 leave 45 %
        self.assertEqual(told.told, "35.0 Ah below full. If this goes on, 45 % at 22:00.")
        self.assertEqual((told.full, told.own_days), ("full 2 days ago", "67 % at 07:00"))
        self.assertEqual(told.doubt.summary, "2 days since full; most of the doubt is the shunt's scale")
        self.assertEqual(told.doubt.span, "Nine cases of ten lie between 62 and 68 %, the likeliest is 65 %.")
        self.assertEqual(
            [(tip.pen, tip.text) for tip in told.tips],
            [("volts", "13.10 V"), ("amps", "−7.00 A"), ("celsius", "20.0 °C"), ("charge", "65.0 %")],
        )

    def test_a_doubted_count_is_not_given_as_the_verdict(self):
        large = Finding("count.C04", "fix", "Resets correct much.", "", "", "watch")
        told = self.told(
            doubted="A charger bypasses the shunt",
            own_days="67 % at 07:00",
            width=WidthNow(0.65, 0.62, 0.68, []),
            findings=[large],
        )
        self.assertEqual(told.heading, "The count cannot be believed. A charger bypasses the shunt:")
        self.assertTrue(told.evidence)
        self.assertTrue(told.told.startswith("As counted: "))
        self.assertEqual((told.give, told.own_days, told.doubt), ("± 3 if wired right", "", None))
        self.assertEqual(told.findings, [])

    def test_what_is_not_known_is_not_told(self):
        told = self.told(state=CountState(deficit_ah=math.nan), last_full_s=math.nan, in_gap=True)
        self.assertEqual((told.percent, told.known, told.full), ("?", False, "no full reset yet"))
        self.assertEqual(told.heading, "No readings since 15 Nov 11:59: nothing was counted here.")
        self.assertNotIn("charge", [tip.pen for tip in told.tips])


if __name__ == "__main__":
    unittest.main()
