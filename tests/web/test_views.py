"""What pages show, without a browser or a server: sums and choices of words."""

import math
import time
import unittest
from dataclasses import replace
from datetime import UTC, datetime

from tests.web.shops import visitor
from volnik.core.count.runtime import Runtime
from volnik.core.count.state import CountState
from volnik.core.findings import Finding
from volnik.core.numbers.meanings import MEANINGS, Span
from volnik.core.path.findings.cables import right_stack
from volnik.core.rig.rig import Rig, RigSummary
from volnik.core.settings import Numbers
from volnik.core.stages import PlanFacts
from volnik.core.watch.checkup.registry import CAUSES
from volnik.core.watch.outlook import Outlook
from volnik.core.wireup.steps import Tick
from volnik.services.log.band import WidthNow
from volnik.services.log.counted_log import Moment
from volnik.services.numbers.versions import numbers_view
from volnik.services.path.board import Conductor, board_view
from volnik.services.prove.rollcall import calling
from volnik.services.shelf.catalogue import catalogue
from volnik.services.watch.checked import checked
from volnik.services.watch.view import WatchView
from volnik.services.wireup.job import job_view
from volnik.services.yard.rigs import RigStrip, rig_head
from volnik.web.page import (
    ah,
    as_temperature,
    kwh,
    minutes,
    number,
    percent,
    since_full,
    thousands,
    tidy_number,
    when,
)
from volnik.web.plural import count_of, listed
from volnik.web.views.numbers import numbers_heading, reset_list, trial_heading, value_slips
from volnik.web.views.path import board_page_view, found_page_view
from volnik.web.views.prove import prove_desk
from volnik.web.views.rig import wiring_words
from volnik.web.views.shelf import parts_page, size_words
from volnik.web.views.slips import slip_of
from volnik.web.views.watch import OwnDays, count_verdict
from volnik.web.views.watch_checkup import checkup_page
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
        self.assertEqual((known.full, known.as_of), ("full 2 days ago", "as of 15 Nov 2023 12:00"))
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
        items = [item for card in view.cards for item in card.items]
        self.assertEqual([item.number for item in items], [*range(1, view.count + 1)])
        self.assertEqual([card.number for card in view.cards], [*range(1, len(view.cards) + 1)])
        done = next(item for item in items if item.step.ask == "torque" and item.settled)
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
        self.assertIn("1 device is not tested yet", desk.verdict.heading)
        self.assertEqual([title for title, _ in desk.verdict.open], ["Devices tested"])
        self.assertEqual(desk.following.device, "solar_controller")
        self.assertIn("A full battery takes little", desk.following.hint)
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
    def told(self, *, doubted="", own_days=None, width=None, findings=(), **changes):
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
        told = self.told(width=width, own_days=OwnDays("The reserve by Sun.", "67 % at 07:00"))
        self.assertEqual((told.percent, told.give, told.evidence), ("65", "± 3", False))
        # by hand: 55 Ah below full of 100 leave 45 %
        self.assertEqual(told.heading, "The reserve by Sun.")
        self.assertTrue(
            told.told.startswith("By the last minutes: 7.0 A is going out: 6 h 24 min to the reserve")
        )
        self.assertTrue(told.told.endswith("35.0 Ah below full. If this goes on, 45 % at 22:00."))
        self.assertTrue(self.told(width=width).heading.startswith("7.0 A is going out"))
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
            doubted="Likely: a charger bypasses the shunt.",
            own_days=OwnDays("The reserve by Sun.", "67 % at 07:00"),
            width=WidthNow(0.65, 0.62, 0.68, []),
            findings=[large],
        )
        self.assertEqual(
            told.heading, "The percentage cannot be believed. Likely: a charger bypasses the shunt."
        )
        self.assertTrue(told.evidence)
        self.assertTrue(told.told.startswith("As counted: "))
        self.assertEqual((told.give, told.own_days, told.doubt), ("", "", None))
        self.assertEqual(told.findings, [])

    def test_what_is_not_known_is_not_told(self):
        told = self.told(state=CountState(deficit_ah=math.nan), last_full_s=math.nan, in_gap=True)
        self.assertEqual((told.percent, told.known, told.full), ("?", False, "no full reset yet"))
        self.assertEqual(told.heading, "No readings since 15 Nov 2023 11:59: nothing was counted here.")
        self.assertNotIn("charge", [tip.pen for tip in told.tips])


