"""The bank: blocks in series and parallel, their capacity, and the usual mistakes."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, Literal

from pydantic import ConfigDict

from volnik.core.errors import InvalidInput
from volnik.core.findings import Finding
from volnik.core.rig.capacity import CapacityLabel, Conversion, read_label
from volnik.core.shelf.chemistries import Chemistry

LEAD_LOST_A_YEAR = (0.03, 0.10)
LOST_A_YEAR = {"lfp": (0.015, 0.03), "nmc": (0.02, 0.05)}
"""Of its capacity, by age and use, from and to; source: estimate, to be replaced by a measured capacity."""
TakeOff = Literal["diagonal", "one_end"]
OLD_YEARS = {"lead": 6, "lfp": 12, "nmc": 8}  # years after which a label is doubted; source: estimate


class BankRefused(InvalidInput):
    """A bank that cannot be built. `problems` maps each field to a sentence."""


BANK_LIMITS: dict[str, tuple[float, float, str]] = {
    "block_cells": (1, 24, "must be from 1 to 24, got {got}."),
    "series": (1, 24, "must be from 1 to 24, got {got}."),
    "parallel": (1, 16, "must be from 1 to 16, got {got}."),
    "cut_out_pct": (0.0, 50.0, "A battery's own cut-out lies from 0 to 50 % charge."),
    "cell_low_v": (1.0, 3.3, "is volts a cell, from 1 to 3.3, got {got:g}."),
    "cell_high_v": (2.2, 4.5, "is volts a cell, from 2.2 to 4.5, got {got:g}."),
    "charge_a": (0.1, 5000, "A string takes 0.1 to 5,000 A, got {got:g}."),
    "discharge_a": (0.1, 5000, "A string gives 0.1 to 5,000 A, got {got:g}."),
    "peak_a": (0.1, 20_000, "A string gives 0.1 to 20,000 A for seconds, got {got:g}."),
    "short_ka": (0.01, 200, "A short-circuit current is 0.01 to 200 kA, got {got:g}."),
    "charge_cold_c": (-30.0, 20.0, "Charge ends at -30 to 20 °C in the cold, got {got:g} °C."),
    "charge_hot_c": (30.0, 90.0, "Charge ends at 30 to 90 °C in the heat, got {got:g} °C."),
    "made_year": (1990, 2100, "A year such as 2024, got {got}."),
}
YEARS_APART = 2  # between strings, from which the older one holds the newer back; source: trade practice
MOST_LEAD_STRINGS = 3  # side by side; source: trade practice
CUT_OUT_MARGIN_PCT = 5.0  # of reserve above the battery's own cut-out; source: trade practice, 15 over 10
KIND_WORDS = {"flooded": "flooded", "agm": "AGM", "gel": "gel", "lfp": "LFP", "nmc": "NMC"}
LITHIUM_COLD_C = 0.0  # below it lithium is not to be charged; source: usual of makers, the sheet first
OVER_CLASS = {"lfp": 16 / 15, "nmc": 1.05}  # nominal volts of lithium over those of the class: 12.8 of 12
UNUSUAL = {"nmc": 0.08}  # how far off the nominal volts may be: 13 cells are sold as 48 V too


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
        made_year: year of making, of the oldest string where they differ, or None.
        string_years: year of making of each string where they differ; empty when all are alike.
        cut_out_pct: charge at which the battery's own protection opens [%], or None.
        product: what is printed on the blocks.
        cell_low_v, cell_high_v: where the battery's own protection opens [V a cell], or None where it is not
            known.
        charge_a, discharge_a, peak_a: what the maker lets one string take, give for good, and give for
            seconds [A], or None.
        short_ka: short-circuit current of one string as its maker states it [kA], or None.
        charge_cold_c, charge_hot_c: temperatures below and above which it must take no charge [°C], or None.
        commands_charging: whether its protection can tell an alternator's regulator to stop; None is not
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
    charge_a: float | None = None
    discharge_a: float | None = None
    peak_a: float | None = None
    short_ka: float | None = None
    commands_charging: bool | None = None
    charge_cold_c: float | None = None
    charge_hot_c: float | None = None
    string_years: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        problems = {**self.label.problems(), **self._string_problems()}
        for name, (least, most, sentence) in BANK_LIMITS.items():
            value = getattr(self, name)
            if value is not None and not least <= value <= most:
                problems[name] = sentence.format(got=value)
        if problems:
            raise BankRefused(problems)

    def _string_problems(self) -> dict[str, str]:
        if self.string_ah and len(self.string_ah) != self.parallel:
            return {"string_ah": f"Give one figure for each of the {self.parallel} strings, or none."}
        if any(not 0.5 <= ah <= 20_000.0 for ah in self.string_ah):
            return {"string_ah": "A string has 0.5 to 20 000 Ah."}
        if self.string_years and len(self.string_years) != self.parallel:
            return {"made_year": f"Give one year, or one for each of the {self.parallel} strings."}
        if any(not 1990 <= year <= 2100 for year in self.string_years):
            return {"made_year": "Years such as 2024."}
        return {}

    def as_flat(self) -> dict[str, Any]:
        """Every figure by its name, those of the label among them, as plain values."""
        plain = asdict(self)
        lists = {"string_ah": list(self.string_ah), "string_years": list(self.string_years)}
        return {**plain.pop("label"), **plain, **lists}

    @property
    def least_reserve_pct(self) -> float:
        """The lowest reserve that still warns before the battery's own protection opens, or 0 [%]."""
        return 0.0 if self.cut_out_pct is None else self.cut_out_pct + CUT_OUT_MARGIN_PCT

    def coldest_charge_c(self, chemistry: Chemistry) -> float | None:
        """The temperature below which it must take no charge, as read or as usual; None for lead [°C].

        Args:
            chemistry: of the bank.
        """
        if self.charge_cold_c is not None or chemistry.is_lead:
            return self.charge_cold_c
        return LITHIUM_COLD_C

    @property
    def years_told(self) -> str:
        """Year of making, or those of the strings, as text; "" where nobody knows."""
        alike = () if self.made_year is None else (self.made_year,)
        return " ".join(map(str, self.string_years or alike))

    @property
    def cells(self) -> int:
        """Cells in series through the whole bank."""
        return self.block_cells * self.series

    @property
    def blocks(self) -> int:
        """Blocks in the bank."""
        return self.series * self.parallel

    def nominal_v(self, chemistry: Chemistry) -> float:
        """Nominal volts, cells x nominal volts of a cell [V].

        Args:
            chemistry: of the bank.
        """
        return self.cells * chemistry.cell_v

    def block_reading(self, chemistry: Chemistry) -> Conversion:
        """The 20-hour capacity of one block, with its sum.

        Args:
            chemistry: of the bank.
        """
        return read_label(
            self.label, cells=self.block_cells, cell_v=chemistry.cell_v, peukert_exponent=chemistry.peukert
        )

    def capacity(self, chemistry: Chemistry) -> Conversion:
        """The 20-hour capacity of the bank, with its sum: strings add, blocks in series do not.

        Args:
            chemistry: of the bank.
        """
        block = self.block_reading(chemistry)
        sums = list(block.sums)
        if self.string_ah:
            total = sum(self.string_ah)
            sums.append(" + ".join(f"{ah:g}" for ah in self.string_ah) + f" Ah = {total:g} Ah")
        else:
            total = block.capacity_ah * self.parallel
            if self.parallel > 1:
                sums.append(
                    f"{self.parallel} strings in parallel × {block.capacity_ah:.4g} Ah = {total:.4g} Ah"
                )
        if self.series > 1:
            sums.append(f"{self.series} batteries in a string add volts, not Ah: still {total:.4g} Ah")
        trap = block.trap_ah * self.parallel if block.trap_ah is not None else None
        return Conversion(total, sums, trap, block.trap_name)

    def in_short(self, chemistry: Chemistry, kind: str = "") -> str:
        """The bank in a few words, such as "24 V flooded, 8 × 225 Ah, 4s2p".

        Args:
            chemistry: of the bank.
            kind: of battery in another language.
        """
        block = self.block_reading(chemistry).capacity_ah
        short = kind or KIND_WORDS[self.chemistry]
        volts = nominal_class(self.nominal_v(chemistry))
        build = f", {self.series}s{self.parallel}p" if self.blocks > 1 else ""
        return f"{volts} V {short}, {self.blocks} × {block:.4g} Ah{build}"

    def as_dict(self) -> dict[str, Any]:
        """The bank as plain values, to be stored."""
        return asdict(self)

    @classmethod
    def from_dict(cls, body: dict[str, Any]) -> Bank:
        """The bank stored by `as_dict`.

        Args:
            body: as kept.
        """
        label = CapacityLabel(**body["label"])
        lists = {name: tuple(body.get(name, ())) for name in ("string_ah", "string_years")}
        return cls(**{**body, "label": label, **lists})


