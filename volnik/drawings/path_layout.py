"""Where everything stands on the path board."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from typing import TypeVar

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.edits import block_places
from volnik.core.rig.wiring import Bar, Isolator
from volnik.core.shelf.shunts import Shunt
from volnik.drawings.path_parts import (
    BLOCK_H,
    BLOCK_STEP,
    BLOCK_W,
    DEVICE_W,
    ISO_H,
    ISO_W,
    NAMES,
    RAIL_STEP,
    RAIL_W,
    SHUNT_H,
    SHUNT_W,
    TRACK,
    BlockBox,
    Box,
    PathBoard,
    RailBar,
    Target,
)
from volnik.drawings.path_router import Place, Router
from volnik.drawings.scale import Word

DROPPED_ON = ("block", "shunt", "isolator", "device", "battery")  # places of studs that take a cable


Part = TypeVar("Part", Bar, Isolator)


def _of_pole(parts: Iterable[Part], pole: str) -> list[Part]:
    return [part for part in parts if part.pole == pole]


class Layout:
    """Where everything stands."""

    def __init__(self, analysis: WiringAnalysis, positives: bool) -> None:
        self.analysis, self.positives = analysis, positives
        self._sort()
        self._crowd()
        self._device_lanes(self._shunt_lanes(self._bank_lane()))
        self._levels()
        self.router = Router(self.gaps, self._open_lanes(), self.top - NAMES, self.bottom)
        self.stud: dict[str, Place] = {}
        self.taken: dict[str, int] = defaultdict(int)

    def _sort(self) -> None:
        """Bars and isolators by the lane they stand in; what is grounded last."""
        wiring, bank_side = self.analysis.wiring, self.analysis.bank_side
        self.minus_bars = sorted(_of_pole(wiring.bars, "minus"), key=lambda bar: bar.is_ground)
        self.plus_bars = _of_pole(wiring.bars, "plus") if self.positives else []
        minus = _of_pole(wiring.isolators, "minus")
        self.isos_before = [isolator for isolator in minus if f"{isolator.id}.a" in bank_side]
        self.isos_after = [isolator for isolator in minus if isolator not in self.isos_before]
        self.isos_plus = _of_pole(wiring.isolators, "plus") if self.positives else []

    def _crowd(self) -> None:
        """How many cables each gap must hold, and how many pass above everything."""
        self.at_bank = self.at_shunt = self.tied = self.direct = self.round_top = 0
        studs = self.analysis.studs
        for cable in self.analysis.wiring.cables:
            a, b = studs[cable.a], studs[cable.b]
            places = {a.place, b.place}
            if a.pole == b.pole == "minus":
                self.at_bank += "block" in places
                self.at_shunt += "block" in places or "shunt" in places
            elif (
                (self.positives or self.analysis.is_thin(cable))
                and places & {"block", "monitor"}
                and not self.analysis.is_link(cable)
            ):
                self.round_top += 1
            self.tied += places <= {"device", "battery"}
            self.direct += self.positives and a.pole == "plus" and b.place in ("device", "block")

    def _bank_lane(self) -> float:
        """The blocks as they sit; returns where the next lane begins."""
        self.top = 44.0 + TRACK * (self.round_top + 1)
        self.places = block_places(self.analysis.bank, self.analysis.wiring)
        columns, rows = (
            1 + max(c for c, _ in self.places.values()),
            1 + max(r for _, r in self.places.values()),
        )
        reference_log = (
            46.0 if self.analysis.bank.parallel > 1 else 0.0
        )  # for the amps of the links between strings
        left_gap = 20.0 + max(reference_log, TRACK * min(8, self.round_top))
        self.block_x = {c: left_gap + c * (BLOCK_W + 14.0) for c in range(columns)}
        self.block_y = {r: self.top + 42.0 + r * BLOCK_STEP for r in range(rows)}
        bank_end = left_gap + columns * (BLOCK_W + 14.0) - 14.0
        x = bank_end + 26.0 + TRACK * min(10, self.at_bank)
        self.gaps: dict[int, tuple[float, float]] = {0: (2.0, left_gap - 4), 1: (bank_end + 4, x - 4)}
        return x

    def _shunt_lanes(self, x: float) -> float:
        """Isolators before the shunt, the shunt, isolators after it, negative rails.

        Returns where the gap to the devices begins.
        """
        self.before_x = x
        x += (ISO_W + 22.0) if self.isos_before else 0.0
        self.gaps[2] = (x - 18, x - 4) if self.isos_before else (x - 4, x)
        self.shunt_x = x
        x += SHUNT_W if self.analysis.wiring.shunt is not None else 0.0
        wide = 22.0 + TRACK * min(10, self.at_shunt)
        self.gaps[3] = (x + 4, x + wide - 4)
        x += wide
        self.after_x = x
        x += (ISO_W + 22.0) if self.isos_after else 0.0
        self.gaps[4] = (x - 18, x - 4) if self.isos_after else (x - 4, x)
        self.rail_x = {bar.id: x + RAIL_STEP * (at + 0.5) for at, bar in enumerate(self.minus_bars)}
        return x + RAIL_STEP * len(self.minus_bars)

    def _device_lanes(self, x: float) -> None:
        """Devices, positive isolators, positive rails."""
        self.gaps[5] = (x + 3, x + 24.0 + TRACK * self.tied)
        self.device_x = self.gaps[5][1] + 4
        x = self.device_x + DEVICE_W
        self.gaps[6] = (x + 4, x + 22.0 + TRACK * min(14, self.direct + self.tied))
        x = self.plus_iso_x = self.gaps[6][1] + 2
        x += (ISO_W + 20.0) if self.isos_plus else 0.0
        self.gaps[7] = (x - 16, x - 2) if self.isos_plus else (x - 2, x)
        self.rail_x |= {bar.id: x + RAIL_STEP * (at + 0.5) for at, bar in enumerate(self.plus_bars)}
        x += RAIL_STEP * len(self.plus_bars)
        self.gaps[8] = (x, x + 10.0)
        self.width = x + 12.0

    def _levels(self) -> None:
        """How high everything stands: a row a device, below them a level for each cable between rails or from
        a rail to a post.
        """
        wiring, studs = self.analysis.wiring, self.analysis.studs
        count = max(1, len(wiring.rows))
        self.step = 40.0 if count <= 11 else 30.0 if count <= 18 else 23.0
        rows_top = self.top + 10.0
        under = rows_top + self.step * count
        self.row_y = {device: rows_top + self.step * (at + 0.5) for at, device in enumerate(wiring.rows)}
        rails = {"bar", "ground"}
        loose = [
            cable
            for cable in wiring.cables
            if (places := {studs[cable.a].place, studs[cable.b].place}) <= rails | {"block"}
            and places & rails
        ]
        self.slots = {cable.id: under + 12.0 + 13.0 * at for at, cable in enumerate(loose)}
        self.bottom = max(
            under + 14.0 + 13.0 * len(loose), max(self.block_y.values()) + BLOCK_H + 16.0, self.top + 250.0
        )
        self.middle_y = (self.top + self.bottom) / 2
        self.shunt_y = min(self.middle_y, self.top + 150.0) - SHUNT_H / 2

    def _open_lanes(self) -> set[int]:
        """Lanes a cable may cross: rails always, isolators and shunt where there are none."""
        closed = {2: self.isos_before, 3: self.analysis.wiring.shunt, 4: self.isos_after, 7: self.isos_plus}
        return {5, 8} | {lane for lane, there in closed.items() if not there}

    def lay(self, board: PathBoard) -> None:
        """Put blocks, shunt, isolators, monitor and rails down, and note where each stud is."""
        board.width = self.width
        self._lay_blocks(board)
        if self.analysis.wiring.shunt is not None:
            self._lay_shunt(board, self.analysis.wiring.shunt)
            self._lay_monitor(board)
        for column_x, isos, left, right in (
            (self.before_x, self.isos_before, 1, 2),
            (self.after_x, self.isos_after, 3, 4),
            (self.plus_iso_x, self.isos_plus, 7, 6),
        ):
            for at, iso in enumerate(isos):
                self._lay_isolator(board, iso, (column_x, at), (left, right))
        rails = list(self.rail_x)
        for bar in self.analysis.wiring.bars:
            if bar.id in self.rail_x:
                self._lay_rail(board, bar, rails.index(bar.id))
        self._lay_devices()
        self._lay_targets(board)

    def _lay_blocks(self, board: PathBoard) -> None:
        """Blocks with their posts."""
        bank = self.analysis.bank
        shares = _string_words(self.analysis)
        block_ah = bank.block_reading(self.analysis.chemistry).capacity_ah
        for name, (column, row) in self.places.items():
            x, y = self.block_x[column], self.block_y[row]
            ah = bank.string_ah[ord(name[0]) - 65] if bank.string_ah else block_ah
            words = (
                Word(x + BLOCK_W / 2, y + 27, name, "middle", "name"),
                Word(x + BLOCK_W / 2, y + 44, f"{ah:.4g} Ah", "middle", "small"),
            )
            board.blocks.append(BlockBox(name, x, y, words, shares.get(name, "")))
            for pole, at in (("plus", x + 15), ("minus", x + BLOCK_W - 15)):
                gap = 1 if pole == "minus" else 0
                self.stud[f"{name}.{pole}"] = Place(at, y + 3, gap, corridor=y)
                board.posts.append((at, y + 3, pole, f"{name}.{pole}"))

    def _lay_shunt(self, board: PathBoard, shunt: Shunt) -> None:
        """The shunt with its two studs and what stands beside them."""
        x, y = self.shunt_x, self.shunt_y
        marks = (
            Word(x + SHUNT_W / 2, y - 20, f"{shunt.amps:g} A / {shunt.mv:g} mV", "middle", "small"),
            Word(x + SHUNT_W / 2, y - 6, "shunt", "middle", "name"),
            Word(x + 4, y + SHUNT_H + 13, "battery side", "start", "small"),
            Word(x + SHUNT_W - 4, y + SHUNT_H + 27, "rig side", "end", "small"),
        )
        board.boxes.append(Box("shunt", "shunt", x, y, SHUNT_W, SHUNT_H, marks))
        self.stud["shunt.bank"] = Place(x + 14, y + SHUNT_H / 2, 2)
        self.stud["shunt.rig"] = Place(x + SHUNT_W - 14, y + SHUNT_H / 2, 3)

    def _lay_monitor(self, board: PathBoard) -> None:
        """The monitor below the shunt."""
        x, y = self.shunt_x, self.shunt_y + SHUNT_H + 46
        word = Word(x + SHUNT_W / 2, y + 19, "monitor", "middle", "small")
        board.boxes.append(Box("monitor", "monitor", x + 18, y, SHUNT_W - 36, 30, (word,)))
        self.stud["monitor.sense"] = Place(x + 18, y + 9, 2)
        self.stud["monitor.aux"] = Place(x + 18, y + 21, 2)

    def _lay_isolator(
        self, board: PathBoard, iso: Isolator, spot: tuple[float, int], gaps: tuple[int, int]
    ) -> None:
        """An isolator at a place of its column (x, count from the top), between two gaps."""
        x, at = spot
        y = self.shunt_y + SHUNT_H / 2 - ISO_H / 2 + at * 62
        word = Word(x + ISO_W / 2, y - 5, iso.name[:14], "middle", "small")
        board.boxes.append(Box(iso.id, "isolator", x, y, ISO_W, ISO_H, (word,)))
        minus = iso.pole == "minus"
        near, far = ("a", "b") if minus else ("b", "a")
        left, right = gaps if minus else (6, 7)
        self.stud[f"{iso.id}.{near}"] = Place(x + 9, y + ISO_H / 2, left)
        self.stud[f"{iso.id}.{far}"] = Place(x + ISO_W - 9, y + ISO_H / 2, right)

    def _lay_rail(self, board: PathBoard, bar: Bar, order: int) -> None:
        """A busbar, post or ground as a rail from top to bottom; names stand higher and lower by turns."""
        x = self.rail_x[bar.id]
        minus = bar.pole == "minus"
        name_y = self.top - 3 - 13 * (order % 2) if minus else self.bottom + 10 + 12 * (order % 2)
        top = self.top + 4 if minus else 8.0
        board.rails.append(
            RailBar(bar.id, bar.kind, bar.pole, x - RAIL_W / 2, top, self.bottom - top - 4, bar.name, name_y)
        )
        self.stud[bar.id] = Place(x, self.middle_y, 5 if minus else 8, rail=True)
        board.targets.append(Target(bar.id, bar.pole, bar.name, x - 13, top, 26, self.bottom - top))

    def _lay_devices(self) -> None:
        """The studs of the devices, each on its row."""
        right_x = self.device_x + DEVICE_W
        for device, y in self.row_y.items():
            lift = 5 if f"{device}.far" in self.analysis.studs else 0
            self.stud[f"{device}.minus"] = Place(self.device_x, y, 5)
            self.stud[f"{device}.plus"] = Place(right_x, y - lift, 6)
            self.stud[f"{device}.far"] = Place(right_x, y + 7, 6)

    def _lay_targets(self, board: PathBoard) -> None:
        """Where a cable may be dropped."""
        for stud_id, place in self.stud.items():
            stud = self.analysis.studs.get(stud_id)
            if stud is not None and not place.rail and stud.place in DROPPED_ON:
                corner = (place.x - 13, place.y - 13)
                board.targets.append(Target(stud_id, stud.pole, stud.name, *corner, 26, 26))


def _string_words(analysis: WiringAnalysis) -> dict[str, str]:
    from volnik.core.path.cases import string_shares

    shares = string_shares(analysis.bank, analysis.together.flow)
    return {f"{chr(65 + p)}1": f"{100 * share:.0f} %" for p, share in enumerate(shares)}
