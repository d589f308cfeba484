"""The path board: the bank as it sits, the shunt, rails, a row a device, and every cable routed at right
angles by rule.

Lanes from left to right: bank | (isolators before the shunt) | shunt | (isolators after it) | negative rails
| devices | positive isolators | positive rails. Between two lanes lies a gap in which cables run upright,
each on a track of its own. A cable that must pass a closed lane goes round it: negatives below everything,
positives above.
"""

from __future__ import annotations

import math

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.cases import LoadCase
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.wiring import Cable
from volnik.drawings.path_layout import Layout
from volnik.drawings.path_parts import (
    BARRED,
    DEVICE_W,
    LEAST_FLOW,
    LETTER,
    MARGIN,
    NAME_LETTER,
    NAMES,
    SPREAD,
    TRACK,
    Arrow,
    DeviceRow,
    End,
    PathBoard,
    Wire,
)
from volnik.drawings.path_router import Place
from volnik.drawings.path_words import device_words, share_words


def draw_board(
    analysis: WiringAnalysis, *, pick: str | None = None, loop: LoadCase | None = None, positives: bool = True
) -> PathBoard:
    """Lay the drawing out (module docstring).

    Args:
        pick: the device whose loop is drawn heavy.
        loop: that device alone, solved.
        positives: whether the positive side is drawn.
    """
    board = PathBoard()
    layout = Layout(analysis, positives)
    layout.lay(board)
    _wires(analysis, board, layout, pick, loop, positives=positives)
    _rows(analysis, board, layout, pick)
    below = 26.0 if positives and any(bar.pole == "plus" for bar in analysis.wiring.bars) else 0.0
    board.height = layout.bottom + max(below, TRACK * (layout.router.below + 1)) + MARGIN
    lifted = layout.top - NAMES - TRACK * layout.router.above
    board.top = min(0.0, lifted - MARGIN)
    board.height -= board.top
    board.message = _told(analysis)
    return board


def _told(analysis: WiringAnalysis) -> str:
    counted = sum(share.word == "counted" for share in analysis.shares.values())
    return (
        f"Path board: {analysis.bank.blocks} batter{'ies' if analysis.bank.blocks > 1 else 'y'}, "
        f"{len(analysis.shares)} devices, {counted} of them counted; {len(analysis.strays)} cables on the "
        "battery's side beside the link."
    )


def wire_width(mm2: float | None) -> float:
    """How thick a cable is drawn: by the diameter of its copper; a size not known as a thin one."""
    return 2.4 if mm2 is None else round(min(11.0, 1.2 + 0.82 * math.sqrt(mm2)), 2)


def _wires(
    analysis: WiringAnalysis,
    board: PathBoard,
    layout: Layout,
    pick: str | None,
    loop: LoadCase | None,
    *,
    positives: bool,
) -> None:
    """Draw the cables with their ends, and arrows along those that carry the picked device's amps."""
    strays = {cable.id for cable in analysis.strays}
    picked = analysis.device(pick) if pick else None
    whole = 0.0 if loop is None or picked is None else loop.amps.get(picked.id, 0.0)
    for cable in _drawn_order(analysis, layout):
        pole = _pole_of(analysis, cable)
        if not positives and pole == "plus" and not analysis.is_link(cable):
            continue
        points = _points(cable, layout, pole)
        amps = 0.0 if loop is None else loop.flow.amps.get(cable.id, 0.0)
        heavy = whole > 0.0 and abs(amps) > LEAST_FLOW * whole
        width = wire_width(cable.mm2) if pole != "thin" else 1.4
        state = _state(analysis, cable, strays)
        board.wires.append(Wire(cable.id, _path(points), width, pole, state, heavy, _title(analysis, cable)))
        board.ends += _ends(analysis, cable, points, thin=pole == "thin")
        if heavy:
            board.arrows += _arrows(points, amps, min(layout.block_x.values()))


