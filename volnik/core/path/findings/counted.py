"""What is counted: bypasses, partial ones, the shunt turned round, what stands on the battery post."""

from __future__ import annotations

from volnik.core.findings import Finding, Level
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.studs import lower
from volnik.core.rig.wiring import Cable

APART = 0.02  # share beyond which a device on another battery troubles the count; source: estimate


def look(seen: WiringAnalysis) -> list[Finding]:
    """Findings P01 to P09, P39, P40, P44."""
    if seen.wiring.shunt is None:
        return [*_no_shunt(seen), *_floating(seen)]
    found = _turned(seen)
    on_blocks = any(
        {cable.a, cable.b} & seen.block_studs
        for end in ("shunt.bank", "shunt.rig")
        for cable in seen.by_stud[end]
        if not seen.is_thin(cable)
    )
    if not seen.bank_way and not on_blocks:
        found.append(
            Finding(
                "path.P46",
                "stop",
                "The shunt is not joined to the bank's negative: no current can cross it.",
                "The bank side carries one cable to the most negative post; without it the rig is "
                "dead or uncounted.",
                "Lead one cable from the bank side of the shunt to the most negative post.",
                "path.shunt",
                _ops(
                    {
                        "op": "add_cable",
                        "id": "shunt_link",
                        "a": seen.posts[-1],
                        "b": "shunt.bank",
                        "length_m": 0.3,
                    }
                )
                if not seen.by_stud["shunt.bank"]
                else {},
            )
        )
    return [
        *found,
        *_bypasses(seen),
        *_strays(seen),
        *_apart(seen),
        *_lowest(seen),
        *_isolated(seen),
        *_floating(seen),
    ]


def _ops(*ops: dict[str, object]) -> dict[str, object]:
    return {"ops": list(ops)}


def _no_shunt(seen: WiringAnalysis) -> list[Finding]:
    on_post = len(seen.strays)
    return [
        Finding(
            "path.P40",
            "stop",
            f"No shunt is drawn, and {on_post} cable{'' if on_post == 1 else 's'} "
            f"stand{'s' if on_post == 1 else ''} on the bank's minus posts.",
            "Without a shunt nothing is counted; whatever stays on the post beside it would not be "
            "counted either.",
            "Fit a shunt: one link from the most negative post, everything else to its rig side.",
            "path.shunt",
            {"fit_shunt": True},
        )
    ]


def _turned(seen: WiringAnalysis) -> list[Finding]:
    if seen.bank_stud != "shunt.rig":
        return []
    return [
        Finding(
            "path.P03",
            "stop",
            "The shunt sits turned round: its rig side leads to the bank, so charge shows as discharge.",
            "The count climbs while the bank empties, and never resets.",
            "Put the link from the post on the bank side and everything else on the rig side.",
            "path.shunt",
            _ops({"op": "turn_shunt"}),
        )
    ]


def _mend(seen: WiringAnalysis, cable: Cable | None) -> dict[str, object]:
    if cable is None:
        return {}
    end = "a" if cable.a in seen.bank_side else "b"
    landing = seen.rig_landing()
    if landing in (
        cable.a,
        cable.b,
    ):  # its other end is there already: a second way past the shunt, and nothing more
        return _ops({"op": "remove_cable", "cable": cable.id})
    return _ops({"op": "move_end", "cable": cable.id, "end": end, "to": landing})


def _what(device: ResolvedDevice) -> str:
    if device.gives and device.takes:
        return "What comes in and what goes out are both missed: the percentage follows neither."
    if device.gives:
        return (
            "The bank reads full by volts while the count stays low; it resets only when loads are off, "
            "and then too early."
        )
    return "Volts fall while the count still says full, and runtime is promised that is not there."


def _bypasses(seen: WiringAnalysis) -> list[Finding]:
    found = []
    linked = any(_link_astray(seen, cable) for cable in seen.strays) or any(
        _link_astray(seen, cable) for post in seen.posts for cable in seen.by_stud[post]
    )
    for device in seen.devices:
        share = seen.shares.get(device.id)
        if share is None or share.lacks or share.expected == 0.0:
            continue
        word = share.word
        if word not in ("uncounted", "partly"):
            continue
        stray = seen.stray_of(device)
        name = device.device.name
        if word == "uncounted":
            at = _reaches(seen, device, stray)
            found.append(
                Finding(
                    "path.P01",
                    "stop",
                    f"{name}: 0 % of its {_amps(device)} is counted; its negative {at}.",
                    _what(device),
                    "Move it to the rig side; that stud is the battery negative now, whatever the "
                    "device's own booklet says.",
                    f"path.{device.id}",
                    _mend(seen, stray),
                )
            )
        else:
            low, high = 100.0 * share.low, 100.0 * share.high
            span = f"{100.0 * share.value:.0f} %" + (
                f" ({low:.0f} to {high:.0f} % while resistances are only assumed)"
                if high - low >= 1.0
                else ""
            )
            if linked:
                continue  # told once, as P44
            found.append(
                Finding(
                    "path.P02",
                    "stop" if share.value < 0.9 else "fix",
                    f"{name}: only {span} of its {_amps(device)} is counted.",
                    "The rest returns beside the shunt, by the chassis or a second cable, and the "
                    "share changes with every joint.",
                    "Leave one way only from the bank side to everything else: the shunt.",
                    f"path.{device.id}",
                    _mend(seen, stray or next(iter(seen.strays), None)),
                )
            )
    return found


