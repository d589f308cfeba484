"""One drawing looked at whole: studs, network, shares, load cases, and which studs lie on the bank's side."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from volnik.core.findings import Finding
from volnik.core.path.cases import LoadCase, Run, occasional_runs, solve_case, solve_charging, warming
from volnik.core.path.network import Network, build
from volnik.core.path.shares import Share, shares
from volnik.core.path.sides import volts_by_device
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device, ResolvedDevice, all_drawn
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import Stud, block_names, studs_of
from volnik.core.rig.wiring import Bar, Cable, Wiring, other_end
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.shelf.conductors import TABLE_C, Surroundings, ampacity
from volnik.core.shelf.parts import Catalogue, starting_catalogue
from volnik.core.shelf.presets import Preset

STARTING = starting_catalogue()
SHUNT_STUDS = (StudRef("shunt.bank"), StudRef("shunt.rig"))
POLE_WORDS = {"minus": "negative", "plus": "positive", "far": "other positive"}
LEAD_WORDS = {"sense": "monitor's supply lead", "aux": "spare-input lead"}


@dataclass(frozen=True, slots=True)
class Carried:
    """What a cable carries for good [A], None where nothing is known; whether its size is only assumed."""

    amps: float | None
    is_assumed: bool


@dataclass
class WiringAnalysis:
    """A fitted drawing with all that is reckoned from it; each part is reckoned once, when first asked for.

    Attributes:
        bank, chemistry, wiring, monitor: as on record.
        devices: with their figures filled in.
        presets: kinds of devices in force.
        short_ka: the bank's short-circuit current as the maker states it [kA], or None.
        stated_ohm: internal resistance of a block as the maker states it [ohm], or None.
        catalogue: the Shelf that cables are proposed from.
        post_thread: of the bank's posts as the Shelf has it, "" where nobody told.
        kept: worst amps of cables already reckoned.
        beyond: stray cables already looked for, by stud.
        judged: findings, once they were looked for.
        memo: what else was reckoned once.
    """

    bank: Bank
    chemistry: Chemistry
    devices: list[ResolvedDevice]
    wiring: Wiring
    monitor: Monitor
    presets: dict[str, Preset]
    short_ka: float | None = None
    stated_ohm: float | None = None
    catalogue: Catalogue = STARTING
    post_thread: str = ""
    kept: dict[str, float] = field(default_factory=dict)
    beyond: dict[StudRef, Cable | None] = field(default_factory=dict)
    judged: list[Finding] | None = None
    memo: dict[str, Any] = field(default_factory=dict)

    @cached_property
    def nominal_v(self) -> float:
        """Nominal volts of the bank [V]."""
        return self.bank.nominal_v(self.chemistry)

    @cached_property
    def studs(self) -> dict[str, Stud]:
        """Every stud by id."""
        return studs_of(
            self.bank,
            [device.device for device in self.devices],
            self.wiring,
            self.presets,
            post_thread=self.post_thread,
        )

    @cached_property
    def network(self) -> Network:
        """The network of the drawing."""
        return build(
            self.bank, self.chemistry, self.devices, self.wiring, self.studs, stated_ohm=self.stated_ohm
        )

    @cached_property
    def closed(self) -> Network:
        """The network while an engine runs; the same where nothing closes then."""
        if not any(device.preset.closes_with_engine for device in self.devices):
            return self.network
        return build(
            self.bank,
            self.chemistry,
            self.devices,
            self.wiring,
            self.studs,
            stated_ohm=self.stated_ohm,
            closed=True,
        )

    @cached_property
    def shares(self) -> dict[str, Share]:
        """Share of each device's current that crosses the shunt.

        What charges through a split-charge relay counts with what of it goes to the bank.
        """
        found = shares(self.network, self.devices)
        if self.closed is not self.network:
            running = shares(self.closed, self.devices)
            found |= {
                device.id: running[device.id]
                for device in self.devices
                if device.gives and running[device.id].expected == 1.0
            }
        return found

    @cached_property
    def together(self) -> LoadCase:
        """Everything that can run together."""
        return solve_case(self.network, self.devices, "together")

    @cached_property
    def chargers(self) -> LoadCase:
        """The largest mix of chargers at its most."""
        return self.charging[0]

    @cached_property
    def charging(self) -> list[LoadCase]:
        """The chargers that can run at once, each mix at its most, the largest first."""
        return solve_charging(self.closed, self.devices)

    @cached_property
    def runs(self) -> list[Run]:
        """Each heavy occasional load alone with what is always on."""
        return occasional_runs(self.network, self.devices)

    @cached_property
    def _row(self) -> dict[str, int]:
        return {edge.id: row for row, edge in enumerate(self.network.edges)}

    def row_of(self, edge_id: str) -> int:
        """The row of an edge in what is solved.

        Args:
            edge_id: of a cable, the shunt, an isolator.
        """
        return self._row[edge_id]

    def heating_a(self, cable: Cable) -> float:
        """The current for good that heats a cable as its worst case does [A]; a short run heats less."""
        row, most = self._row[cable.id], self.worst_a(cable)
        steady = [abs(case.flow.amps[cable.id]) for case in (self.together, *self.charging)]
        device = self.owner_of(cable)
        often = device is not None and device.figures["together"] is not False
        if often and device is not None and not device.preset.is_battery:
            steady += [device.running_a if device.takes else 0.0, device.gives_a if device.gives else 0.0]
        if cable.mm2 is None:
            return most
        for run in self.runs:
            heat = warming(run.run_s, cable.mm2)
            steady.append(abs(float(run.alone[row]) * heat + float(run.beside[row])))
        return max(steady)

    @cached_property
    def by_stud(self) -> dict[str, list[Cable]]:
        """Cables ending on each stud."""
        found: dict[str, list[Cable]] = {name: [] for name in self.studs}
        for cable in self.wiring.cables:
            found[cable.a].append(cable)
            found[cable.b].append(cable)
        return found

    @cached_property
    def bars(self) -> dict[str, Bar]:
        """Bars by id."""
        return {bar.id: bar for bar in self.wiring.bars}

    def device(self, device_id: str) -> ResolvedDevice | None:
        """A device by id.

        Args:
            device_id: of the device.
        """
        return self.by_id.get(device_id)

    @cached_property
    def by_id(self) -> dict[str, ResolvedDevice]:
        """Devices by id."""
        return {device.id: device for device in self.devices}

    @cached_property
    def posts(self) -> list[StudRef]:
        """Minus posts of the bank at the low end of each string."""
        return [StudRef.of(row[-1], "minus") for row in block_names(self.bank)]

    @cached_property
    def top_posts(self) -> list[StudRef]:
        """Plus posts of the bank at the high end of each string."""
        return [StudRef.of(row[0], "plus") for row in block_names(self.bank)]

    @cached_property
    def block_studs(self) -> set[StudRef]:
        """Every post of every block."""
        return {stud.id for stud in self.studs.values() if stud.place == "block"}

    def joined_by_cables(self, pole: str, *, opened: str = "") -> list[tuple[StudRef, StudRef]]:
        """Pairs of studs of one pole that a cable or a closed isolator joins.

        Args:
            pole: "minus" or "plus".
            opened: an isolator taken as open, "" for none.
        """
        pairs = [
            (cable.a, cable.b)
            for cable in self.wiring.cables
            if self.studs[cable.a].pole == self.studs[cable.b].pole == pole
        ]
        return pairs + [
            (StudRef.of(isolator.id, "a"), StudRef.of(isolator.id, "b"))
            for isolator in self.wiring.isolators
            if isolator.pole == pole and isolator.id != opened
        ]

    def is_link(self, cable: Cable) -> bool:
        """Whether a cable joins two blocks."""
        return cable.a in self.block_studs and cable.b in self.block_studs

    def is_thin(self, cable: Cable) -> bool:
        """Whether a cable is a lead of the monitor that carries no working current."""
        return cable.a.of_monitor or cable.b.of_monitor

    def is_ground(self, stud: str) -> bool:
        """Whether a stud is the chassis or a hull."""
        return stud in self.bars and self.bars[stud].is_ground

    @property
    def supply_lead(self) -> Cable | None:
        """The monitor's supply lead, or None."""
        leads = (cable for cable in self.wiring.cables if cable.a.of_monitor)
        return next((cable for cable in leads if cable.a.pole == "sense"), None)

    def is_on_bank(self, device: ResolvedDevice) -> bool:
        """Whether a device's current is the bank's, by its share; not so where there is none."""
        share = self.shares.get(device.id)
        return share is not None and share.expected == 1.0

    def is_shunt_link(self, cable: Cable) -> bool:
        """Whether a cable is the shunt's link to the bank."""
        return not self.owner_of(cable) and (cable.id == "shunt_link" or self.bank_stud in (cable.a, cable.b))

    def owner_of(self, cable: Cable) -> ResolvedDevice | None:
        """The device whose own cable it is, or None."""
        return self.by_id.get(cable.a.owner)

    def way(
        self, starts: Iterable[StudRef], goal: str, *, pole: str, without: str = "shunt"
    ) -> list[StudRef] | None:
        """Shortest way from any of `starts` to `goal` over cables and isolators of one pole: studs, or None.

        Args:
            starts: studs to begin from; those that are not drawn are passed over.
            goal: the stud to reach.
            pole: "minus" or "plus", of every stud on the way.
            without: edge that must not be used ("shunt"), or "" to allow it.
        """
        drawn = [stud for stud in starts if stud in self.studs]  # without a shunt its studs are not there
        came: dict[StudRef, StudRef | None] = dict.fromkeys(drawn)
        waiting = deque(drawn)
        while waiting:
            stud = waiting.popleft()
            if stud == goal:
                return _way_back(came, stud)
            for following in self._next(stud, pole, without):
                if following not in came:
                    came[following] = stud
                    waiting.append(following)
        return None

    def _next(self, stud: StudRef, pole: str, without: str) -> list[StudRef]:
        near = [other_end(cable, stud) for cable in self.by_stud[stud] if not self.is_thin(cable)]
        place = self.studs[stud].place
        if place == "isolator" or (place == "shunt" and without != "shunt"):
            near.append(stud.across)
        return [end for end in near if self.studs[end].pole == pole]

    @cached_property
    def bank_way(self) -> list[StudRef]:
        """The way of the shunt's link, lowest post to the stud it lands on; empty without one."""
        ways = [self.way(self.posts, stud, pole="minus") for stud in SHUNT_STUDS if stud in self.studs]
        found = [way for way in ways if way is not None]
        return min(found, key=len) if found else []

    @cached_property
    def bank_stud(self) -> StudRef:
        """The shunt's stud that leads to the bank.

        "shunt.bank", or "shunt.rig" where it sits turned round.
        """
        return self.bank_way[-1] if self.bank_way else SHUNT_STUDS[0]

    @property
    def rig_stud(self) -> StudRef:
        """The shunt's other stud."""
        return self.bank_stud.across

    @cached_property
    def bank_side(self) -> set[StudRef]:
        """Studs on the bank's side of the shunt: every minus post, and what the link passes over."""
        posts = {stud for stud in self.block_studs if self.studs[stud].pole == "minus"}
        return posts | set(self.bank_way) | ({self.bank_stud} if "shunt.bank" in self.studs else set())

    @cached_property
    def strays(self) -> list[Cable]:
        """Cables that leave the bank's side elsewhere than through the shunt.

        All but links between blocks and thin leads.
        """
        return [
            cable
            for cable in self.wiring.cables
            if len({cable.a, cable.b} & self.bank_side) == 1
            and not self.is_link(cable)
            and not self.is_thin(cable)
            and not self._is_current_free(cable)
        ]

    def _is_current_free(self, cable: Cable) -> bool:
        device = self.owner_of(cable)
        return device is not None and device.is_current_free

    @cached_property
    def stray_ids(self) -> set[str]:
        """Ids of the strays."""
        return {cable.id for cable in self.strays}

    def rig_landing(self) -> StudRef:
        """Where a negative belongs: the nearest bar on the rig side, else the shunt's rig side."""
        return self._landing

    @cached_property
    def _landing(self) -> StudRef:
        rig = self.rig_stud
        bars = [
            bar
            for bar in self.wiring.bars
            if bar.pole == "minus"
            and not bar.is_ground
            and bar.id not in self.bank_side
            and (self.way([rig], bar.id, pole="minus") or [])
            and not self._through_bank(bar.id, rig)
        ]
        bars.sort(key=lambda bar: (len(self.way([rig], bar.id, pole="minus") or []), bar.id))
        return StudRef.of(bars[0].id) if bars else rig

    def plus_landing(self) -> StudRef:
        """Where a positive belongs: a positive bar the bank feeds, else the highest post."""
        for bar in self.wiring.bars:
            if bar.pole == "plus" and self.way(self.top_posts, bar.id, pole="plus"):
                return StudRef.of(bar.id)
        return self.top_posts[0]

    def _through_bank(self, stud: str, rig: StudRef) -> bool:
        way = self.way([rig], stud, pole="minus") or []
        return bool(set(way) & self.block_studs)

    def negative_of(self, device_id: str) -> Cable | None:
        """The device's own negative cable, or None.

        Other devices' cables that land on its post are theirs.

        Args:
            device_id: of the device.
        """
        start = StudRef.of(device_id, "minus")
        return next((cable for cable in self.by_stud.get(start, []) if cable.a == start), None)

    def stray_of(self, device: ResolvedDevice) -> Cable | None:
        """The stray cable a device's negative reaches the bank by, or None."""
        start = StudRef.of(device.id, "minus")
        if start not in self.studs:
            return None
        for cable in self.by_stud[start]:
            landing = other_end(cable, start)
            if cable.id in self.stray_ids and landing in self.bank_side:
                return cable
        for cable in self.by_stud[start]:
            found = self._stray_from(other_end(cable, start))
            if found is not None:
                return found
        return None

    def _stray_from(self, landing: StudRef) -> Cable | None:
        """The first stray cable met from a stud on, over minus studs that are not the bank's.

        Looked for once a stud.
        """
        if landing not in self.beyond:
            self.beyond[landing] = self._first_stray(landing)
        return self.beyond[landing]

    def _passes_by(self, cable: Cable, stud: StudRef) -> bool:
        """Whether a cable leads from a stud to the bank beside the shunt."""
        return cable.id in self.stray_ids and other_end(cable, stud) in self.bank_side

    def _first_stray(self, landing: StudRef) -> Cable | None:
        came, waiting = {landing}, deque([landing])
        while waiting:
            stud = waiting.popleft()
            # Breadth first, from the landing outwards: the nearest stray is the one to move.
            if stud in self.bank_side or self.studs[stud].pole != "minus":
                continue
            here = (cable for cable in self.by_stud[stud] if self._passes_by(cable, stud))
            if (stray := next(here, None)) is not None:
                return stray
            following = [other_end(cable, stud) for cable in self.by_stud[stud]]
            if self.studs[stud].place == "isolator":
                following.append(stud.across)
            for end in following:
                if end not in came and self.studs[end].place != "device":
                    came.add(end)
                    waiting.append(end)
        return None

    @property
    def main_feed(self) -> Cable | None:
        """The positive that carries the rig: of those leaving the highest posts the one with most amps."""
        leaving = [
            cable
            for stud in self.top_posts
            for cable in self.by_stud[stud]
            if not self.is_link(cable) and not self.is_thin(cable)
        ]
        return max(leaving, key=self.worst_a, default=None)

    def carries_a(self, cable: Cable) -> float | None:
        """Ampacity of a cable, of all that lie side by side as it [A]; None while its size is not known."""
        if cable.mm2 is None:
            return None
        return cable.parallel * ampacity(cable.mm2, cable.size, self.surroundings(cable))

    def surroundings(self, cable: Cable) -> Surroundings:
        """What a cable stands and lies in; insulation nobody stated stands what the tables hold for."""
        stated_c = cable.insulation_c or self.wiring.insulation_c
        return Surroundings(
            stated_c or TABLE_C, cable.engine_space, cable.ambient_c, max(cable.bundle or 1, 1)
        )

    def may_carry(self, cable: Cable) -> Carried:
        """What a cable carries for good, and whether a size nobody told stands in.

        A device's own cable of unknown size is taken as its kind usually has.
        """
        known = self.carries_a(cable)
        if known is not None:
            return Carried(known, is_assumed=False)
        device = self.owner_of(cable)
        if device is None:
            return Carried(None, is_assumed=True)
        usual = ampacity(device.preset.mm2, "", self.surroundings(cable))
        return Carried(cable.parallel * usual, is_assumed=True)

    def worst_a(self, cable: Cable) -> float:
        """The larger of what a cable carries in either load case, and for a device's own cable with that
        device alone [A].
        """
        if cable.id not in self.kept:
            self.kept[cable.id] = self._worst_a(cable)
        return self.kept[cable.id]

    def _worst_a(self, cable: Cable) -> float:
        loads = [abs(case.flow.amps[cable.id]) for case in (self.together, *self.charging)]
        row = self._row[cable.id]
        loads += [abs(float(run.alone[row]) + float(run.beside[row])) for run in self.runs]
        device = self.owner_of(cable)
        if device is not None and not device.preset.is_battery:
            loads.append(device.running_a if device.takes else 0.0)
            loads.append(device.gives_a if device.gives else 0.0)
        return max(loads)

    def cable_name(self, cable: Cable) -> str:
        """What to call a cable in a sentence."""
        device = self.owner_of(cable)
        if device is not None:
            return f"{possessive(device.name)} {POLE_WORDS[cable.a.pole]}"
        if self.is_shunt_link(cable):
            return "shunt's link to the battery"
        if self.is_link(cable):
            return f"link from {cable.a.owner} to {cable.b.owner}"
        if cable.a.of_monitor:
            return LEAD_WORDS[cable.a.pole]
        return f"cable from the {self.studs[cable.a].name} to the {self.studs[cable.b].name}"


