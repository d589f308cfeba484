"""Parts on the Shelf: blocks, shunts, cables, lugs, and the presets of devices.

Made-up products; the shop puts its own in.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from volnik.core.shelf.conductors import AMPACITY_AWG, AMPACITY_MM2, HOLES_MM, ampacity, read_size
from volnik.core.shelf.dialects import DIALECTS, Dialect
from volnik.core.shelf.presets import PRESETS, Preset
from volnik.core.shelf.schools import SCHOOLS, School
from volnik.core.shelf.shunts import Shunt, ShuntFigures
from volnik.core.values import Plain

Key = Annotated[str, Field(pattern=r"^[a-z0-9_.-]{1,40}$")]
Name = Annotated[str, Field(min_length=1, max_length=60)]
ChemistryKey = Literal["flooded", "agm", "gel", "lfp", "nmc"]
Source = Annotated[str, Field(max_length=80)]


def _known_hole(value: str) -> str:
    if value and value not in HOLES_MM:
        raise ValueError(f"is no stud or lug hole known here; one of {', '.join(HOLES_MM)}")
    return value


class BlockPart(Plain):
    """A battery block: chemistry key, cells, 20-hour Ah, internal resistance [mohm], short-circuit current
    [kA], its studs.
    """

    key: Key
    name: Name
    chemistry: ChemistryKey
    cells: Annotated[int, Field(ge=1, le=24)]
    ah: Annotated[float, Field(gt=0, le=20_000)]
    mohm: Annotated[float, Field(gt=0, le=1000)] | None = None
    short_ka: Annotated[float, Field(gt=0, le=200)] | None = None
    stud: str = "M8"
    cut_out_pct: Annotated[float, Field(ge=0, le=50)] | None = None
    source: Source = "estimate"

    _stud = field_validator("stud")(_known_hole)


class ShuntPart(ShuntFigures):
    """A shunt on the Shelf."""

    key: Key
    name: Name
    source: Source = "estimate"

    def fitted(self) -> Shunt:
        """The shunt as it stands in a drawing: its figures copied in, with their source."""
        figures = {name: getattr(self, name) for name in ShuntFigures.model_fields}
        return Shunt(product=self.name, **figures)


class CablePart(Plain):
    """Cable by the metre: size as designated; amps it carries, None takes the table's.

    Most volts of its insulation.
    """

    key: Key
    name: Name
    size: Annotated[str, Field(min_length=2, max_length=20)]
    carries_a: Annotated[float, Field(gt=0, le=2000)] | None = None
    source: Source = "trade practice"

    @model_validator(mode="after")
    def _sized(self) -> CablePart:
        if read_size(self.size) is None:
            raise ValueError("the size is written such as 35 mm² or 2/0 AWG")
        return self

    @property
    def mm2(self) -> float:
        """Cross-section [mm²]."""
        found = read_size(self.size)
        assert found is not None
        return found[0]

    @property
    def amps(self) -> float:
        """Ampacity [A]."""
        return self.carries_a if self.carries_a is not None else ampacity(self.mm2, self.size)


class LugPart(Plain):
    """A crimp lug: the cable it takes, its hole, the die that crimps it."""

    key: Key
    name: Name
    size: Annotated[str, Field(min_length=2, max_length=20)]
    hole: str
    die: Annotated[str, Field(max_length=40)] = ""
    source: Source = "estimate"

    _hole = field_validator("hole")(_known_hole)


class Catalogue(Plain):
    """The Shelf's parts as one document, the form of its import and export."""

    volnik_shelf: Literal[1] = 1
    blocks: Annotated[tuple[BlockPart, ...], Field(max_length=500)] = ()
    shunts: Annotated[tuple[ShuntPart, ...], Field(max_length=500)] = ()
    cables: Annotated[tuple[CablePart, ...], Field(max_length=500)] = ()
    lugs: Annotated[tuple[LugPart, ...], Field(max_length=1000)] = ()
    presets: Annotated[tuple[Preset, ...], Field(max_length=500)] = ()
    schools: Annotated[tuple[School, ...], Field(max_length=100)] = SCHOOLS
    dialects: Annotated[tuple[Dialect, ...], Field(max_length=100)] = DIALECTS

    @model_validator(mode="after")
    def _unlike(self) -> Catalogue:
        for kind in KINDS:
            keys = [name.key for name in getattr(self, kind)]
            if len(set(keys)) < len(keys):
                raise ValueError(
                    f"{kind}: the key {next(key for key in keys if keys.count(key) > 1)} is there twice"
                )
        return self

    def by_key(self) -> dict[str, Preset]:
        """The presets by kind; that of any other load is there even when the shop took it off."""
        return {"load": PRESETS["load"]} | {preset.key: preset for preset in self.presets}