def _reaches(seen: WiringAnalysis, device: ResolvedDevice, stray: Cable | None) -> str:
    if stray is None:
        return "reaches the bank without crossing the shunt"
    if stray.a.startswith(f"{device.id}."):
        return f"is on the {seen.studs[stray.b].name}"
    other = stray.a if stray.b in seen.bank_side else stray.b
    post = stray.b if stray.b in seen.bank_side else stray.a
    return f"reaches the {seen.studs[post].name} by the {seen.studs[other].name}"


def _amps(device: ResolvedDevice) -> str:
    return f"{device.gives_a if device.gives and not device.takes else device.running_a:.3g} A"


def _link_astray(seen: WiringAnalysis, cable: Cable) -> bool:
    """Whether a cable joins one string's negative to the rig side while another string hangs on the shunt's
    link.
    """
    posts = set(seen.posts)
    if len(posts) < 2 or not seen.bank_way:
        return False
    lone = {cable.a, cable.b} & posts
    away = {cable.a, cable.b} - posts
    if not lone or len(away) != 1 or away & seen.bank_side:
        return False
    owner = seen.studs[next(iter(away))].owner
    return owner not in seen.by_id and not _joined_without(seen, cable, next(iter(lone)))


def _joined_without(seen: WiringAnalysis, cable: Cable, post: str) -> bool:
    """Whether a post reaches the link's own post over links between blocks alone."""
    home = seen.bank_way[0]
    reached, waiting = {post}, [post]
    while waiting:
        stud = waiting.pop()
        for other in seen.by_stud[stud]:
            if other.id != cable.id and seen.is_link(other):
                following = other.b if other.a == stud else other.a
                if following not in reached and seen.studs[following].pole == "minus":
                    reached.add(following)
                    waiting.append(following)
    return home in reached