def nominal_class(volts: float) -> int:
    """The voltage class the trade calls it by: 12.8 V is 12 V, 51.2 V is 48 V.

    Args:
        volts: at the bank [V].
    """
    return min((6, 12, 24, 36, 48, 60, 72, 96), key=lambda name: abs(name * 1.03 - volts))


def bank_findings(bank: Bank, chemistry: Chemistry, *, this_year: int) -> list[Finding]:
    """The usual mistakes in a bank (docs/findings.md, bank).

    Args:
        bank, chemistry: the bank.
        this_year: the year in which its age is judged.
    """
    return [
        *_strings_differ(bank),
        *_years_differ(bank),
        *_label_findings(bank, chemistry),
        *_side_by_side(bank, chemistry),
        *_lithium_in_series(bank, chemistry),
        *_nickel(bank, chemistry),
        *_aged(bank, chemistry, this_year),
        *_odd_volts(bank, chemistry),
    ]


def _years_differ(bank: Bank) -> list[Finding]:
    apart = max(bank.string_years, default=0) - min(bank.string_years, default=0)
    if apart < YEARS_APART:
        return []
    return [
        Finding(
            "bank.B10",
            "advise",
            f"The strings were made {apart} years apart.",
            "The older string resists more and holds less: the newer one works for both and soon is as old.",
            "Replace all strings together; until then measure each string's Ah and type them.",
            "bank.made_year",
        )
    ]