KINDS: dict[str, type[Plain]] = {
    "blocks": BlockPart,
    "shunts": ShuntPart,
    "cables": CablePart,
    "lugs": LugPart,
    "presets": Preset,
    "schools": School,
    "dialects": Dialect,
}

_SHUNTS = [
    (150, 50, 105, 200, 0.01, "M8"),
    (300, 50, 230, 400, 0.02, "M8"),
    (500, 50, 400, 700, 0.05, "M10"),
    (1000, 75, 840, 1500, 0.1, "M12"),
]
_BLOCKS: list[tuple[str, str, ChemistryKey, int, float, float, float | None, str, float | None]] = [
    ("lowtide-160", "Lowtide 160", "lfp", 4, 160, 1.9, None, "M8", 5.0),
    ("lowtide-200", "Lowtide 200", "lfp", 4, 200, 1.5, None, "M8", 5.0),
    ("lowtide-48", "Lowtide 48", "lfp", 16, 100, 12.0, None, "M8", 10.0),
    ("harrow-6-225", "Harrow 6-225", "flooded", 3, 225, 1.0, 4.5, "M8", None),
    ("quarry-a110", "Quarry A110", "agm", 6, 110, 3.4, 3.0, "M8", None),
    ("stillwater-g", "Stillwater G", "gel", 6, 120, 3.6, 2.8, "M8", None),
]
_INCH_HOLES = {"M5": "1/4 in", "M6": "1/4 in", "M8": "5/16 in", "M10": "3/8 in", "M12": "1/2 in"}


def starting_catalogue() -> Catalogue:
    """What the Shelf starts with; every product is made up."""
    sizes = [f"{mm2:g} mm²" for mm2 in AMPACITY_MM2] + [f"{name} AWG" for name in AMPACITY_AWG]
    return Catalogue(
        blocks=tuple(
            BlockPart(
                key=key,
                name=name,
                chemistry=chemistry,
                cells=cells,
                ah=ah,
                mohm=mohm,
                short_ka=ka,
                stud=stud,
                cut_out_pct=cut,
            )
            for key, name, chemistry, cells, ah, mohm, ka, stud, cut in _BLOCKS
        ),
        shunts=tuple(
            ShuntPart(
                key=f"causeway-{amps}",
                name=f"Causeway {amps}",
                amps=amps,
                mv=mv,
                continuous_a=continuous,
                peak_a=peak,
                step_a=step,
                stud=stud,
                mark_bank="BANK",
                mark_rig="RIG",
                source="estimate",
            )
            for amps, mv, continuous, peak, step, stud in _SHUNTS
        ),
        cables=tuple(
            CablePart(key=_key(f"cable {size}"), name=f"Fine-strand cable {size}", size=size)
            for size in sizes
        ),
        lugs=tuple(lug for size in sizes for lug in _lugs(size)),
        presets=tuple(PRESETS.values()),
    )


def _lugs(size: str) -> list[LugPart]:
    """Lugs of a cable size, for the studs it is usually landed on."""
    found = read_size(size)
    assert found is not None
    area = found[0]
    holes: tuple[str, ...] = ("M8", "M10", "M12")
    if area < 35:
        holes = ("M5", "M6", "M8") if area < 10 else ("M6", "M8", "M10")
    if size.endswith("AWG"):
        holes = tuple(_INCH_HOLES[hole] for hole in holes)
    return [
        LugPart(
            key=_key(f"lug {size} {hole}"),
            name=f"Lug {size}, {hole}",
            size=size,
            hole=hole,
            die=f"die {area:.3g}",
        )
        for hole in dict.fromkeys(holes)
    ]


def _key(text: str) -> str:
    return (
        text.lower()
        .replace(" mm²", "mm2")
        .replace(" awg", "awg")
        .replace("/", "-")
        .replace(" in", "in")
        .replace(" ", "-")
    )
