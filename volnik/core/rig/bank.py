"""The bank: blocks in series and parallel, their capacity, and the usual mistakes."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, Literal

from pydantic import ConfigDict

from volnik.core.errors import InvalidInput
from volnik.core.findings import Finding
from volnik.core.rig.capacity import CapacityLabel, Conversion, read_label
from volnik.core.shelf.chemistries import Chemistry

TakeOff = Literal["diagonal", "one_end"]
OLD_YEARS = {"lead": 6, "lfp": 12}  # years after which a label is doubted; source: estimate


class BankRefused(InvalidInput):
    """A bank that cannot be built. `problems` maps each field to a sentence."""


@dataclass(frozen=True, slots=True)
class Bank:
    """A bank as it stands.

    Attributes:
        chemistry: key of the chemistry.
        block_cells: cells in one block.
        series, parallel: blocks in a string, strings side by side.
        label: what the label of one block states.
        takeoff: where the rig's leads leave a parallel bank.
        string_ah: measured or unequal capacity of each string at the 20-hour rate [Ah]; empty when all are
            alike.
        made_year: year of making, or None.
        cut_out_pct: charge at which the battery's own protection opens [%], or None.
        product: what is printed on the blocks.
        cell_low_v, cell_high_v: where the battery's own protection opens [V a cell], or None where it is not
            known.
    """

    __pydantic_config__ = ConfigDict(extra="forbid")  # as a section of the rig document

    chemistry: str
    block_cells: int
    series: int
    parallel: int
    label: CapacityLabel
    takeoff: TakeOff = "diagonal"
    string_ah: tuple[float, ...] = ()
    made_year: int | None = None
    cut_out_pct: float | None = None
    product: str = ""
    cell_low_v: float | None = None
    cell_high_v: float | None = None

    def __post_init__(self) -> None:
        problems = dict(self.label.problems())
        for name, most in (("block_cells", 24), ("series", 24), ("parallel", 16)):
            value = getattr(self, name)
            if not 1 <= value <= most:
                problems[name] = f"must be from 1 to {most}, got {value}."
        if self.string_ah and len(self.string_ah) != self.parallel:
            problems["string_ah"] = f"Give one figure for each of the {self.parallel} strings, or none."
        if any(not 0.5 <= ah <= 20_000.0 for ah in self.string_ah):
            problems["string_ah"] = "A string has 0.5 to 20 000 Ah."
        if self.cut_out_pct is not None and not 0.0 <= self.cut_out_pct <= 50.0:
            problems["cut_out_pct"] = "A battery's own cut-out lies from 0 to 50 % charge."
        for name, least, most_v in (("cell_low_v", 1.0, 3.3), ("cell_high_v", 2.2, 4.5)):
            volts = getattr(self, name)
            if volts is not None and not least <= volts <= most_v:
                problems[name] = f"is volts a cell, from {least:g} to {most_v:g}, got {volts:g}."
        if self.made_year is not None and not 1990 <= self.made_year <= 2100:
            problems["made_year"] = f"A year such as 2024, got {self.made_year}."
        if problems:
            raise BankRefused(problems)

    @property
    def cells(self) -> int:
        """Cells in series through the whole bank."""
        return self.block_cells * self.series

    @property
    def blocks(self) -> int:
        """Blocks in the bank."""
        return self.series * self.parallel

    def nominal_v(self, chemistry: Chemistry) -> float:
        """Nominal volts, cells x nominal volts of a cell [V]."""
        return self.cells * chemistry.cell_v

    def block_reading(self, chemistry: Chemistry) -> Conversion:
        """The 20-hour capacity of one block, with its sum."""
        return read_label(
            self.label, cells=self.block_cells, cell_v=chemistry.cell_v, peukert_exponent=chemistry.peukert
        )

    def capacity(self, chemistry: Chemistry) -> Conversion:
        """The 20-hour capacity of the bank, with its sum: strings add, blocks in series do not."""
        block = self.block_reading(chemistry)
        sums = list(block.sums)
        if self.string_ah:
            total = sum(self.string_ah)
            sums.append(" + ".join(f"{ah:g}" for ah in self.string_ah) + f" Ah = {total:g} Ah")
        else:
            total = block.capacity_ah * self.parallel
            if self.parallel > 1:
                sums.append(
                    f"{self.parallel} strings side by side × {block.capacity_ah:.4g} Ah = {total:.4g} Ah"
                )
        if self.series > 1:
            sums.append(f"{self.series} blocks in a string add volts, not Ah: still {total:.4g} Ah")
        trap = block.trap_ah * self.parallel if block.trap_ah is not None else None
        return Conversion(total, sums, trap, block.trap_name)

    def in_short(self, chemistry: Chemistry) -> str:
        """The bank in a few words, such as "24 V flooded, 8 × 225 Ah, 4s2p"."""
        block = self.block_reading(chemistry).capacity_ah
        short = {"flooded": "flooded", "agm": "AGM", "gel": "gel", "lfp": "LFP"}[self.chemistry]
        volts = nominal_class(self.nominal_v(chemistry))
        build = f", {self.series}s{self.parallel}p" if self.blocks > 1 else ""
        return f"{volts} V {short}, {self.blocks} × {block:.4g} Ah{build}"

    def as_dict(self) -> dict[str, Any]:
        """The bank as plain values, to be stored."""
        return asdict(self)

    @classmethod
    def from_dict(cls, body: dict[str, Any]) -> Bank:
        """The bank stored by `as_dict`."""
        label = CapacityLabel(**body["label"])
        return cls(**{**body, "label": label, "string_ah": tuple(body["string_ah"])})


def nominal_class(volts: float) -> int:
    """The voltage class the trade calls it by: 12.8 V is 12 V, 51.2 V is 48 V."""
    return min((6, 12, 24, 36, 48, 60, 72, 96), key=lambda name: abs(name * 1.03 - volts))


def bank_findings(bank: Bank, chemistry: Chemistry, *, this_year: int) -> list[Finding]:
    """The usual mistakes in a bank (docs/findings.md, bank)."""
    found = []
    if bank.string_ah and max(bank.string_ah) > 1.05 * min(bank.string_ah):
        found.append(
            Finding(
                "bank.B01",
                "advise",
                f"The strings differ: {min(bank.string_ah):g} to {max(bank.string_ah):g} Ah.",
                "Unequal strings share the current unequally; the weaker one works harder and ages first.",
                "Count the sum, and measure each string's current with a clamp meter when proving.",
                "bank.string_ah",
            )
        )
    reading = bank.capacity(chemistry)
    if bank.label.kind == "reserve_minutes" and reading.trap_ah is not None:
        lost = 100.0 * (1.0 - reading.trap_ah / reading.capacity_ah)
        found.append(
            Finding(
                "bank.B02",
                "advise",
                f"The label's minutes give {reading.trap_ah:.0f} Ah at {bank.label.test_a:g} A but "
                f"{reading.capacity_ah:.0f} Ah at the 20-hour rate; the monitor wants the second.",
                "A monitor applies Peukert itself: with the first figure it would read empty with "
                f"{lost:.0f} % still there.",
                "Set the 20-hour figure in Numbers.",
                "bank.label",
            )
        )
    if bank.label.kind == "other_rate" and abs(bank.label.hours - 20.0) > 0.5:
        found.append(
            Finding(
                "bank.B03",
                "advise",
                f"The label holds at the {bank.label.hours:g}-hour rate; at 20 hours it is "
                f"{reading.capacity_ah:.0f} Ah.",
                "Peukert's law is anchored at the hour rate: a figure at another rate bends every "
                "heavy load wrongly.",
                "Set the 20-hour figure, or set the monitor's hour rate to the label's.",
                "bank.label",
            )
        )
    if bank.parallel > 1 and bank.takeoff == "one_end":
        found.append(
            Finding(
                "bank.B04",
                "fix",
                f"Both leads leave the same end of {bank.parallel} strings side by side.",
                "The near string carries more of every current than the far one and wears out first.",
                "Take the positive from the first string and the negative from the last.",
                "bank.takeoff",
                {"takeoff": "diagonal"},
            )
        )
    if chemistry.is_lead and bank.parallel > 3:
        found.append(
            Finding(
                "bank.B05",
                "advise",
                f"{bank.parallel} lead strings side by side.",
                "Beyond three strings even a diagonal take-off shares badly, and one weak string "
                "drags on the others.",
                "Larger blocks in fewer strings share better.",
                "bank.parallel",
            )
        )
    if not chemistry.is_lead and bank.series > 1:
        found.append(
            Finding(
                "bank.B06",
                "advise",
                f"{bank.series} lithium blocks in a string, each with its own protection.",
                "The first block to cut out opens the whole string; blocks that start at unlike "
                "charge cut out early.",
                "Charge each block full alone before joining, and ask the maker how many may stand "
                "in a string.",
                "bank.series",
            )
        )
    limit = OLD_YEARS["lead" if chemistry.is_lead else "lfp"]
    if bank.made_year is not None and this_year - bank.made_year > limit and not bank.string_ah:
        found.append(
            Finding(
                "bank.B07",
                "advise",
                f"The blocks are {this_year - bank.made_year} years old and counted at their label.",
                "An aged bank holds less than its label: the percentage stays comfortable until it "
                "suddenly ends.",
                "Measure the capacity between a full reset and a known low rest, and type it as the "
                "strings' Ah.",
                "bank.made_year",
            )
        )
    volts = bank.nominal_v(chemistry)
    if abs(volts - nominal_class(volts) * (1.0 if chemistry.is_lead else 16 / 15)) > 0.06 * volts:
        found.append(
            Finding(
                "bank.B08",
                "fix",
                f"{bank.cells} cells make {volts:g} V, which is no usual system.",
                "Chargers, inverters and the charged voltage all go by cells; one block too few or "
                "many damages them.",
                "Check the blocks in a string and the cells in a block.",
                "bank.series",
            )
        )
    return found