def _strings_differ(bank: Bank) -> list[Finding]:
    if not bank.string_ah or max(bank.string_ah) <= 1.05 * min(bank.string_ah):
        return []
    return [
        Finding(
            "bank.B01",
            "advise",
            f"The strings differ: {min(bank.string_ah):g} to {max(bank.string_ah):g} Ah.",
            "Unequal strings share the current unequally; the weaker one works harder and ages first.",
            "Count the sum, and measure each string's current with a clamp meter when proving.",
            "bank.string_ah",
        )
    ]


def _label_findings(bank: Bank, chemistry: Chemistry) -> list[Finding]:
    reading = bank.capacity(chemistry)
    if bank.label.kind == "reserve_minutes" and reading.trap_ah is not None:
        lost = 100.0 * (1.0 - reading.trap_ah / reading.capacity_ah)
        return [
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
        ]
    if bank.label.kind == "other_rate" and abs(bank.label.hours - 20.0) > 0.5:
        return [
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
        ]
    return []


def _side_by_side(bank: Bank, chemistry: Chemistry) -> list[Finding]:
    found = []
    if bank.parallel > 1 and bank.takeoff == "one_end":
        found.append(
            Finding(
                "bank.B04",
                "fix",
                f"Both leads leave the same end of {bank.parallel} strings in parallel.",
                "The near string carries more of every current than the far one and wears out first.",
                "Take the positive from the first string and the negative from the last.",
                "bank.takeoff",
                {"takeoff": "diagonal"},
            )
        )
    if chemistry.is_lead and bank.parallel > MOST_LEAD_STRINGS:
        found.append(
            Finding(
                "bank.B05",
                "advise",
                f"{bank.parallel} lead strings in parallel.",
                "Beyond three strings even a diagonal pair of main leads shares badly, and one weak string "
                "drags on the others.",
                "Larger batteries in fewer strings share better.",
                "bank.parallel",
            )
        )
    return found


def _lithium_in_series(bank: Bank, chemistry: Chemistry) -> list[Finding]:
    if chemistry.is_lead or bank.series < 2:
        return []
    return [
        Finding(
            "bank.B06",
            "advise",
            f"{bank.series} lithium batteries in a string, each with its own protection.",
            "The first battery to cut out opens the whole string; batteries that start at unlike "
            "charge cut out early.",
            "Charge each battery full alone before joining, and ask the maker how many may be in one string.",
            "bank.series",
        )
    ]


def _aged(bank: Bank, chemistry: Chemistry, this_year: int) -> list[Finding]:
    limit = OLD_YEARS.get(chemistry.key, OLD_YEARS["lead"])
    if bank.made_year is None or this_year - bank.made_year <= limit or bank.string_ah:
        return []
    years = this_year - bank.made_year
    label_ah = bank.capacity(chemistry).capacity_ah
    low_ah, high_ah = (
        label_ah * (1.0 - lost) ** years
        for lost in reversed(LOST_A_YEAR.get(chemistry.key, LEAD_LOST_A_YEAR))
    )
    return [
        Finding(
            "bank.B07",
            "advise",
            f"The batteries are {years} years old and counted at their label, {label_ah:.0f} Ah.",
            f"At that age {low_ah:.0f} to {high_ah:.0f} Ah are usual: the percentage stays comfortable "
            "until it suddenly ends.",
            "Measure the capacity between a full reset and a known low rest, and type it as the strings' Ah.",
            "bank.made_year",
        )
    ]


def _nickel(bank: Bank, chemistry: Chemistry) -> list[Finding]:
    if chemistry.key != "nmc":
        return []
    full_v = bank.cells * chemistry.absorption_high_v
    return [
        Finding(
            "bank.B09",
            "advise",
            f"{bank.cells} nickel lithium cells are full at {full_v:.4g} V and must never see more.",
            "Charged beyond that, pierced or crushed they burn fiercely and cannot be smothered. Below 0 °C "
            "they take no charge.",
            "Set every charger to end at or below it, make sure the battery's own protection opens each cell "
            "by 4.25 V, and follow local rules on where such a battery may stand.",
            "bank.chemistry",
        )
    ]


def _odd_volts(bank: Bank, chemistry: Chemistry) -> list[Finding]:
    volts = bank.nominal_v(chemistry)
    usual = nominal_class(volts) * OVER_CLASS.get(chemistry.key, 1.0)
    if abs(volts - usual) <= UNUSUAL.get(chemistry.key, 0.06) * volts:
        return []
    return [
        Finding(
            "bank.B08",
            "fix",
            f"{bank.cells} cells make {volts:g} V, which is no usual system.",
            "Chargers, inverters and the charged voltage all go by cells; one battery too few or "
            "many damages them.",
            "Check the batteries in a string and the cells in a battery.",
            "bank.series",
        )
    ]
