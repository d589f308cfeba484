"""The bench rig: the same readings for the same seed however the clock is cut, faults as put in, a roll call
over every device.
"""

import json
import unittest
from dataclasses import replace

import numpy as np

from tests.core.path.rigs import bank, device, sound
from volnik.benchrig.running import BenchRig
from volnik.benchrig.speak import Outbox
from volnik.benchrig.wires import read_faults, wire_document
from volnik.core.document import RigDocument, RigSection, WiringSection
from volnik.core.errors import InvalidInput
from volnik.core.path.edits import apply
from volnik.core.prove.rollcall import called, expected_of, judge_step
from volnik.core.prove.steps import seen_between
from volnik.core.simulation.switched import SwitchedVehicle, Switches
from volnik.core.simulation.wired import NO_FAULTS, Faults

DEVICES = [
    device("fridge", "fridge", current_a=4.0),
    device("heater", "heater"),
    device("lamp", current_a=3.0),
    device("kettle", "inverter", power_w=600, surge_a=90.0),
    device("pump", "pump"),
    device("alarm", "alarm"),
    device("mains", "mains", most_a=25),
    device("solar", "solar", panel_w=300, most_a=20),
]
START = 1_795_000_000.0


def document(the_bank=None, moves=()):
    item = sound(DEVICES, the_bank or bank("agm", ah=110.0, parallel=1))
    wiring = apply(item, list(moves)) if moves else item.wiring
    return RigDocument(
        rig=RigSection(name="Bench", latitude=50.0),
        bank=item.bank.as_dict(),
        devices=tuple(DEVICES),
        wiring=WiringSection(found=item.wiring, planned=wiring),
    )


def vehicle(faults=None, *, seed=1, charge=0.9, switches=None, doc=None):
    wired = wire_document(doc or document(), faults=faults or NO_FAULTS)
    return SwitchedVehicle(wired, start_s=START, charge=charge, seed=seed, switches=switches)


class Readings(unittest.TestCase):
    def test_the_same_seed_gives_the_same_readings_however_the_seconds_are_cut(self):
        whole = vehicle()
        whole.set(devices={"lamp": "on", "fridge": "auto"}, shore="on", sun=0.5)
        segments = vehicle()
        segments.set(devices={"lamp": "on", "fridge": "auto"}, shore="on", sun=0.5)
        once = whole.run(START + 4000)
        cut = [row for until in (1, 2, 60, 61, 661, 2500, 4000) for row in segments.run(START + until)]
        self.assertTrue(once == cut)
        other = vehicle(seed=2)
        other.set(devices={"lamp": "on", "fridge": "auto"}, shore="on", sun=0.5)
        self.assertFalse(once == other.run(START + 4000))

    def test_it_says_what_flows_and_faults_change_what_it_says_not_what_flows(self):
        # by hand: 3 A of lamp, 0.15 A of gas alarm that never sleeps, 0.05 A of heater and 1 A of inverter at
        # standby, solar 0.02 A
        for faults, expected in (
            (None, -4.2),
            (Faults(reversed=True), 4.2),
            (Faults(scale=1.5), -6.3),
            (Faults(offset_a=0.3), -3.9),
            (Faults(moved={("lamp_minus", "b"): "A1.minus"}), -1.2),
        ):
            with self.subTest(faults):
                item = vehicle(faults)
                item.set(devices={"lamp": "on"})
                rows = item.run(START + 60)
                self.assertAlmostEqual(np.mean([row[2] for row in rows]), expected, delta=0.03)
                self.assertAlmostEqual(item.shown.amps["lamp"], -3.0)
        self.assertEqual(vehicle(Faults(dead=True)).run(START + 60), [])

    def test_a_day_fast_is_a_day_and_a_full_bank_takes_no_more(self):
        item = vehicle(charge=0.5)
        item.set(shore="on")
        rows = item.run(START + 86_400, every_s=60.0)
        self.assertEqual(len(rows), 1440)
        self.assertGreater(item.shown.charge, 0.97)
        self.assertLess(abs(item.shown.bank_a), 1.0)

    def test_faults_are_read_and_impossible_ones_refused(self):
        self.assertEqual(
            read_faults(["reversed", "scale=1.5", "lamp_minus.b=A1.minus"]),
            Faults({("lamp_minus", "b"): "A1.minus"}, True, 1.5),
        )
        for text in ("lamp", "scale=x", "lamp_minus.c=A1.minus", "reversed=1"):
            with self.assertRaises(InvalidInput):
                read_faults([text])
        for moved in (
            {("none", "b"): "A1.minus"},
            {("lamp_minus", "b"): "nowhere"},
            {("lamp_minus", "b"): "A1.plus"},
        ):
            with self.assertRaises(InvalidInput):
                wire_document(document(), faults=Faults(moved=moved))