def _drawn_order(analysis: WiringAnalysis, layout: Layout) -> list[Cable]:
    """The cables between studs that are shown: short ones first, links last, so that they lie on top."""
    shown = [cable for cable in analysis.wiring.cables if cable.a in layout.stud and cable.b in layout.stud]
    return sorted(
        shown,
        key=lambda cable: (analysis.is_link(cable), abs(layout.stud[cable.b].y - layout.stud[cable.a].y)),
    )


def _pole_of(analysis: WiringAnalysis, cable: Cable) -> str:
    """How a cable is drawn: minus, thin, link or plus."""
    poles = {analysis.studs[cable.a].pole, analysis.studs[cable.b].pole}
    if poles == {"minus"}:
        return "minus"
    if analysis.is_thin(cable):
        return "thin"
    return "link" if len(poles) == 2 else "plus"


def _title(analysis: WiringAnalysis, cable: Cable) -> str:
    """What is said of a cable that is pointed at."""
    name = analysis.cable_name(cable)
    size = cable.size or "size not known"
    length = f"{cable.length_m:g} m" if cable.length_m else "length not known"
    ends = f"{analysis.studs[cable.a].name} to {analysis.studs[cable.b].name}"
    return f"{name[0].upper()}{name[1:]}: {ends}, {size}, {length}"


def _ends(
    analysis: WiringAnalysis, cable: Cable, points: list[tuple[float, float]], *, thin: bool
) -> list[End]:
    """The ends of a cable that can be moved; a device's own end cannot."""
    name = analysis.cable_name(cable)
    found = []
    for end, (x, y) in (("a", points[0]), ("b", points[-1])):
        stud = analysis.studs[getattr(cable, end)]
        if end == "a" and stud.place in ("device", "battery", "monitor"):
            continue
        kind = "thin" if thin else stud.pole
        title = f"{name[0].upper()}{name[1:]}, on the {stud.name}"
        found.append(End(cable.id, end, stud.id, kind, x, y, title))
    return found


def _points(cable: Cable, layout: Layout, pole: str) -> list[tuple[float, float]]:
    a, b = _spread(cable, "a", layout), _spread(cable, "b", layout)
    if cable.id in layout.slots:
        level = layout.slots[cable.id]
        a = Place(a.x, level, a.gap, a.rail, a.corridor) if a.rail else a
        b = Place(b.x, level, b.gap, b.rail, b.corridor) if b.rail else b
        if a.rail and b.rail:
            return [(a.x, level), (b.x, level)]
        rail, other = (a, b) if a.rail else (b, a)
        leave = layout.router.leave(other)
        if pole == "minus":
            x = layout.router.track(1)
            way = (
                [*leave, (x, leave[-1][1]), (x, level), (rail.x, level)]
                if layout.router.is_open(1, 5)
                else [
                    *leave,
                    (x, leave[-1][1]),
                    (x, passage := layout.router.passage("minus")),
                    (y := layout.router.track(3), passage),
                    (y, level),
                    (rail.x, level),
                ]
            )
        else:
            x, passage = layout.router.track(0), layout.router.passage("plus")
            way = [*leave, (x, leave[-1][1]), (x, passage), (rail.x, passage)]
        return way if b.rail else way[::-1]
    return _tidy(layout.router.way(a, b, "minus" if pole == "minus" else "plus"))


def _spread(cable: Cable, end: str, layout: Layout) -> Place:
    """Where one end lies on its stud: beside those already there, so that each can be taken hold of alone."""
    stud: StudRef = getattr(cable, end)
    place = layout.stud[stud]
    of_device = end == "a" and not stud.of_shunt and place.corridor is None
    if place.rail or stud.of_monitor or of_device:
        return place
    index = layout.taken[stud]
    layout.taken[stud] += 1
    shift = (index + 1) // 2 * SPREAD * (1 if index % 2 else -1)
    if place.corridor is None:
        return Place(place.x, place.y + max(-20.0, min(20.0, shift)), place.gap)
    return Place(place.x + max(-22.0, min(22.0, shift)), place.y, place.gap, corridor=place.corridor)


