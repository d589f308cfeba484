"""Each finding is said when it should be, mended by its own mend, and silent on what is right."""

import unittest

from tests.core.path.rigs import analysed, bank, cable, changed, device, drawing, sound
from volnik.core.path.edits import Drawing
from volnik.core.path.judgement import judge, mend_all, mending
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.wiring import Bar, Cable, Wiring
from volnik.core.shelf.parts import CablePart, starting_catalogue

SHELF = starting_catalogue()
HULL, CHASSIS = Bar(id="hull", kind="hull", name="Hull"), Bar(id="chassis", kind="chassis", name="Chassis")


def move(name, to, end="b"):
    """Put a cable's end elsewhere."""
    return {"op": "move_end", "cable": name, "end": end, "to": to}


def fuse(name, amps, **more):
    """State a fuse."""
    return {
        "op": "set_fuse",
        "cable": name,
        "fuse": {"amps": amps, "volts": 80, "breaks_ka": 25, "from_post_mm": 100, **more},
    }


def lug(name, **lugs):
    """State a cable's lugs."""
    return {"op": "set_cable", "cable": name, "length_m": 0.3, "size": "70 mm²", **lugs}


def said(item, **given):
    """Ids of what is found."""
    return {finding.id.removeprefix("path.") for finding in judge(analysed(item, **given))}


FRIDGE = [device("fridge", current_a=5.0)]
MANY = [device(f"d{at}", current_a=1.0) for at in range(6)]
TWO_LFP = bank("lfp", 1, 2)
SERIES = bank("agm", 4, 1)

