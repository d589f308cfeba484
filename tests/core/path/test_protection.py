"""What can flow before something opens: three rigs by hand, and nets against every cut there is."""

import itertools
import random
import unittest

from tests.core.path.rigs import SHUNT, analysed, bank, cable, device, drawing
from volnik.core.path.protection.circuit import Circuit
from volnik.core.path.protection.cut import main_cut
from volnik.core.path.protection.flow import ENDLESS, Arc, Arriving, Net, exchanged
from volnik.core.path.protection.rule import Protection, level_of
from volnik.core.path.protection.why import why
from volnik.core.rig.wiring import Bar, Fuse, Wiring

BARS = (
    Bar(id="nb", kind="busbar", name="Negative busbar"),
    Bar(id="pb", kind="busbar", pole="plus", name="Positive busbar"),
)


def fused(made, end, amps):
    """A cable with a fuse at one end."""
    return made.changed(fuse=Fuse(amps=amps, volts=80, breaks_ka=25, from_post_mm=100, at=end))


def both(made, amps):
    """A cable with a fuse at each end."""
    one = Fuse(amps=amps, volts=80, breaks_ka=25, from_post_mm=100, at="a")
    return made.changed(fuse=one, far_fuse=one.changed(at="b"))


def rig(devices, cables, the_bank=None, bars=BARS):
    """A rig with its shunt between the bank and the negative bar."""
    link = cable("rig_link", "shunt.rig", "nb", 0.3, "70 mm²")
    wiring = Wiring(shunt=SHUNT, cables=(*cables, link), bars=bars)
    return Protection(Circuit(analysed(drawing(devices, the_bank or bank(), wiring))))


def two_strings(inverter_fuse):
    """Example A: two strings of 150 A each, a charger of 60 A, an inverter's lead of 210 A."""
    cables = [
        cable("lead_a", "A1.plus", "pb", 1.5, "50 mm²", fuse=150),
        cable("lead_b", "B1.plus", "pb", 1.5, "50 mm²", fuse=150),
        cable("minus_a", "A1.minus", "bb", 1.5, "50 mm²"),
        cable("minus_b", "B1.minus", "bb", 1.5, "50 mm²"),
        cable("shunt_link", "bb", "shunt.bank", 0.3, "70 mm²"),
        cable("charger_plus", "charger.plus", "pb", 1.0, "16 mm²", fuse=80),
        cable("charger_minus", "charger.minus", "nb", 1.0, "16 mm²"),
        cable("inverter_plus", "inverter.plus", "pb", 1.0, "35 mm²", fuse=inverter_fuse),
        cable("inverter_minus", "inverter.minus", "nb", 1.0, "35 mm²"),
    ]
    devices = [device("charger", "mains", most_a=60.0), device("inverter", "inverter", power_w=1000.0)]
    bars = (*BARS, Bar(id="bb", kind="busbar", name="Battery busbar"))
    return rig(devices, cables, bank(parallel=2), bars)


def joined_starter(far):
    """Example B: a starter battery fused 100 A joined to a bar that stands behind 300 A."""
    second = cable("lead_2", "relay.plus", "pb", 3.0, "25 mm²")
    cables = [
        fused(cable("lead_1", "start.plus", "relay.far", 3.0, "25 mm²"), "a", 100),
        fused(second, "b", far) if far else second,
        cable("main", "A1.plus", "pb", 0.5, "95 mm²", fuse=300),
        cable("shunt_link", "A1.minus", "shunt.bank", 0.3, "70 mm²"),
        cable("start_minus", "start.minus", "nb", 1.0, "25 mm²"),
    ]
    return rig([device("start", "starter"), device("relay", "combine")], cables)