def _way_back(came: dict[StudRef, StudRef | None], goal: StudRef) -> list[StudRef]:
    back = [goal]
    while (before := came[back[-1]]) is not None:
        back.append(before)
    return back[::-1]


def possessive(name: str) -> str:
    """A name in the possessive: "Heater's", "Cabin lights'"."""
    return f"{name}'" if name.endswith("s") else f"{name}'s"


def analyse(
    bank: Bank,
    chemistry: Chemistry,
    devices: tuple[Device, ...],
    wiring: Wiring,
    *,
    monitor: Monitor | None = None,
    presets: dict[str, Preset],
    short_ka: float | None = None,
    stated_ohm: float | None = None,
    catalogue: Catalogue = STARTING,
    post_thread: str = "",
) -> WiringAnalysis:
    """A fitted drawing, ready to be looked at.

    Args:
        bank: as described.
        chemistry: of the bank.
        devices: of the rig.
        wiring: as drawn.
        monitor: as described, or None.
        presets: kinds of devices by key.
        short_ka: short-circuit current of the bank where it is stated [kA].
        stated_ohm: resistance of a block where it is stated [Ω].
        catalogue: the Shelf proposals are taken from.
        post_thread: of the bank's posts as the Shelf has it, "" where nobody told.
    """
    nominal = bank.nominal_v(chemistry)
    return WiringAnalysis(
        bank,
        chemistry,
        all_drawn(
            devices,
            presets,
            nominal,
            volts=volts_by_device(bank, nominal, devices, wiring, presets),
        ),
        wiring,
        monitor or Monitor(),
        presets,
        short_ka,
        stated_ohm,
        catalogue,
        post_thread,
    )


def analyse_with(analysis: WiringAnalysis, wiring: Wiring) -> WiringAnalysis:
    """Another fitted drawing of the same rig, ready to be looked at.

    Args:
        analysis: the drawing, solved and judged as one.
        wiring: as drawn.
    """
    return WiringAnalysis(
        analysis.bank,
        analysis.chemistry,
        _devices_for(analysis, wiring),
        wiring,
        analysis.monitor,
        analysis.presets,
        analysis.short_ka,
        analysis.stated_ohm,
        analysis.catalogue,
        analysis.post_thread,
    )


def _devices_for(analysis: WiringAnalysis, wiring: Wiring) -> list[ResolvedDevice]:
    """The devices in another drawing: which battery each hangs on may have changed."""
    if not any(device.preset.is_battery for device in analysis.devices):
        return analysis.devices
    devices = [device.device for device in analysis.devices]
    volts = volts_by_device(analysis.bank, analysis.nominal_v, devices, wiring, analysis.presets)
    return all_drawn(devices, analysis.presets, analysis.nominal_v, volts=volts)
