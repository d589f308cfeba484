"""What is counted: bypasses, partial ones, the shunt turned round, what stands on the battery post."""

from __future__ import annotations

import math
from dataclasses import replace

from volnik.core.findings import LEVELS, Finding, Level
from volnik.core.path.analysis import SHUNT_STUDS, WiringAnalysis
from volnik.core.path.shares import Share
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import Stud, lower
from volnik.core.rig.wiring import Bar, Cable, other_end

APART = 0.02  # share beyond which a device on another battery troubles the count; source: estimate


def check(analysis: WiringAnalysis) -> list[Finding]:
    """Findings P01 to P09, P39, P40, P44.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    if analysis.wiring.shunt is None:
        return [*_no_shunt(analysis), *_floating(analysis)]
    return [
        *_turned(analysis),
        *_unlinked(analysis),
        *_beside_the_shunt(analysis),
        *_apart(analysis),
        *_link_post(analysis),
        *_middle_taps(analysis),
        *_isolated(analysis),
        *_floating(analysis),
    ]


def _unlinked(analysis: WiringAnalysis) -> list[Finding]:
    """A shunt that nothing joins to the bank."""
    on_blocks = any(
        {cable.a, cable.b} & analysis.block_studs
        for end in SHUNT_STUDS
        for cable in analysis.by_stud[end]
        if not analysis.is_thin(cable)
    )
    if analysis.bank_way or on_blocks:
        return []
    bank_side = SHUNT_STUDS[0]
    op: dict[str, object] = {"op": "add_cable", "id": "shunt_link", "a": analysis.posts[-1], "b": bank_side}
    return [
        Finding(
            "path.P46",
            "stop",
            "The shunt is not joined to the battery's negative: no current can cross it.",
            "The battery side carries one cable to the most negative post; without it the rig is "
            "dead or uncounted.",
            "Lead one cable from the battery side of the shunt to the most negative post.",
            "path.shunt",
            {} if analysis.by_stud[bank_side] else _ops({**op, "length_m": 0.3}),
        )
    ]


def _ops(*ops: dict[str, object]) -> dict[str, object]:
    return {"ops": list(ops)}


def _no_shunt(analysis: WiringAnalysis) -> list[Finding]:
    on_post = len(analysis.strays)
    return [
        Finding(
            "path.P40",
            "stop",
            f"No shunt is drawn, and {on_post} cable{'' if on_post == 1 else 's'} "
            f"{'is' if on_post == 1 else 'are'} on the battery's minus posts.",
            "Without a shunt nothing is counted; whatever stays on the post beside it would not be "
            "counted either.",
            "Fit a shunt: one link from the most negative post, everything else to its rig side.",
            "path.shunt",
            {"fit_shunt": True},
        )
    ]


def _turned(analysis: WiringAnalysis) -> list[Finding]:
    if analysis.bank_stud != SHUNT_STUDS[1]:
        return []
    return [
        Finding(
            "path.P03",
            "stop",
            "The shunt sits turned round: its rig side leads to the battery, so charge shows as discharge.",
            "The count climbs while the battery empties, and never resets.",
            "Put the link from the post on the battery side and everything else on the rig side.",
            "path.shunt",
            _ops({"op": "turn_shunt"}),
        )
    ]


def _mend(analysis: WiringAnalysis, cable: Cable | None) -> dict[str, object]:
    if cable is None:
        return {}
    end = "a" if cable.a in analysis.bank_side else "b"
    landing = analysis.rig_landing()
    if landing in (cable.a, cable.b):
        # its other end is there already: a second way past the shunt, and nothing more
        return _ops({"op": "remove_cable", "cable": cable.id})
    return _ops({"op": "move_end", "cable": cable.id, "end": end, "to": landing})


def _what(device: ResolvedDevice) -> str:
    if device.gives and device.takes:
        return "What comes in and what goes out are both missed: the percentage follows neither."
    if device.gives:
        return (
            "The battery reads full by volts while the count stays low; it resets only when loads are off, "
            "and then too early."
        )
    return "Volts fall while the count still says full, and hours are promised that are not there."


def _beside_the_shunt(analysis: WiringAnalysis) -> list[Finding]:
    """What stands on the bank's side, and the devices that pass the shunt by it.

    A device that does so by a cable of nobody's own is a consequence of that cable, not a cause beside it.
    """
    strays = {finding.at: finding for finding in _strays(analysis)}
    alone = []
    follows: dict[str, list[Finding]] = {}
    for finding, stray in _bypasses(analysis):
        at = "" if stray is None else f"path.{stray.id}"
        if at in strays:
            follows.setdefault(at, []).append(finding)
        else:
            alone.append(finding)
    told = [_with_consequences(finding, follows.get(at, [])) for at, finding in strays.items()]
    return [*alone, *told]


def _with_consequences(finding: Finding, follows: list[Finding]) -> Finding:
    """A finding as grave as the gravest of what follows from it, which is listed with it."""
    if not follows:
        return finding
    level = min((finding.level, *(one.level for one in follows)), key=LEVELS.index)
    about = (*finding.about, *(one.at.removeprefix("path.") for one in follows))
    return replace(finding, level=level, about=about, consequences=tuple(one.message for one in follows))


def _bypasses(analysis: WiringAnalysis) -> list[tuple[Finding, Cable | None]]:
    """Devices of the bank of which the shunt sees nothing, or only a part; and the cable they pass it by."""
    near = [*analysis.strays, *(cable for post in analysis.posts for cable in analysis.by_stud[post])]
    string_astray = any(_link_astray(analysis, cable) for cable in near)  # told once, as P44
    found: list[tuple[Finding, Cable | None]] = []
    for device in analysis.devices:
        share = _share_on_bank(analysis, device)
        if share is None:
            continue
        stray = analysis.stray_of(device)
        if share.word == "uncounted" and not device.is_current_free:
            found.append((_uncounted(analysis, device), stray))
        elif share.word == "partly" and not string_astray:
            stray = stray or next(iter(analysis.strays), None)
            found.append((_partly_counted(analysis, device, share), stray))
    return found


def _share_on_bank(analysis: WiringAnalysis, device: ResolvedDevice) -> Share | None:
    """The share of a device of the bank that draws or gives anything, or None."""
    share = analysis.shares.get(device.id)
    if share is None or share.expected == 0.0 or not (device.running_a or device.gives_a):
        return None
    return share


def _uncounted(analysis: WiringAnalysis, device: ResolvedDevice) -> Finding:
    stray = analysis.stray_of(device)
    at = _reaches(analysis, device, stray)
    return Finding(
        "path.P01",
        "stop",
        f"{device.name}: 0 % of its {_amps(device)} is counted; its negative {at}.",
        _what(device),
        "Move it to the rig side; that stud is the battery negative now, whatever the "
        "device's own booklet says.",
        f"path.{device.id}",
        _mend(analysis, stray),
    )


def _partly_counted(analysis: WiringAnalysis, device: ResolvedDevice, share: Share) -> Finding:
    low, high = 100.0 * share.low, 100.0 * share.high
    doubt = f" ({low:.0f} to {high:.0f} % while resistances are only assumed)" if high - low >= 1.0 else ""
    return Finding(
        "path.P02",
        "stop" if share.value < 0.9 else "fix",
        f"{device.name}: only {100.0 * share.value:.0f} %{doubt} of its {_amps(device)} is counted.",
        "The rest returns beside the shunt, by the chassis or a second cable, and the "
        "share changes with every joint.",
        "Leave one way only from the battery side to everything else: the shunt.",
        f"path.{device.id}",
        _mend(analysis, analysis.stray_of(device) or next(iter(analysis.strays), None)),
    )


def _reaches(analysis: WiringAnalysis, device: ResolvedDevice, stray: Cable | None) -> str:
    if stray is None:
        return "reaches the battery without crossing the shunt"
    if stray.a.owner == device.id:
        return f"is on the {analysis.studs[stray.b].name}"
    post, other = (stray.b, stray.a) if stray.b in analysis.bank_side else (stray.a, stray.b)
    return f"reaches the {analysis.studs[post].name} by the {analysis.studs[other].name}"


def _amps(device: ResolvedDevice) -> str:
    return f"{device.gives_a if device.gives and not device.takes else device.running_a:.3g} A"


def _link_astray(analysis: WiringAnalysis, cable: Cable) -> bool:
    """Whether a cable joins one string's negative to the rig side while another string hangs on the shunt's
    link.
    """
    posts = set(analysis.posts)
    if len(posts) < 2 or not analysis.bank_way:
        return False
    lone = {cable.a, cable.b} & posts
    away = {cable.a, cable.b} - posts
    if not lone or len(away) != 1 or away & analysis.bank_side:
        return False
    owner = analysis.studs[next(iter(away))].owner
    return owner not in analysis.by_id and not _joined_without(analysis, cable, next(iter(lone)))


def _joined_without(analysis: WiringAnalysis, cable: Cable, post: str) -> bool:
    """Whether a post reaches the link's own post over links between blocks alone."""
    home = analysis.bank_way[0]
    reached, waiting = {post}, [post]
    while waiting:
        stud = waiting.pop()
        for other in analysis.by_stud[stud]:
            if other.id != cable.id and analysis.is_link(other):
                following = other_end(other, stud)
                if following not in reached and analysis.studs[following].pole == "minus":
                    reached.add(following)
                    waiting.append(following)
    return home in reached


