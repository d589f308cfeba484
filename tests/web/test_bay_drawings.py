"""Drawings of the bay, as numbers.

What is live when, the roll call's bars, the live strip, an alarm on its scale.
"""

import unittest

import numpy as np

from tests.web.shops import visitor
from volnik.core.wireup.steps import Step, Tick, stand
from volnik.drawings.alarms import alarm_scale
from volnik.drawings.rollcall import live_strip, roll_drawing
from volnik.drawings.wireup import LEFT, WIDTH, live_chart
from volnik.services.numbers.alarms import alarms_view
from volnik.services.prove.record import prove_view
from volnik.services.wireup.job import job_view


class LiveChart(unittest.TestCase):
    def test_a_feed_is_whole_until_its_off_step_and_from_its_on_step(self):
        keys = [
            "loads_off",
            "solar_off",
            "main_off",
            "negatives_off",
            "positives_off",
            "joint:negative",
            "joint:positive",
            "sense_fuse",
            "fuse_in:main",
            "loads_on",
            "solar_on",
        ]
        phases = ["dead"] * 5 + ["close"] * 3 + ["restore"] * 3
        steps = [Step(key, phase, key) for key, phase in zip(keys, phases, strict=True)]
        chart = live_chart(stand(steps, [Tick("loads_off", "done", 0.0, "Wren", {"mark": steps[0].mark})]))
        lines = {line.name: line for line in chart.lines}
        self.assertEqual(
            set(lines),
            {"loads", "solar", "main fuses", "battery's negatives", "battery's positives", "monitor"},
        )
        pitch = (WIDTH - LEFT - 12) / 11
        # by hand: solar is off at the second step's middle, on at the eleventh's
        self.assertEqual(
            [(round(span.start, 1), round(span.end, 1), span.live) for span in lines["solar"].spans],
            [
                (LEFT, round(LEFT + 1.5 * pitch, 1), True),
                (round(LEFT + 1.5 * pitch, 1), round(LEFT + 10.5 * pitch, 1), False),
                (round(LEFT + 10.5 * pitch, 1), WIDTH - 12, True),
            ],
        )
        self.assertEqual([span.live for span in lines["monitor"].spans], [False, True])
        self.assertAlmostEqual(chart.now_x, LEFT + pitch)  # before the second step
        self.assertEqual([part.settled for part in chart.parts], [False, False, False])

    def test_the_chart_of_a_whole_demo_job_holds_together(self):
        with visitor(demo=True) as client:
            chart = live_chart(job_view(client.running.context, 2).status)
            for line in chart.lines:
                for item, following in zip(line.spans, line.spans[1:], strict=False):
                    self.assertEqual(item.end, following.start)
                self.assertGreater(line.y, 0)
            self.assertEqual(len(chart.steps), 57)


class RollCall(unittest.TestCase):
    def test_bars_grow_with_the_root_of_the_amps_and_say_what_was_found(self):
        with visitor(demo=True) as client:
            context = client.running.context
            client.change(
                "/rigs/3/prove/typed", {"device": "sockets", "before": "0", "with": "-1.5", "after": "0"}
            )
            roll = roll_drawing(prove_view(context, 3).rows)
            bars = {bar.id: bar for bar in roll.bars}
            self.assertEqual(roll.scale_a, 10.0)
            # by hand: 1.5 of 6 A is half as long by its root
            self.assertAlmostEqual(bars["sockets"].seen_w / bars["sockets"].expected_w, 0.5, places=2)
            self.assertEqual((bars["sockets"].word, bars["sockets"].level), ("partly", "fix"))
            self.assertEqual((bars["water_pump"].word, bars["water_pump"].seen_w), ("not called yet", 0.0))

    def test_the_live_strip_spans_its_readings_and_is_left_out_without_any(self):
        self.assertIsNone(live_strip(np.zeros(1), np.zeros(1), ()))
        strip = live_strip(np.arange(60.0), np.where(np.arange(60) < 30, 1.0, -5.0), ((30.0, "on"),))
        self.assertLess(strip.low, -5.0)
        self.assertGreater(strip.high, 1.0)
        self.assertTrue(0 < strip.zero_y < strip.height)
        self.assertAlmostEqual(strip.presses[0][0], 8 + (strip.width - 16) * 30 / 59)


class AlarmScales(unittest.TestCase):
    def test_an_alarm_stands_among_what_it_must_not_contradict(self):
        with visitor(demo=True) as client:
            view = alarms_view(client.running.context, 1)
            given = view.given
            scales = {
                alarm.key: alarm_scale(alarm, given.vehicle, given.numbers, fuse_a=view.fuse_a)
                for alarm in view.alarms.alarms
            }
            low = scales["low_charge"]  # 20 % on a scale of 0 to 100 %, reserve at 15 %
            self.assertAlmostEqual(low.level_x, 14 + 612 * 0.20)
            self.assertEqual(
                [(round(mark.x, 1), mark.name) for mark in low.marks],
                [(round(14 + 612 * 0.15, 1), "reserve 15 %")],
            )
            self.assertEqual(low.speaks, (14.0, low.level_x))
            high = scales["high_volts"]
            names = [mark.name.split()[0] for mark in high.marks]
            self.assertEqual(names, ["cut-off", "rest", "chargers", "cell"])
            self.assertTrue(high.marks[2].x < high.level_x < high.marks[3].x)
