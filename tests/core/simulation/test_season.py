"""A season is made of the Survey: loads with duty, hours and start phase; chargers by what drives them.

Shares of the wiring.
"""

import unittest
from dataclasses import replace

import numpy as np

from tests.core.numbers.vehicles import USE, van
from tests.core.path.rigs import analysed, bank, cable, changed, device, sound
from volnik.core.path.cases import device_drops
from volnik.core.rig.devices import drawn
from volnik.core.rig.use import Use
from volnik.core.shelf.presets import PRESETS
from volnik.core.simulation.loads import device_load, in_use, switched
from volnik.core.simulation.season import Days, season
from volnik.core.simulation.vehicle import ah_a_day, vehicle_of
from volnik.core.simulation.weather import SKIES, weather

DAY = np.arange(0, 10 * 86400, 60.0)


def one(kind="load", **figures):
    """A device drawn on a 12 V lithium bank."""
    return drawn(device("it", kind, **figures), PRESETS, 12.8)


def rng():
    """Chance that is always the same."""
    return np.random.default_rng(8)


class Loads(unittest.TestCase):
    def test_duty_and_hours_give_the_days_amp_hours_the_survey_reckons(self):
        for figures in (
            {"current_a": 4.0, "duty": 0.3, "hours": ((0, 24),)},
            {"current_a": 6.0, "duty": 1.0, "hours": ((18, 22),)},
            {"current_a": 10.0, "duty": 0.05, "hours": ((8, 20),), "standby_a": 0.1},
            {"current_a": 2.0, "duty": 1.0, "hours": ((22, 6),)},
        ):
            with self.subTest(**figures):
                load = one(**figures)
                simulated = float(device_load(rng(), DAY, load).sum()) / 60.0 / 10.0
                self.assertAlmostEqual(simulated, ah_a_day(load), delta=0.12 * ah_a_day(load) + 0.1)

    def test_a_days_amp_hours_by_hand(self):
        # by hand: 12 h x 0.05 = 0.6 h at 10 A, the other 23.4 h at 0.1 A
        self.assertAlmostEqual(
            ah_a_day(one(current_a=10.0, duty=0.05, hours=((8, 20),), standby_a=0.1)), 6.0 + 2.34
        )

    def test_a_start_phase_draws_more_for_its_seconds_each_time_it_comes_on(self):
        heater = one("heater", current_a=2.0, duty=1.0, start_a=9.0, start_s=180.0, hours=((6, 9),))
        drawn_a = device_load(rng(), DAY, heater)
        begins = np.flatnonzero(np.diff((drawn_a > 5.0).astype(int)) == 1)
        self.assertEqual(len(begins), 10)  # once a day
        for at in begins:
            np.testing.assert_array_equal(drawn_a[at + 1 : at + 4], 9.0)  # three minutes
            self.assertEqual(drawn_a[at + 4], 2.0)

    def test_watts_are_drawn_at_the_banks_usual_volts(self):
        inverter = one("inverter", power_w=1280.0, duty=1.0, efficiency=1.0, hours=((0, 24),), standby_a=0.0)
        # by hand: 1280 W over 12.8 V is 100 A; the sizing's careful figure takes the sagging bank's 11.52 V
        self.assertAlmostEqual(float(device_load(rng(), DAY, inverter).max()), 100.0, places=6)
        self.assertAlmostEqual(inverter.running_a, 1280.0 / 11.52, places=6)

    def test_switching_keeps_its_share_of_the_time(self):
        for duty in (0.1, 0.4, 0.8):
            self.assertAlmostEqual(
                float(switched(rng(), DAY, duty=duty, period_s=2400.0).mean()), duty, delta=0.02
            )

    def test_hours_past_midnight_and_days_by_chance(self):
        night = in_use(rng(), DAY, ((22.0, 6.0),), jitter_h=0.0).reshape(10, 1440)
        self.assertEqual(int(night[5].sum()), 8 * 60)
        seldom = in_use(rng(), np.arange(0, 400 * 86400, 3600.0), (), chance=0.25)
        self.assertAlmostEqual(float(seldom.mean()), 0.25, delta=0.06)