# id, devices, bank, what is done to a sound drawing, whether the finding's own mend takes it away
CASES = [
    ("P01", FRIDGE, None, [move("fridge_minus", "A1.minus")], True),
    (
        "P02",
        FRIDGE,
        None,
        [
            {
                "op": "add_cable",
                "a": "fridge.minus",
                "b": "A1.minus",
                "size": "16 mm²",
                "length_m": 1,
                "id": "second",
            }
        ],
        True,
    ),
    ("P03", FRIDGE, None, [{"op": "turn_shunt"}], True),
    ("P04", FRIDGE, SERIES, [move("shunt_link", "A2.minus", "a")], True),
    (
        "P05",
        FRIDGE,
        None,
        [{"op": "add_bar", "kind": "chassis"}, {"op": "add_cable", "a": "chassis", "b": "A1.minus"}],
        True,
    ),
    (
        "P06",
        [*FRIDGE, device("starter", "starter")],
        None,
        [{"op": "remove_cable", "cable": "starter_plus"}, move("starter_minus", "A1.minus")],
        True,
    ),
    ("P06", FRIDGE, None, [{"op": "add_bar", "kind": "busbar", "feed": "A1.minus"}], True),
    (
        "P07",
        [*FRIDGE, device("other", "second_bank")],
        None,
        [{"op": "remove_cable", "cable": "other_plus"}, move("other_minus", "A1.minus")],
        True,
    ),
    ("P08", FRIDGE, None, [{"op": "add_isolator", "cable": "shunt_link"}], True),
    ("P09", FRIDGE, SERIES, [move("sense", "A2.plus")], True),
    ("P09", FRIDGE, None, [move("sense", "pb")], True),
    ("P10", FRIDGE, None, [{"op": "set_fuse", "cable": "sense", "fuse": None}], True),
    ("P10", FRIDGE, None, [{"op": "set_fuse", "cable": "sense", "fuse": {"amps": 10}}], True),
    ("P11", FRIDGE, None, [{"op": "remove_cable", "cable": "sense"}], True),
    ("P11", FRIDGE, None, [{"op": "set_socket", "socket": "wrong"}], True),
    (
        "P12",
        [*FRIDGE, device("starter", "starter")],
        None,
        [{"op": "remove_cable", "cable": "starter_plus"}],
        True,
    ),
    ("P13", FRIDGE, bank("agm", 1, 3), [move("shunt_link", "A1.minus", "a")], True),
    ("P14", FRIDGE, bank("agm", 1, 2, string_ah=(100.0, 80.0)), [], False),
    ("P15", [device("inverter", power_w=6000.0, efficiency=0.9)], None, [], True),
    ("P15", [device("solar", "solar", most_a=450.0)], None, [], True),
    ("P16", [device("pump", current_a=10.0, surge_a=900.0)], None, [], True),
    ("P17", [device("radio", current_a=0.01)], None, [], False),
    ("P18", [device("heater", current_a=150.0)], None, [], True),
    (
        "P19",
        FRIDGE,
        None,
        [{"op": "set_cable", "cable": "fridge_minus", "size": "1 mm²", "length_m": 12}],
        True,
    ),
    (
        "P20",
        FRIDGE,
        None,
        [{"op": "set_cable", "cable": "fridge_plus", "size": "4 mm²", "length_m": 1}],
        True,
    ),
    ("P21", FRIDGE, None, [fuse("fridge_plus", 5)], True),
    ("P22", FRIDGE, None, [{"op": "set_fuse", "cable": "main", "fuse": None}], True),
    ("P23", FRIDGE, None, [fuse("main", 200, from_post_mm=900)], False),
    ("P24", FRIDGE, SERIES, [fuse("main", 200, volts=32)], False),
    ("P25", FRIDGE, None, [fuse("main", 200, breaks_ka=2)], False),
    ("P26", FRIDGE, TWO_LFP, [], True),
    (
        "P27",
        FRIDGE,
        None,
        [{"op": "set_fuse", "cable": "fridge_plus", "fuse": None}, move("fridge_plus", "A1.plus")],
        True,
    ),
    ("P28", [device("alternator", "alternator")], bank("lfp"), [], False),
    ("P29", FRIDGE, SERIES, [move("fridge_plus", "A3.plus")], True),
    ("P31", [device("windlass", "windlass", current_a=80.0, surge_a=900.0)], None, [], True),
    ("P32", [device("inverter", "inverter", power_w=2000.0)], None, [], True),
    ("P32", [device("inverter", "inverter", power_w=500.0)], bank(series=4), [], True),
    ("P33", [device("bilge", "bilge")], None, [{"op": "add_isolator", "cable": "main"}], True),
    ("P34", FRIDGE, None, [lug("shunt_link", lug_a="M8", lug_b="M8")], True),
    ("P34", FRIDGE, None, [lug("shunt_link", lug_a="3/8 in", lug_b="M10")], True),
    ("P35", MANY, None, [move(f"d{at}_minus", "shunt.rig") for at in range(6)], True),
    ("P36", FRIDGE, None, [{"op": "set_stud", "stud": "A1.plus", "stack": ["sense", "main"]}], True),
    (
        "P37",
        FRIDGE,
        None,
        [{"op": "set_mount", "mount": {"screw_mm": 40, "base_mm": 12, "panel_mm": 9, "behind_mm": 15}}],
        False,
    ),
    ("P38", FRIDGE, None, [{"op": "set_stud", "stud": "A1.plus", "thread": "M5"}], False),
    ("P39", FRIDGE, None, [{"op": "remove_cable", "cable": "fridge_minus"}], True),
    ("P40", FRIDGE, None, [{"op": "set_shunt"}], True),
    (
        "P43",
        FRIDGE,
        None,
        [{"op": "set_cable", "cable": "shunt_link", "size": "6 mm²", "length_m": 0.3}],
        True,
    ),
    (
        "P45",
        FRIDGE,
        None,
        [{"op": "set_cable", "cable": "fridge_minus", "size": "", "length_m": None}],
        False,
    ),
    ("P46", FRIDGE, None, [{"op": "remove_cable", "cable": "shunt_link"}], True),
    ("P47", FRIDGE, bank("lfp", ah=200.0), [fuse("main", 200, breaks_ka=None)], False),
    (
        "P48",
        [device("heater", current_a=40.0)],
        None,
        [{"op": "set_cable", "cable": "heater_minus", "size": "", "length_m": 1}],
        False,
    ),
]