def _strays(analysis: WiringAnalysis) -> list[Finding]:
    """What stands on the bank's side beside the shunt's link, but is no device's own negative."""
    found = []
    for cable in analysis.strays:
        away = cable.a if cable.b in analysis.bank_side else cable.b
        stud = analysis.studs[away]
        where = analysis.studs[other_end(cable, away)].name
        if _link_astray(analysis, cable):
            found.append(_string_astray(analysis, cable, stud, where))
        elif stud.place == "ground":
            found.append(_bond_astray(analysis, cable, analysis.bars[stud.id], where))
        elif stud.place == "battery":
            found.append(_battery_astray(analysis, cable, analysis.by_id[stud.owner], where))
        elif stud.place != "device":
            found.append(
                Finding(
                    "path.P06",
                    "fix",
                    f"The {analysis.cable_name(cable)} is on the battery's side beside the shunt's link.",
                    "One cable only belongs there. What hangs on this one is not counted, today or "
                    "when the next person adds to it.",
                    "Move it to the rig side.",
                    f"path.{cable.id}",
                    _mend(analysis, cable),
                )
            )
    return found


def _string_astray(analysis: WiringAnalysis, cable: Cable, stud: Stud, where: str) -> Finding:
    values = [abs(share.value) for share in analysis.shares.values() if not math.isnan(share.value)]
    counted = min(values, default=0.0)
    end = "a" if cable.a == stud.id else "b"
    return Finding(
        "path.P44",
        "stop",
        f"The {where} is joined to the {stud.name} instead of to the other string: only "
        f"about {100 * counted:.0f} % is counted, though every device looks well placed.",
        "A string joined on the rig side gives its current past the shunt; the count "
        "moves at part of the true speed.",
        "Join the strings on the battery's side, before the shunt.",
        f"path.{cable.id}",
        _ops({"op": "move_end", "cable": cable.id, "end": end, "to": analysis.bank_way[0]}),
    )