class Boards(unittest.TestCase):
    """Path, Survey, Numbers and Watch, over the demo yard; figures by hand from its own data."""

    @classmethod
    def setUpClass(cls):
        cls.visitor = visitor(demo=True)
        cls.client = cls.visitor.__enter__()
        cls.addClassCleanup(cls.visitor.__exit__, None, None, None)
        cls.context = cls.client.running.context

    def test_the_boards_heading_says_what_is_counted(self):
        view = board_view(self.context, 1, "planned")
        page = board_page_view(view, "UTC")
        self.assertEqual(page.heading[:16], "devices counted:")
        found = [(Finding("path.S01", "stop", "A way round.", "", "", ""), True)]
        cases = (
            (replace(view, whole=0), ""),
            (
                replace(view, findings=[]),
                "devices counted: every amp crosses the shunt. No problems found.",
            ),
            (replace(view, findings=found), "devices counted by this plan. 1 thing to stop for."),
            (
                replace(view, counted=0, findings=found * 2, which="found"),
                "devices counted as found. 2 things to stop for.",
            ),
        )
        for case, heading in cases:
            with self.subTest(heading):
                self.assertEqual(board_page_view(case, "UTC").heading, heading)
        self.assertTrue(board_page_view(replace(view, findings=found), "UTC").mend_all)
        self.assertFalse(board_page_view(replace(view, findings=found, which="found"), "UTC").mend_all)

    def test_a_conductor_over_what_it_carries_is_marked(self):
        view = board_view(self.context, 1, "planned")
        # by hand: 60 A of 50 A are 120 %; 0.0254 V are 25 mV, 0.2 % of 12.8 V
        hot = Conductor("x", "Link", "", 60.0, 0.0254, 1.526, 50.0)
        page = board_page_view(replace(view, conductors=[hot] * 16), "UTC")
        row = page.conductors[0]
        self.assertEqual(
            (row.size, row.carried, row.lost_mv, row.heat_w),
            ("not known", "120 % of 50 A", "25 (0.2 %)", "1.53"),
        )
        self.assertTrue(row.over)
        self.assertEqual((len(page.conductors), page.more), (14, "2 more lose less than these."))

    def test_the_picked_device_is_named_where_it_is_shown(self):
        page = board_page_view(board_view(self.context, 1, "planned", pick="blower_heater"), "UTC")
        self.assertEqual(page.picked, "Blower heater")
        self.assertEqual(page.cases["one"], "Blower heater")
        self.assertRegex(page.key, r"^Blower heater: [\d.]+ A lose [\d.]+ V out and back\.$")
        self.assertNotIn("one", board_page_view(board_view(self.context, 1, "planned"), "UTC").cases)

    def test_a_slip_shows_lengths_and_torques_in_the_units_of_the_browser(self):
        view = board_view(self.context, 1, "planned")
        cable = view.analysis.wiring.cable("blower_heater_minus")
        metric = slip_of(view, f"cable:{cable.id}", "metric")
        feet = slip_of(view, f"cable:{cable.id}", "us")
        self.assertEqual((metric.unit.name, metric.length), ("m", f"{round(cable.length_m, 2):g}"))
        # by hand: a foot is 0.3048 m
        self.assertAlmostEqual(float(feet.length), cable.length_m / 0.3048, delta=0.005)
        stud = slip_of(view, "stud:shunt.rig", "us")
        newton = slip_of(view, "stud:shunt.rig", "metric")
        self.assertEqual(stud.unit.name, "lbf·ft")
        self.assertAlmostEqual(float(stud.torque) * 1.3558, float(newton.torque), delta=0.1)
        for gone in ("cable:none", "stud:none", "device:none", "block:Z9", "nothing", ""):
            with self.subTest(gone):
                self.assertIsNone(slip_of(view, gone, "metric"))

    def test_a_lug_is_lowered_by_one(self):
        view = board_view(self.context, 1, "planned")
        crowded = next(name for name, cables in view.analysis.by_stud.items() if len(cables) > 2)
        slip = slip_of(view, f"stud:{crowded}", "metric")
        names = [row.name for row in slip.stack]
        lowered = [row.lowered for row in slip.stack]
        self.assertGreater(len(names), 1)
        self.assertIsNone(lowered[0])
        self.assertEqual(len(lowered[1]), len(names))
        # by hand: the second lug put below the first
        stack = right_stack(view.analysis, view.analysis.by_stud[crowded])
        self.assertEqual(lowered[1], [stack[1], stack[0], *stack[2:]])

    def test_what_survey_found_is_told_by_its_negatives(self):
        view = board_view(self.context, 1, "found")
        page = found_page_view(view, "Radio, 25 furlongs\nPump, 6 A")
        self.assertEqual(page.lines_high, 2)
        self.assertIn(page.heading.split(",")[0].split(";")[0], ("found", "found."))
        self.assertEqual(len(page.landings), len(view.analysis.devices))
        for row in page.landings:
            if row.cable:
                self.assertIn(row.landing, dict(row.studs))

    def test_numbers_say_what_is_wrong_first(self):
        view = numbers_view(self.context, 1)
        numbers, none = view.held.numbers, {}
        grave = [Finding("numbers.N01", "fix", "Never resets.", "", "", "")]
        cases = (
            (
                numbers_heading(view, numbers, grave, {"hold_s": "x"}),
                "1 value cannot be right as typed; see beside the field.",
            ),
            (numbers_heading(view, numbers, grave, none), "Never resets."),
            (numbers_heading(replace(view, held=None), numbers, [], none)[:14], "Not saved yet:"),
        )
        for heading, expected in cases:
            with self.subTest(expected):
                self.assertEqual(heading, expected)
        sound = numbers_heading(view, numbers, [], none)
        self.assertIn(f"held {numbers.hold_s / 60:g} min; no problems found", sound)

    def test_a_value_is_told_in_the_unit_it_is_typed_in(self):
        spans = {key: Span(0.9, 0.99) for key in MEANINGS} | {"hold_s": Span(120.0, 240.0)}
        texts = dict.fromkeys(MEANINGS, "1")
        slips = value_slips(texts, usual=spans, defaults=texts, advised={}, why={}, readings={})
        # by hand: 120 to 240 s are 2 to 4 min, 0.9 to 0.99 are 90 to 99 %
        self.assertIn("usual: 2 to 4 min", slips["hold_s"].meaning)
        self.assertIn("usual: 90 to 99 %", slips["coulombic_efficiency"].meaning)
        self.assertIsNone(slips["hold_s"].advised)

    def test_a_trial_says_what_would_change(self):
        cases = (
            (trial_heading(3, 0.5, None), "3 full resets with these numbers; the count would end at 50 %."),
            (
                trial_heading(3, 0.5, (1, 0.5)),
                "1 full resets before, 3 with the new numbers; the count would end at the same 50 %.",
            ),
            (
                trial_heading(3, 0.5, (1, 0.4)),
                "1 full resets before, 3 with the new numbers; the count would end at 50 % instead of 40 %.",
            ),
        )
        for said, expected in cases:
            with self.subTest(expected):
                self.assertEqual(said, expected)
        many = reset_list("It", [float(at) for at in range(14)], "UTC")
        self.assertEqual((len(many.resets), many.earlier), (12, "and 2 times before."))
        self.assertEqual(reset_list("It", [], "UTC").earlier, "Never in this log.")

    def test_a_check_up_counts_its_causes_itself(self):
        found = checked(self.context, 1)
        calm = replace(found.parts[-1].found, causes=(), cannot_tell=found.parts[-1].found.cannot_tell[:1])
        part = replace(found.parts[-1], found=calm)
        page = checkup_page(replace(found, parts=[part]), 0, None, span="all", zone="UTC")
        looked_for = len(CAUSES) - len(calm.cannot_tell)
        self.assertEqual(page.number, "0")
        self.assertIn(f"{looked_for} causes were looked for and not found", page.lead)
        self.assertEqual((page.parts, page.span, page.tried), ([], "near", ""))

    def test_bytes_are_told_in_the_unit_that_fits(self):
        for size, said in ((999, "1 kB"), (1_500_000, "1.5 MB"), (2.5e9, "2.5 GB")):
            with self.subTest(said):
                self.assertEqual(size_words(size), said)

    def test_a_shelf_part_is_drawn_to_scale(self):
        shelf = catalogue(self.context)
        page = parts_page("cables", list(shelf.cables), None, {})
        sizes = {row.name: row.radius for row in page.rows}
        radius = next(radius for name, radius in sizes.items() if "35" in name)
        # by hand: 35 mm2 is a round of 3.338 mm radius, drawn 1.4 times as large
        self.assertAlmostEqual(radius, 4.67, delta=0.01)
        self.assertFalse(page.known)