class Said(unittest.TestCase):
    def test_a_sound_drawing_raises_nothing(self):
        self.assertEqual(said(sound()), set())

    def test_each_finding_is_said_and_its_mend_takes_it_away(self):
        for mark, devices, the_bank, ops, mends in CASES:
            with self.subTest(mark, ops=ops):
                item = changed(sound(devices, the_bank), *ops)
                looked = analysed(item)
                found = [finding for finding in judge(looked) if finding.id == f"path.{mark}"]
                self.assertTrue(found, said(item))
                for finding in found:
                    self.assertTrue(finding.message and finding.why and finding.hint)
                self.assertNotIn(mark, said(sound(devices, the_bank)) if ops and mark != "P12" else set())
                changes = mending(found[0], looked, SHELF)
                self.assertEqual(bool(changes), mends)
                if mends:
                    mended = changed(item, *changes)
                    again = [
                        finding
                        for finding in judge(analysed(mended))
                        if (finding.id, finding.at) == (found[0].id, found[0].at)
                    ]
                    self.assertEqual([finding.message for finding in again], [])

    def test_what_is_right_raises_nothing(self):
        rings = changed(sound(), {"op": "set_auxiliary", "use": "temperature"})
        rows = {
            "temperature ring on the minus post": rings,
            "links between batteries": sound(
                FRIDGE, bank("agm", 2, 1), cable("link_A1_A2", "A1.minus", "A2.plus", 0.3)
            ),
            "equal leads to a busbar before the shunt": sound(
                FRIDGE,
                bank("agm", 1, 2),
                cable("a", "A1.minus", "bb", 0.3, "70 mm²"),
                cable("b", "B1.minus", "bb", 0.3, "70 mm²"),
                cable("shunt_link", "bb", "shunt.bank", 0.3, "70 mm²"),
                cable("plus_A1_B1", "A1.plus", "B1.plus", 0.3, "70 mm²"),
                bars=(Bar(id="bb", kind="busbar", name="Battery busbar"),),
            ),
            "bond on the rig side": sound(
                FRIDGE, None, cable("bond", "chassis", "nb", 1.0, "35 mm²"), bars=(CHASSIS,)
            ),
            "one bond to the hull": sound(
                FRIDGE, None, cable("bond", "hull", "nb", 1.0, "35 mm²"), bars=(HULL,)
            ),
            "fused strings": sound(
                FRIDGE,
                TWO_LFP,
                cable("plus_A1_B1", "A1.plus", "B1.plus", 0.3, "50 mm²", fuse=200),
                cable("minus_A1_B1", "A1.minus", "B1.minus", 0.3, "50 mm²"),
            ),
        }
        for name, row in rows.items():
            with self.subTest(name):
                self.assertEqual(said(row) - {"P12", "P47"}, set())

    def test_a_stray_bond_is_one_finding_and_what_follows_is_listed_with_it(self):
        devices = [device(f"d{at}", current_a=3.0) for at in range(5)]
        bond, stray = cable("bond", "chassis", "nb", 1.0, "35 mm²"), cable("stray", "chassis", "A1.minus")
        found = judge(analysed(sound(devices, None, bond, stray, bars=(CHASSIS,))))
        (told,) = [finding for finding in found if finding.level == "stop"]
        self.assertEqual((told.id, told.at, len(told.consequences)), ("path.P05", "path.stray", 5))
        self.assertIn("D0: only", told.consequences[0])
        self.assertIn("d4", told.about)

    def test_what_carries_no_current_may_stand_on_the_post(self):
        devices = [
            device("sense", "sensing"),
            device("balancer", "balancer"),
            device("fridge", current_a=5.0),
        ]
        item = changed(
            sound(devices),
            move("sense_minus", "A1.minus"),
            move("balancer_minus", "A1.minus"),
            {"op": "set_fuse", "cable": "balancer_plus", "fuse": None},
        )
        self.assertEqual(said(item) - {"P12", "P35"}, set())

    def test_a_thicker_cable_is_proposed_from_the_shops_own_shelf(self):
        own = CablePart(key="own", name="Own 42", size="42 mm²", carries_a=400)
        item = sound([device("heater", current_a=150.0)])
        for shelf, size in ((SHELF, "35 mm²"), (SHELF.changed(cables=(own,)), "42 mm²")):
            looked = analysed(item, catalogue=shelf)
            finding = next(finding for finding in judge(looked) if finding.id == "path.P18")
            self.assertEqual(finding.remedy["ops"][0]["size"], size)
            self.assertIn(f"Take {size}", finding.hint)

    def test_a_shunt_on_the_wrong_post_is_told_once(self):
        self.assertNotIn("P46", said(changed(sound(FRIDGE, SERIES), move("shunt_link", "A2.minus", "a"))))

    def test_current_in_a_hull_stops_even_when_it_is_counted(self):
        item = sound(
            FRIDGE,
            None,
            cable("bond", "hull", "nb", 1.0, "35 mm²"),
            cable("fridge_minus", "fridge.minus", "hull", 1.0, "16 mm²"),
            bars=(HULL,),
        )
        looked = analysed(item)
        self.assertEqual(looked.shares["fridge"].word, "counted")
        found = next(finding for finding in judge(looked) if finding.id == "path.P30")
        self.assertEqual(found.level, "stop")
        self.assertNotIn("P30", said(changed(item, *mending(found, looked, SHELF))))

    def test_half_a_bank_joined_on_the_rig_side_is_told_once(self):
        item = sound(
            FRIDGE,
            bank("agm", 1, 2),
            cable("shunt_link", "A1.minus", "shunt.bank"),
            cable("minus_A1_B1", "nb", "B1.minus"),
            cable("plus_A1_B1", "A1.plus", "B1.plus"),
        )
        found = [finding for finding in judge(analysed(item)) if finding.id in ("path.P44", "path.P02")]
        self.assertEqual([finding.id for finding in found], ["path.P44"])
        self.assertRegex(found[0].message, "only about 5[0-9] %")
        self.assertNotIn("P44", said(changed(item, *mending(found[0], analysed(item), SHELF))))

    def test_a_load_of_another_battery_that_crosses_the_shunt(self):
        devices = [device("starter", "starter"), device("crank", "cranking")]
        item = sound(
            devices,
            None,
            cable("crank_plus", "crank.plus", "starter.plus"),
            cable("starter_minus", "starter.minus", "A1.minus"),
        )
        item = changed(item, {"op": "remove_cable", "cable": "starter_plus"})
        self.assertIn("P41", said(item))  # its negative is on the busbar, its battery's on the post

    def test_the_monitors_rating_against_the_shunts(self):
        self.assertIn("P42", said(sound(), monitor=Monitor(shunt_a=500, shunt_mv=75)))
        found = next(
            finding
            for finding in judge(analysed(sound(), monitor=Monitor(shunt_a=500, shunt_mv=75)))
            if finding.id == "path.P42"
        )
        self.assertIn("× 0.667", found.message)  # by hand: 500/75 over 500/50
        self.assertNotIn("P42", said(sound(), monitor=Monitor(shunt_a=250, shunt_mv=25)))

    def test_everything_mechanical_is_mended_at_once(self):
        devices = [
            device("inverter", "inverter", power_w=1200.0),
            *MANY,
            device("bilge", "bilge", current_a=3.0),
        ]
        the_bank = bank("agm", 1, 2, takeoff="one_end")
        cables = [
            Cable(id=f"{device.id}_minus", a=f"{device.id}.minus", b="A1.minus", size="16 mm²", length_m=1)
            for device in devices
        ]
        cables += [
            Cable(id=f"{device.id}_plus", a=f"{device.id}.plus", b="A1.plus", size="16 mm²", length_m=1)
            for device in devices
        ]
        item = drawing(devices, the_bank, Wiring(cables=tuple(cables)))
        self.assertIn("P40", said(item))
        wiring, made = mend_all(analysed(item), item, SHELF)
        after = Drawing(item.bank, item.devices, item.presets, wiring)
        self.assertGreater(made, 5)
        self.assertEqual(
            [finding.message for finding in judge(analysed(after)) if finding.level == "stop"], []
        )
        self.assertTrue(all(share.word == "counted" for share in analysed(after).shares.values()))