class Sources(unittest.TestCase):
    def test_what_drives_each_charger(self):
        kinds = {
            each.drawn.device.kind: each.kind
            for each in van(
                chargers=("solar", "mains", "dcdc", "alternator", "wind", "inverter_charger")
            ).sources
        }
        self.assertEqual(
            kinds,
            {
                "solar": "solar",
                "mains": "shore",
                "dcdc": "engine",
                "alternator": "engine",
                "wind": "wind",
                "inverter_charger": "shore",
            },
        )

    def test_volts_that_are_not_stated_are_the_chemistrys(self):
        source = van("gel", chargers=("mains",)).sources[0]
        # by hand: gel absorbs at 14.0 to 14.2 V, floats at 13.5 to 13.8 V
        self.assertAlmostEqual(source.absorption_v, 14.1, places=3)
        self.assertAlmostEqual(source.float_v, 13.65, places=3)
        self.assertTrue(source.assumed_v)
        stated = van("gel", chargers=("mains",), absorption_v=14.0, float_v=13.6).sources[0]
        self.assertEqual((stated.absorption_v, stated.float_v, stated.assumed_v), (14.0, 13.6, False))

    def test_lithium_chargers_are_not_compensated_unless_the_survey_says_so(self):
        self.assertEqual(van("lfp", chargers=("mains",)).sources[0].slope_v, 0.0)
        # by hand: -4 mV a cell and degree over six cells
        self.assertAlmostEqual(van("agm", chargers=("mains",)).sources[0].slope_v, -0.024)
        self.assertAlmostEqual(van("lfp", chargers=("mains",), slope_mv_c=-3.0).sources[0].slope_v, -0.012)

    def test_the_drawings_own_cables_stand_between_charger_and_bank(self):
        drawing = sound([device("mains", "mains", most_a=40.0)], bank("lfp", ah=200.0))
        looked = analysed(drawing)
        source = vehicle_of(looked, use=USE, latitude=45.0).sources[0]
        lost = device_drops(looked.network, looked.bank, {"mains": 40.0}, looked.devices)["mains"]
        self.assertAlmostEqual(source.ohm, lost / 40.0, places=9)
        self.assertAlmostEqual(source.at_bank_v(25.0, amps=40.0), source.absorption_v - lost, places=9)

    def test_a_bypassing_charger_fills_the_bank_and_is_not_seen(self):
        drawing = sound(
            [device("mains", "mains", most_a=40.0), device("fridge", "fridge")], bank("lfp", ah=200.0)
        )
        drawing = changed(drawing, {"op": "move_end", "cable": "mains_minus", "end": "b", "to": "A1.minus"})
        vehicle = vehicle_of(analysed(drawing), use=Use(shore_nights=7), latitude=45.0)
        self.assertAlmostEqual(vehicle.sources[0].share, 0.0, places=6)
        made = season(vehicle, Days(days=4))
        self.assertGreater(float(made.truth.charger_a.max()), 3.0)
        self.assertLessEqual(float(made.truth.shunt_a.max()), 1e-9)
        self.assertGreater(float(made.truth.bank_a.max()), 1.0)

    def test_a_device_of_another_battery_is_left_out(self):
        devices = [device("starter", "starter"), device("engine", "alternator"), device("fridge", "fridge")]
        away = [
            cable(f"{name}_plus", f"{name}.plus", other, 1.0, "16 mm²")
            for name, other in (("engine", "starter.plus"), ("starter", "engine.plus"))
        ]
        drawing = sound(devices, bank("lfp", ah=200.0), *away)
        vehicle = vehicle_of(analysed(drawing), use=USE, latitude=45.0)
        self.assertEqual([each.name for each in vehicle.sources], [])
        self.assertEqual([each.device.name for each in vehicle.loads], ["Fridge"])


class Weathers(unittest.TestCase):
    def test_skies_differ_and_seasons_turn_with_the_hemisphere(self):
        sun = {}
        for sky in SKIES:
            made = weather(
                rng(), 1.79e9 + np.arange(0, 60 * 86400, 600.0), latitude=45, longitude=0, mean_c=12, sky=sky
            )
            sun[sky] = float(made.sun_w_m2.mean())
        self.assertTrue(sun["sunny"] > sun["mixed"] > sun["cloudy"])
        north, south = (
            season(replace(van(), latitude=lat), Days("summer", "sunny", days=20)) for lat in (45.0, -45.0)
        )
        self.assertAlmostEqual(
            float(north.sun_w_m2.mean()),
            float(south.sun_w_m2.mean()),
            delta=0.12 * float(north.sun_w_m2.mean()),
        )

    def test_mean_air_follows_the_latitude_until_it_is_typed(self):
        # by hand: 29 - 0.22 x 50 = 18; 26 - 0.4 x 50 = 6; between them 12
        use = Use()
        self.assertEqual(
            [round(use.mean_c(name, 50.0), 6) for name in ("summer", "winter", "spring")], [18.0, 6.0, 12.0]
        )
        self.assertEqual(Use(summer_c=30.0, winter_c=10.0).mean_c("autumn", 50.0), 20.0)

    def test_lithium_is_kept_from_freezing_unless_frost_is_asked_for(self):
        cold = van(use=USE.changed(winter_c=-10.0))
        kept, frozen = (season(cold, Days("winter", days=5, frost=frost)) for frost in (False, True))
        self.assertEqual(float(kept.celsius.min()), 1.0)
        self.assertLess(float(frozen.celsius.min()), 0.0)