def bow():
    """Example C: a bow battery on a cable fused at both ends, a thruster on it."""
    cables = [
        both(cable("feed", "bow.plus", "pb", 9.0, "16 mm²"), 100),
        fused(cable("thruster_plus", "thruster.plus", "bow.plus", 1.0, "70 mm²"), "b", 250),
        cable("thruster_minus", "thruster.minus", "bow.minus", 1.0, "70 mm²"),
        cable("bow_minus", "bow.minus", "nb", 9.0, "16 mm²"),
        cable("main", "A1.plus", "pb", 0.5, "95 mm²", fuse=300),
        cable("shunt_link", "A1.minus", "shunt.bank", 0.3, "95 mm²"),
    ]
    devices = [device("bow", "second_bank"), device("thruster", "thruster", current_a=250.0)]
    return rig(devices, cables)


def flows(protection):
    """(from batteries, from all) [A] by conductor and stud."""
    return {
        (judged.conductor.id, end.stud): (end.from_batteries_a, end.from_all_a)
        for judged in (*protection.positives, *protection.negatives)
        for end in judged.ends
    }


def levels(protection):
    """The conductors at fault, with how grave."""
    every = (*protection.positives, *protection.negatives)
    return {judged.conductor.id: judged.level for judged in every if judged.level is not None}


class ByHand(unittest.TestCase):
    def test_two_strings_and_an_inverter(self):
        open_ = two_strings(None)
        self.assertEqual(levels(open_), {"inverter_plus": "stop"})
        found = flows(open_)
        self.assertEqual(found["inverter_plus", "pb"], (300.0, 360.0))  # both strings; and the charger's 60
        self.assertEqual(found["lead_a", "A1.plus"], (150.0, 150.0))  # its own fuse
        self.assertEqual(found["lead_a", "pb"], (150.0, 210.0))  # the other string; and the charger
        self.assertEqual(found["charger_plus", "charger.plus"], (0.0, 60.0))
        self.assertEqual(found["charger_plus", "pb"], (80.0, 80.0))
        shut = two_strings(200)
        self.assertEqual(levels(shut), {})
        # the link brings back what both fuses at the bar let through, 200 + 80; the strings give 300
        self.assertEqual(flows(shut)["shunt_link", "shunt.bank"], (280.0, 280.0))
        self.assertEqual(main_cut(shut).amps, 300.0)

    def test_a_starter_battery_joined_by_a_relay(self):
        bare = joined_starter(None)
        self.assertEqual(levels(bare), {"lead_1": "stop", "lead_2": "stop"})
        # one fuse mends both, and it belongs at the bar
        self.assertEqual([judged.conductor.id for judged in bare.causes], ["lead_2"])
        self.assertEqual(flows(bare)["lead_1", "relay.far"], (300.0, 300.0))
        self.assertEqual(flows(bare)["lead_1", "start.plus"], (100.0, 100.0))
        shut = joined_starter(100)
        self.assertEqual(levels(shut), {})
        self.assertEqual(flows(shut)["lead_2", "relay.plus"], (100.0, 100.0))

    def test_a_bow_battery_with_a_thruster(self):
        boat = bow()
        self.assertEqual(levels(boat), {})
        found = flows(boat)
        self.assertEqual(found["thruster_plus", "bow.plus"], (250.0, 250.0))
        # what comes back from the bow is bounded by the feed's 100 A, not by the thruster's 250
        self.assertEqual(max(found["bow_minus", stud][0] for stud in ("bow.minus", "nb")), 100.0)

    def test_why_so_much_can_flow(self):
        def terms(protection, cable_id):
            return [
                (one.stud, one.amps, one.margin_a, sorted((b.kind, b.id, b.amps) for b in one.bounds))
                for one in why(protection, cable_id)
            ]

        at_bar = terms(two_strings(None), "inverter_plus")[1]
        self.assertEqual(
            at_bar,
            (
                "pb",
                360.0,
                -150.0,
                [("charger", "charger", 60.0), ("fuse", "lead_a", 150.0), ("fuse", "lead_b", 150.0)],
            ),
        )
        shut = terms(two_strings(200), "inverter_plus")[1]
        self.assertEqual(shut, ("pb", 200.0, 10.0, [("own_fuse", "inverter_plus", 200.0)]))
        (link,) = terms(two_strings(200), "shunt_link")
        self.assertEqual(link[:3], ("shunt.bank", 280.0, 50.0))
        self.assertEqual(link[3], [("fuse", "charger", 80.0), ("fuse", "inverter", 200.0)])
        self.assertEqual(why(two_strings(200), "nothing"), ())

    def test_how_grave_it_is(self):
        for batteries, every, carries, level in (
            (100.0, 100.0, 100.0, None),
            (100.0, 160.0, 100.0, "advise"),  # chargers alone bring it over
            (175.0, 175.0, 170.0, "fix"),  # the next fuse above 170
            (200.0, 200.0, 170.0, "stop"),
            (ENDLESS, ENDLESS, None, "stop"),
            (300.0, 300.0, None, None),
        ):
            with self.subTest(batteries=batteries, carries=carries):
                self.assertEqual(level_of(batteries, every, carries), level)