def _bond_astray(analysis: WiringAnalysis, cable: Cable, bar: Bar, where: str) -> Finding:
    return Finding(
        "path.P05",
        "stop",
        f"The {bar.name.lower()} is bonded to the {where}: on the battery's side of the shunt.",
        f"Everything grounded to the {bar.kind} returns past the shunt and is never counted.",
        "Land the bond on the rig side. Never lift a bond or earth while shore power is connected.",
        f"path.{cable.id}",
        _mend(analysis, cable),
    )


def _battery_astray(analysis: WiringAnalysis, cable: Cable, battery: ResolvedDevice, where: str) -> Finding:
    message = f"{battery.name}: its negative is on the {where}."
    if battery.preset.is_starter_battery:
        return Finding(
            "path.P06",
            "fix",
            message,
            "Engine charging and the trickle charger slip past the shunt there.",
            "Its negative joins the rig side; only its positive is sensed.",
            f"path.{cable.id}",
            _mend(analysis, cable),
        )
    return Finding(
        "path.P07",
        "stop",
        message,
        "Current between the batteries passes beside the shunt.",
        "Join the second battery's negative on the rig side, or both batteries before the shunt "
        "if they are to be one.",
        f"path.{cable.id}",
        _mend(analysis, cable),
    )


def _apart(analysis: WiringAnalysis) -> list[Finding]:
    """Devices of another battery whose current crosses the shunt all the same."""
    found = []
    for device in analysis.devices:
        share = analysis.shares.get(device.id)
        if share is None or share.missing_reason or share.expected != 0.0 or device.preset.is_link:
            continue
        if abs(share.value) > APART:
            found.append(
                Finding(
                    "path.P41",
                    "fix",
                    f"{device.name} runs on another battery, yet {100 * share.value:.0f} % of "
                    f"its {_amps(device)} crosses the shunt.",
                    "The count books amps the battery never gave.",
                    "Lead its positive and negative to the same battery, and join the two batteries' "
                    "negatives at one place, on the rig side.",
                    f"path.{device.id}",
                )
            )
    return found


