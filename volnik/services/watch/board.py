"""The board of a rig as it is laid out: kept as a note, the latest holds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from volnik.core.errors import InvalidInput
from volnik.core.readings import COLUMNS
from volnik.core.rig.rig import Rig
from volnik.core.values import read_plain
from volnik.core.watch.board import MOST_TILES, USUAL, BoardFigure, Tile, choices, figure_of
from volnik.services.context import AppContext
from volnik.services.watch import notes
from volnik.store import logs, watching
from volnik.store import rigs as store


@dataclass(frozen=True, slots=True)
class BoardView:
    """A rig's board: the rig, its tiles, whether anybody laid it out, and all that can stand on it."""

    rig: Rig
    tiles: tuple[Tile, ...]
    laid_out: bool
    choices: list[BoardFigure]


def board_view(context: AppContext, rig_id: int) -> BoardView:
    """The board of a rig, the usual one while nobody laid one out."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        kept = watching.notes(session, rig_id, "board")
        sources = logs.sources(session, rig_id, withdrawn=False)
    own = [name for source in sources for name in source.columns if name not in COLUMNS]
    tiles = tuple(Tile.model_validate(each) for each in kept[-1].body["tiles"]) if kept else USUAL
    return BoardView(rig, tiles, bool(kept), choices([*own, *(tile.what for tile in tiles)]))


def keep_board(context: AppContext, rig_id: int, rows: list[dict[str, Any]], *, who: str) -> int:
    """Keep how a board is laid out.

    Args:
        rows: its tiles in order.
        who: laid it out.

    Raises:
        InvalidInput: naming each row and field at fault, as "0.low".
    """
    problems: dict[str, str] = {}
    made: list[Tile] = []
    for place, row in enumerate(rows):
        try:
            tile = _tile(row)
        except InvalidInput as wrong:
            problems |= {f"{place}.{at.split('.')[-1]}": message for at, message in wrong.problems.items()}
        else:
            made.append(tile)
    if not rows:
        problems["0.what"] = "A board has at least one figure."
    if len(rows) > MOST_TILES:
        problems[f"{MOST_TILES}.what"] = f"A board has at most {MOST_TILES} figures."
    if problems:
        raise InvalidInput(problems)
    body = {"tiles": [tile.model_dump(mode="json") for tile in made]}
    return notes.add(context, rig_id, "board", time_s=context.now(), who=who, body=body)


def _tile(row: dict[str, Any]) -> Tile:
    """A row as a tile.

    Raises:
        InvalidInput: naming the field at fault.
    """
    tile = read_plain(Tile, row)
    if figure_of(tile.what) is None:
        raise InvalidInput({"what": "Choose a figure."})
    if tile.low is not None and tile.high is not None and tile.low >= tile.high:
        raise InvalidInput({"high": f"Above {tile.low:g}."})
    return tile