class Words(unittest.TestCase):
    def test_the_head_says_which_wiring_a_page_stands_on(self):
        head = strip()
        cases = (
            (head, "survey", ""),
            (head, "path", "no plan yet, as found"),
            (replace(head, planned=True), "numbers", "as planned"),
            (head, "watch", "as it is, as found"),
            (replace(head, stood_from_s=NOON), "prove", "as it is since 15 Nov 2023"),
        )
        for given, stage, said in cases:
            with self.subTest(stage):
                self.assertEqual(wiring_words(given, stage), said)

    def test_filters_own_their_rounding(self):
        cases = (
            (percent(0.945), "95"),
            (percent(0.944), "94"),
            (percent(1.0), "100"),
            (percent(-0.02), "−2"),
            (percent(-0.002), "0"),
            (percent(0.0123, 1), "1.2"),
            (percent(math.nan), "–"),
            (percent(math.nan, 2), "–"),
            (number(12.345, 2), "12.35"),
            (number(-12.345, 1), "−12.3"),
            (number(-0.04), "0.0"),
            (number(None), "–"),
            (number(math.nan, 0), "–"),
            (number(3.0, 1, sign=True), "+3.0"),
            (number(-3.0, 1, sign=True), "−3.0"),
            (number(0.04, 1, sign=True), "0.0"),
            (tidy_number(3.0), "3"),
            (tidy_number(0.1 + 0.2), "0.3"),
            (tidy_number(None), ""),
            (ah(99.94), "99.9"),
            (ah(100.4), "100"),
            (ah(-3.21), "−3.2"),
            (minutes(150), "2.5"),
            (minutes(180), "3"),
            (minutes(100), "1.67"),
            (kwh(1234), "1.23"),
            (thousands(0), "0"),
            (thousands(999), "999"),
            (thousands(1000), "1 000"),
            (thousands(1234567), "1 234 567"),
            (count_of(1, "night"), "1 night"),
            (count_of(0, "night"), "0 nights"),
            (count_of(2, "night"), "2 nights"),
            (listed([]), ""),
            (listed(["a"]), "a"),
            (listed(["a", "b"]), "a and b"),
            (listed(["a", "b", "c"]), "a, b and c"),
            (since_full(600), "Full just now"),
            (since_full(7200), "2 h since full"),
            (since_full(86_400), "One day since full"),
            (since_full(6.9 * 86_400), "6 days since full"),
            (when(math.nan, "UTC"), "–"),
            (when(0.0, "UTC"), "Thu 1 Jan 1970 00:00"),
            (when(0.0, "Etc/GMT-2", "short"), "1 Jan 1970 02:00"),
            (when(time.time(), "UTC", "short"), f"{datetime.now(UTC):%-d %b %H:%M}"),
            (when(0.0, "Etc/GMT+1", "day"), "31 Dec 1969"),
            (when(0.0, "UTC", "field"), "1970-01-01T00:00"),
            (as_temperature(25.0, "metric"), "25.0 °C"),
            (as_temperature(25.0, "us"), "77.0 °F"),  # by hand: 25 x 9 / 5 + 32
            (as_temperature(-40.0, "us"), "−40.0 °F"),
            (as_temperature(-0.01, "metric"), "0.0 °C"),
        )
        for said, expected in cases:
            with self.subTest(expected):
                self.assertEqual(said, expected)


if __name__ == "__main__":
    unittest.main()
