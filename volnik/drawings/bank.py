"""The bank as it sits: blocks, posts, links and where the rig's leads leave."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.rig.bank import Bank
from volnik.drawings.scale import Word

WIDTH, HEIGHT = 760.0, 470.0


@dataclass(frozen=True, slots=True)
class BlockBox:
    """One block with its posts; plus on the left."""

    name: str
    x: float
    y: float
    width: float
    height: float
    plus: tuple[float, float]
    minus: tuple[float, float]
    words: list[Word]


@dataclass(frozen=True, slots=True)
class Cable:
    """A cable as a path; kind is link, plus or minus."""

    path: str
    kind: str


@dataclass(frozen=True, slots=True)
class BankDrawing:
    """The bank as boxes and cables."""

    width: float
    height: float
    blocks: list[BlockBox]
    cables: list[Cable]
    takeoffs: list[tuple[float, float, str, float]]
    message: str


def draw_bank(bank: Bank, block_ah: float) -> BankDrawing:
    """Lay strings one below the other, blocks of a string from left to right, plus first.

    Args:
        block_ah: capacity of one block [Ah]; NaN while its label is not typed yet.
    """
    left, right, top, bottom = 118.0, 118.0, 30.0, 40.0
    cell_w = (WIDTH - left - right) / bank.series
    cell_h = (HEIGHT - top - bottom) / bank.parallel
    wide, tall = min(200.0, cell_w * 0.80), min(150.0, cell_h * 0.72)
    blocks, cables = [], []
    strings: list[list[BlockBox]] = []
    for p in range(bank.parallel):
        row = []
        for s in range(bank.series):
            x = left + (s + 0.5) * cell_w - wide / 2
            y = top + (p + 0.5) * cell_h - tall / 2
            row.append(_block(bank, p, s, x, y, wide=wide, tall=tall, block_ah=block_ah))
        for block, next_one in zip(row, row[1:], strict=False):
            cables.append(Cable(f"M{block.minus[0]:g} {block.minus[1]:g}H{next_one.plus[0]:g}", "link"))
        strings.append(row)
        blocks += row
    plus_x, minus_x = left - 46.0, WIDTH - right + 46.0
    for row in strings:
        cables.append(Cable(f"M{row[0].plus[0]:g} {row[0].plus[1]:g}H{plus_x:g}", "plus"))
        cables.append(Cable(f"M{row[-1].minus[0]:g} {row[-1].minus[1]:g}H{minus_x:g}", "minus"))
    first_y, last_y = strings[0][0].plus[1], strings[-1][0].plus[1]
    if bank.parallel > 1:
        cables.append(Cable(f"M{plus_x:g} {first_y:g}V{last_y:g}", "plus"))
        cables.append(Cable(f"M{minus_x:g} {first_y:g}V{last_y:g}", "minus"))
    minus_y = last_y if bank.takeoff == "diagonal" else first_y
    cables.append(Cable(f"M{plus_x:g} {first_y:g}H10", "plus"))
    cables.append(Cable(f"M{minus_x:g} {minus_y:g}H{WIDTH - 10:g}", "minus"))
    below = minus_y > first_y
    takeoffs = [(plus_x, first_y, "+", -24.0), (minus_x, minus_y, "−", 32.0 if below else -24.0)]
    return BankDrawing(WIDTH, HEIGHT, blocks, cables, takeoffs, _message(bank))


def _message(bank: Bank) -> str:
    """The drawing in a sentence."""
    strings = f"{bank.parallel} string{'s' if bank.parallel > 1 else ''}"
    blocks = f"{bank.series} batter{'ies' if bank.series > 1 else 'y'}"
    last = "last" if bank.takeoff == "diagonal" else "first"
    return f"{strings} of {blocks}; positive taken from the first string, negative from the {last}."


def _block(
    bank: Bank, p: int, s: int, x: float, y: float, *, wide: float, tall: float, block_ah: float
) -> BlockBox:
    name = f"{chr(65 + p)}{s + 1}"
    ah = bank.string_ah[p] if bank.string_ah else block_ah
    middle = y + tall / 2
    words = [Word(x + wide / 2, middle + (-2 if tall > 54 else 5), name, "middle", "name")]
    if tall > 54 and wide > 60:
        words.append(
            Word(x + wide / 2, middle + 18, "? Ah" if math.isnan(ah) else f"{ah:.4g} Ah", "middle", "ah")
        )
    return BlockBox(name, x, y, wide, tall, (x, middle), (x + wide, middle), words)