def _tidy(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    kept: list[tuple[float, float]] = []
    for point in points:
        if kept and kept[-1] == point:
            continue
        kept.append(point)
    return kept if len(kept) > 1 else [*kept, *kept]


def _path(points: list[tuple[float, float]]) -> str:
    return "M" + "L".join(f"{x:g} {y:g}" for x, y in points)


def _state(analysis: WiringAnalysis, cable: Cable, strays: set[str]) -> str:
    if analysis.wiring.shunt is None or analysis.studs[cable.a].pole != "minus":
        return "plain"
    if cable.id in strays:
        return "uncounted"
    share = analysis.shares.get(cable.a.owner) if cable.a.pole == "minus" else None
    if share is None:
        return "plain"
    return {"counted": "counted", "uncounted": "uncounted", "partly": "partly", "reversed": "uncounted"}.get(
        share.word, "plain"
    )


def _arrows(points: list[tuple[float, float]], amps: float, bank_x: float) -> list[Arrow]:
    """Arrowheads by both joints of a cable, the way the current goes, and its amps on the longest stretch
    between them.
    """
    way = points if amps > 0 else points[::-1]
    legs = [(pair, other) for pair, other in zip(way, way[1:], strict=False) if math.dist(pair, other) > 1.0]
    if not legs:
        return []
    # words lie best along a level stretch
    longest = max(
        legs, key=lambda leg: (abs(leg[0][1] - leg[1][1]) < 1.0 and math.dist(*leg) >= 34.0, math.dist(*leg))
    )
    whole = sum(math.dist(*leg) for leg in legs)
    found = []
    for leg, from_end in ((legs[0], False), (legs[-1], True)):
        length = math.dist(*leg)
        if length < 14.0 or (from_end and whole < 60.0):
            continue
        share = (
            0.5 if whole < 60.0 else max(0.5, 1.0 - 22.0 / length) if from_end else min(0.5, 22.0 / length)
        )
        found.append(_arrow(leg, share, "", bank_x))
    if math.dist(*longest) >= 34.0:
        found.append(_arrow(longest, 0.5 if whole > 60.0 else 0.45, f"{abs(amps):.3g} A", bank_x))
    return found


def _arrow(
    leg: tuple[tuple[float, float], tuple[float, float]], share: float, text: str, bank_x: float
) -> Arrow:
    (x0, y0), (x1, y1) = leg
    x, y = x0 + share * (x1 - x0), y0 + share * (y1 - y0)
    upright = abs(x1 - x0) < 1.0
    turn = math.degrees(math.atan2(y1 - y0, x1 - x0))
    before = upright and x < bank_x  # left of the blocks the words stand left of the cable
    text_x = x - 8 if before else x + 9 if upright else x
    anchor = "end" if before else "start" if upright else "middle"
    return Arrow(
        round(x, 1),
        round(y, 1),
        round(turn, 1),
        text,
        round(text_x, 1),
        round(y + (4 if upright else -9), 1),
        anchor,
    )


def _rows(analysis: WiringAnalysis, board: PathBoard, layout: Layout, pick: str | None) -> None:
    for device_id, y in layout.row_y.items():
        device = analysis.device(device_id)
        if device is None:
            continue
        share = analysis.shares.get(device_id)
        word, message = share_words(share, analysis.wiring.shunt is not None)
        bar = 0.0 if share is None or math.isnan(share.value) else max(0.0, min(1.0, abs(share.value)))
        height = min(32.0, layout.step - 6)
        told_x = layout.device_x + DEVICE_W - (52.0 if word in BARRED else 14.0)
        amps_x = told_x - (len(message) * LETTER + 12.0 if message else 0.0)
        detail = device_words(device)
        room = int((amps_x - len(detail) * LETTER - 18.0 - layout.device_x) / NAME_LETTER)
        name = (
            device.device.name
            if len(device.device.name) <= room
            else device.device.name[: max(3, room - 1)] + "…"
        )
        board.rows.append(
            DeviceRow(
                device_id,
                layout.device_x,
                y - height / 2,
                DEVICE_W,
                height,
                name,
                detail,
                word,
                message,
                bar,
                device_id == pick,
                device.preset.is_battery,
                13.0 if layout.step > 25 else 11.5,
                round(told_x, 1),
                round(amps_x, 1),
                device.device.name,
            )
        )