def _link_post(analysis: WiringAnalysis) -> list[Finding]:
    """The shunt's link on another post than the lowest of a string."""
    low = set(analysis.posts)
    if analysis.bank_way and analysis.bank_way[0] in low:
        return []
    found = []
    for cable in analysis.by_stud[analysis.bank_stud]:
        if analysis.is_thin(cable) or not {cable.a, cable.b} & (analysis.block_studs - low):
            continue
        end = "a" if cable.a in analysis.block_studs else "b"
        found.append(
            Finding(
                "path.P04",
                "stop",
                f"The shunt's link is on the {analysis.studs[getattr(cable, end)].name}, not on the "
                "lowest post of the string.",
                "Batteries below that post give their current without its being counted.",
                "Put the link on the most negative post of the battery.",
                f"path.{cable.id}",
                _ops({"op": "move_end", "cable": cable.id, "end": end, "to": analysis.posts[-1]}),
            )
        )
    return found


def _middle_taps(analysis: WiringAnalysis) -> list[Finding]:
    """Devices fed from the middle of a string."""
    ends = {*analysis.posts, *analysis.top_posts}
    found = []
    for cable in analysis.wiring.cables:
        device = analysis.owner_of(cable)
        if device is None or device.preset.is_battery or cable.b not in analysis.block_studs - ends:
            continue
        if cable.a.pole != cable.b.pole:
            continue
        target = analysis.top_posts[0] if cable.a.pole == "plus" else analysis.rig_landing()
        found.append(
            Finding(
                "path.P29",
                "stop",
                f"{device.name} is taken from the middle of the string, "
                f"at the {analysis.studs[cable.b].name}.",
                "The shunt sees its amps, but only part of the battery gives them: those batteries run "
                "flat first and are overcharged later.",
                "Feed it from the whole battery, by a DC-DC converter if its volts are lower.",
                f"path.{cable.id}",
                _ops({"op": "move_end", "cable": cable.id, "end": "b", "to": target}),
            )
        )
    return found


def _isolated(analysis: WiringAnalysis) -> list[Finding]:
    """Isolators between bank and shunt."""
    between = {stud.owner for stud in analysis.bank_way[1:-1]}
    return [
        Finding(
            "path.P08",
            "fix",
            f"The {lower(isolator.name)} is between battery and shunt.",
            "Opening it takes the monitor's negative away: the count starts anew, at 100 %, 50 % or blank.",
            "Put it in the positive, or on the rig side of the shunt.",
            f"path.{isolator.id}",
            _ops({"op": "remove_isolator", "isolator": isolator.id}),
        )
        for isolator in analysis.wiring.isolators
        if isolator.id in between
    ]


def _floating(analysis: WiringAnalysis) -> list[Finding]:
    """Devices whose current has no way round."""
    level: Level = "stop" if analysis.wiring.shunt is not None else "fix"
    return [
        Finding(
            "path.P39",
            level,
            f"{device.name}: {share.missing_reason}.",
            "What is not drawn cannot be solved, and what floats cannot work.",
            "Look where its cables go and put them there.",
            f"path.{device.id}",
            _land(analysis, device),
        )
        for device in analysis.devices
        if (share := analysis.shares.get(device.id)) is not None
        and share.missing_reason
        and not share.shuntless
    ]


def _land(analysis: WiringAnalysis, device: ResolvedDevice) -> dict[str, object]:
    """The cables a device has none of yet, landed by the rule."""
    if analysis.wiring.shunt is None or device.preset.is_link:
        return {}
    ops: list[dict[str, object]] = []
    for pole, landing in (("minus", analysis.rig_landing()), ("plus", analysis.plus_landing())):
        stud = StudRef.of(device.id, pole)
        if stud not in analysis.by_stud or analysis.by_stud[stud]:
            continue
        op: dict[str, object] = {"op": "add_cable", "id": f"{device.id}_{pole}", "a": stud, "b": landing}
        if pole == "plus":
            op["fuse"] = {"amps": device.preset.fuse_a} if device.preset.fuse_a else None
        ops.append(op)
    return _ops(*ops) if ops else {}