def least_cut(studs, arcs, supply, sinks):
    """The smallest of all cuts, tried one by one: an independent slow way."""
    free = [stud for stud in studs if stud not in sinks]
    least = ENDLESS
    for chosen in itertools.product((False, True), repeat=len(free)):
        near = {stud for stud, is_near in zip(free, chosen, strict=True) if is_near}
        cut = sum(amps for stud, amps in supply.items() if stud not in near)
        for arc in arcs:
            cut += arc.a_to_b if arc.a in near and arc.b not in near else 0.0
            cut += arc.b_to_a if arc.b in near and arc.a not in near else 0.0
        least = min(least, cut)
    return least


class EveryCut(unittest.TestCase):
    def _net(self, dice):
        studs = [f"s{at}" for at in range(dice.randrange(2, 8))]
        arcs = []
        for at in range(1, len(studs)):  # a tree, and now and then a ring
            arcs.append((studs[dice.randrange(at)], studs[at]))
        arcs += [tuple(dice.sample(studs, 2)) for _ in range(dice.choice((0, 0, 1, 2)))]
        sizes = (10.0, 30.0, 100.0, 175.0, ENDLESS)
        made = []
        for at, (a, b) in enumerate(arcs):
            amps = dice.choice(sizes)
            made.append(Arc(f"c{at}", a, b, amps, 0.0 if dice.random() < 0.1 else amps))
        supply = {stud: dice.choice((20.0, 60.0, 300.0, ENDLESS)) for stud in dice.sample(studs, 2)}
        return studs, made, supply

    def test_what_arrives_is_the_smallest_cut(self):
        dice = random.Random(7)
        for trial in range(150):
            studs, arcs, supply = self._net(dice)
            arriving = Arriving(Net(studs, arcs), supply)
            with self.subTest(trial=trial, arcs=arcs, supply=supply):
                for arc in arcs:
                    rest = [other for other in arcs if other is not arc]
                    for end, amps in zip((arc.a, arc.b), arriving.without(arc), strict=True):
                        self.assertAlmostEqual(amps, least_cut(studs, rest, supply, {end}))
                stud = dice.choice(studs)
                self.assertAlmostEqual(arriving.at(stud), least_cut(studs, arcs, supply, {stud}))

    def test_what_is_exchanged_is_the_smallest_cut(self):
        dice = random.Random(11)
        for trial in range(150):
            studs, arcs, supply = self._net(dice)
            sinks = set(dice.sample(studs, dice.randrange(1, len(studs))))
            with self.subTest(trial=trial, arcs=arcs, supply=supply, sinks=sinks):
                # a source on a sink gives all it has there; the cut knows it as lost to the sinks' side
                self.assertAlmostEqual(
                    exchanged(Net(studs, arcs), supply, sinks), least_cut(studs, arcs, supply, sinks)
                )