def _strays(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for cable in seen.strays:
        ends = {cable.a, cable.b}
        away = next((end for end in (cable.a, cable.b) if end not in seen.bank_side), None)
        if away is None:
            continue
        stud = seen.studs[away]
        post = next(end for end in ends if end != away)
        where = seen.studs[post].name
        if _link_astray(seen, cable):
            counted = min(
                (
                    abs(seen.shares[device.id].value)
                    for device in seen.devices
                    if device.id in seen.shares
                    and seen.shares[device.id].value == seen.shares[device.id].value
                ),
                default=0.0,
            )
            found.append(
                Finding(
                    "path.P44",
                    "stop",
                    f"The {where} is joined to the {stud.name} instead of to the other string: only "
                    f"about {100 * counted:.0f} % is counted, though every device looks well placed.",
                    "A string joined on the rig side gives its current past the shunt; the count "
                    "moves at part of the true speed.",
                    "Join the strings on the bank's side, before the shunt.",
                    f"path.{cable.id}",
                    _ops(
                        {
                            "op": "move_end",
                            "cable": cable.id,
                            "end": "a" if cable.a == away else "b",
                            "to": seen.bank_way[0],
                        }
                    ),
                )
            )
        elif stud.place == "ground":
            bar = seen.bars[stud.id]
            found.append(
                Finding(
                    "path.P05",
                    "stop",
                    f"The {bar.name.lower()} is bonded to the {where}: on the bank's side of the shunt.",
                    f"Everything grounded to the {bar.kind} returns past the shunt and is never counted.",
                    "Land the bond on the rig side. Never lift a bond or earth while shore power is "
                    "connected.",
                    f"path.{cable.id}",
                    _mend(seen, cable),
                )
            )
        elif stud.place == "battery":
            owner = seen.device(stud.owner)
            second = owner is not None and owner.preset.is_battery and not owner.preset.is_starter_battery
            found.append(
                Finding(
                    "path.P07" if second else "path.P06",
                    "stop" if second else "fix",
                    f"{owner.device.name if owner else 'A battery'}: its negative is on the {where}.",
                    "Current between the banks passes beside the shunt."
                    if second
                    else "Engine charging and the trickle charger slip past the shunt there.",
                    (
                        "Join the second bank's negative on the rig side, or both banks before the shunt "
                        "if they are to be one."
                    )
                    if second
                    else "Its negative joins the rig side; only its positive is sensed.",
                    f"path.{cable.id}",
                    _mend(seen, cable),
                )
            )
        elif stud.place != "device":
            found.append(
                Finding(
                    "path.P06",
                    "fix",
                    f"The {seen.cable_name(cable)} stands on the bank's side beside the shunt's link.",
                    "One cable only belongs there. What hangs on this one is not counted, today or "
                    "when the next person adds to it.",
                    "Move it to the rig side.",
                    f"path.{cable.id}",
                    _mend(seen, cable),
                )
            )
    return found


def _apart(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for device in seen.devices:
        share = seen.shares.get(device.id)
        if (
            share is not None
            and not share.lacks
            and share.expected == 0.0
            and abs(share.value) > APART
            and not device.preset.is_link
        ):
            found.append(
                Finding(
                    "path.P41",
                    "fix",
                    f"{device.device.name} runs on another battery, yet {100 * share.value:.0f} % of "
                    f"its {_amps(device)} crosses the shunt.",
                    "The count books amps the bank never gave.",
                    "Lead its positive and negative to the same battery, and join the two batteries' "
                    "negatives at one place, on the rig side.",
                    f"path.{device.id}",
                )
            )
    return found


def _lowest(seen: WiringAnalysis) -> list[Finding]:
    found = []
    low, high = set(seen.posts), set(seen.top_posts)
    way = seen.bank_way
    others = (
        [
            cable
            for cable in seen.by_stud[seen.bank_stud]
            if {cable.a, cable.b} & (seen.block_studs - low) and not seen.is_thin(cable)
        ]
        if not way or way[0] not in low
        else []
    )
    for cable in others:
        end = "a" if cable.a in seen.block_studs else "b"
        found.append(
            Finding(
                "path.P04",
                "stop",
                f"The shunt's link is on the {seen.studs[getattr(cable, end)].name}, not on the "
                "lowest post of the string.",
                "Blocks below that post give their current without its being counted.",
                "Put the link on the most negative post of the bank.",
                f"path.{cable.id}",
                _ops({"op": "move_end", "cable": cable.id, "end": end, "to": seen.posts[-1]}),
            )
        )
    for cable in seen.wiring.cables:
        device = seen.device(cable.a.split(".")[0])
        if device is None or cable.b not in seen.block_studs:
            continue
        wrong = (cable.a.endswith(".plus") and cable.b.endswith(".plus") and cable.b not in high) or (
            cable.a.endswith(".minus") and cable.b.endswith(".minus") and cable.b not in low
        )
        if wrong and not device.preset.is_battery:
            target = seen.top_posts[0] if cable.a.endswith(".plus") else seen.rig_landing()
            found.append(
                Finding(
                    "path.P29",
                    "stop",
                    f"{device.device.name} is taken from the middle of the string, at the "
                    f"{seen.studs[cable.b].name}.",
                    "The shunt sees its amps, but only part of the bank gives them: those blocks run "
                    "flat first and are overcharged later.",
                    "Feed it from the whole bank, by a DC-DC converter if its volts are lower.",
                    f"path.{cable.id}",
                    _ops({"op": "move_end", "cable": cable.id, "end": "b", "to": target}),
                )
            )
    return found


def _isolated(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for isolator in seen.wiring.isolators:
        if (
            isolator.pole == "minus"
            and f"{isolator.id}.a" in seen.bank_way[1:-1]
            or f"{isolator.id}.b" in seen.bank_way[1:-1]
        ):
            found.append(
                Finding(
                    "path.P08",
                    "fix",
                    f"The {lower(isolator.name)} stands between bank and shunt.",
                    "Opening it takes the monitor's negative away: the count starts anew, at 100 %, "
                    "50 % or blank.",
                    "Put it in the positive, or on the rig side of the shunt.",
                    f"path.{isolator.id}",
                    _ops({"op": "remove_isolator", "isolator": isolator.id}),
                )
            )
    return found


def _floating(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for device in seen.devices:
        share = seen.shares.get(device.id)
        if share is None or not share.lacks or share.lacks == "no shunt is fitted":
            continue
        level: Level = "stop" if seen.wiring.shunt is not None else "fix"
        bare = [
            f"{device.id}.{pole}"
            for pole in ("minus", "plus")
            if f"{device.id}.{pole}" in seen.by_stud and not seen.by_stud[f"{device.id}.{pole}"]
        ]
        mend: dict[str, object] = {}
        if bare and seen.wiring.shunt is not None and not device.preset.is_link:
            fuse = {"amps": device.preset.fuse_a} if device.preset.fuse_a else None
            ops: list[dict[str, object]] = [
                {"op": "add_cable", "id": stud.replace(".", "_"), "a": stud, "b": seen.rig_landing()}
                if stud.endswith("minus")
                else {
                    "op": "add_cable",
                    "id": stud.replace(".", "_"),
                    "a": stud,
                    "b": seen.plus_landing(),
                    "fuse": fuse,
                }
                for stud in bare
            ]
            mend = _ops(*ops)
        found.append(
            Finding(
                "path.P39",
                level,
                f"{device.device.name}: {share.lacks}.",
                "What is not drawn cannot be solved, and what floats cannot work.",
                "Look where its cables land and put them there.",
                f"path.{device.id}",
                mend,
            )
        )
    return found