class RollCalls(unittest.TestCase):
    """The whole chain, seed by seed: the shunt's readings of a simulated vehicle, judged as the page judges
    them.
    """

    def call(self, item, device_id, seed):
        drawing = wire_document(document()).analysis  # what Path believes
        listed = next(each for each in called(drawing) if each.id == device_id)
        rng = np.random.default_rng(seed)
        began = item.time_s
        rows = item.run(began + 20)
        if device_id in ("mains", "solar"):
            item.set(**({"shore": "on"} if device_id == "mains" else {"sun": 0.9}))
        else:
            item.set(devices={device_id: "on"})
        rows += item.run(item.time_s + int(rng.integers(1, 9)))
        on_s = item.time_s
        rows += item.run(on_s + 6)
        display = item.shown.amps[device_id]
        item.set(
            shore="off",
            sun=0.0,
            **({} if device_id in ("mains", "solar") else {"devices": {device_id: "off"}}),
        )
        rows += item.run(item.time_s + int(rng.integers(1, 5)))
        off_s = item.time_s
        rows += item.run(off_s + 7)
        time_s, amps = np.array([row[0] / 1000 for row in rows]), np.array([row[2] for row in rows])
        expected = (display,) if device_id in ("mains", "solar") else expected_of(listed, rows[-1][1])
        response = seen_between(time_s, amps, on_s=on_s, off_s=off_s, expected_a=expected, began_s=began + 20)
        return judge_step(
            listed,
            expected_a=expected,
            seen_a=response.amps,
            noise_a=response.noise_a,
            drawing=drawing,
            agrees=response.agrees,
        )

    def test_every_counted_device_is_found_counted_and_a_bypassing_one_not_while_the_fridge_cycles(self):
        for seed in range(5):
            for moved in (None, "lamp", "heater", "mains", "solar"):
                faults = None if moved is None else Faults(moved={(f"{moved}_minus", "b"): "A1.minus"})
                item = vehicle(faults, seed=seed, charge=0.6)
                item.set(devices={"fridge": "auto"})
                item.run(START + 97 * seed)
                for device_id in ("lamp", "heater", "kettle", "pump", "mains", "solar"):
                    with self.subTest(seed=seed, moved=moved, device=device_id):
                        verdict = self.call(item, device_id, seed)
                        if verdict.word == "once more":  # the fridge switched just then
                            verdict = self.call(item, device_id, seed + 100)
                        self.assertEqual(verdict.proven, device_id != moved, verdict.sentence)

    def test_a_reversed_shunt_turns_every_verdict(self):
        item = vehicle(Faults(reversed=True), charge=0.6)
        for device_id in ("lamp", "kettle", "mains"):
            self.assertEqual(self.call(item, device_id, 3).word, "reversed")


class Sender:
    """Volnik as a bridge sees it: away for a while, then there again."""

    def __init__(self):
        self.away, self.kept = False, []

    def send(self, rows):
        if self.away:
            raise ConnectionError("no answer")
        self.kept += rows
        return ""

    def close(self):
        pass


class Running(unittest.TestCase):
    def rig(self, **more):
        self.clock, self.sender = [0.0], Sender()
        return BenchRig(
            document(),
            Outbox(self.sender),
            which="planned",
            faults=Faults(),
            start_s=START,
            charge=0.8,
            seed=1,
            interval_s=1.0,
            clock=lambda: self.clock[0],
            **more,
        )

    def test_time_runs_by_its_factor_and_what_could_not_be_sent_is_sent_later_once(self):
        rig = self.rig()
        rig.switch("factor", "60")
        self.clock[0] = 2.0
        rig.tick()
        self.assertEqual(rig.vehicle.time_s, START + 120)
        self.sender.away = True
        rig.outbox.flush()
        self.assertIn("trying on", rig.outbox.trouble)
        self.sender.away = False
        rig.outbox.flush()
        rig.outbox.flush()
        self.assertEqual(
            [row[0] for row in self.sender.kept], [round((START + at) * 1000) for at in range(1, 121)]
        )

    def test_switches_are_checked_and_a_cable_moved_back_is_whole_again(self):
        rig = self.rig()
        for name, value in (
            ("device:lamp", "maybe"),
            ("device:none", "on"),
            ("factor", "5000"),
            ("sun", "x"),
            ("cable:lamp_minus.b", "A1.plus"),
            ("speed", "1"),
        ):
            with self.subTest(name), self.assertRaises(InvalidInput):
                rig.switch(name, value)
        rig.switch("cable:lamp_minus.b", "A1.minus")
        lamp = next(device for device in rig.devices() if device.id == "lamp")
        self.assertEqual((lamp.landing, lamp.drawn, round(lamp.share, 3)), ("A1.minus", "nb", 0.0))
        rig.switch("cable:lamp_minus.b", "nb")
        self.assertAlmostEqual(
            next(device for device in rig.devices() if device.id == "lamp").share, 1.0, delta=0.001
        )

    def test_its_page_answers_on_this_machine_alone(self):
        from fastapi.testclient import TestClient

        from volnik.benchrig.control import control_app

        with TestClient(control_app(self.rig(), name="Tern", hosts={"testserver"})) as client:
            self.assertIn("Bench rig: Tern", client.get("/").text)
            self.assertEqual(client.get("/", headers={"host": "elsewhere"}).status_code, 403)
            self.assertEqual(
                client.post(
                    "/switch", data={"name": "sun", "value": "1"}, headers={"origin": "http://elsewhere"}
                ).status_code,
                403,
            )
            self.assertEqual(client.post("/switch", data={"name": "sun", "value": "2"}).status_code, 422)
            self.assertEqual(client.post("/switch", data={"name": "sun", "value": "0.5"}).status_code, 200)
            self.assertEqual(json.loads(client.get("/state").text)["sun"], 0.5)

    def test_a_rig_in_use_lives_by_its_own_hours(self):
        living = vehicle(
            switches=replace(Switches.living(wire_document(document())), factor=1000.0), charge=0.7
        )
        rows = living.run(START + 86_400, every_s=60.0)
        amps = np.array([row[2] for row in rows])
        self.assertTrue((amps > 5).any() and (amps < -1).any())
