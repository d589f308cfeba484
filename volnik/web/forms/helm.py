"""The form of a board: its tiles in rows, and what is done with a row before it is kept."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

from fastapi import Depends
from pydantic import BaseModel, ConfigDict

from volnik.core.watch.board import MOST_TILES
from volnik.web.forms.posted import Form, Line, Number, Posted, posted


class TileRow(BaseModel):
    """A tile as typed."""

    model_config = ConfigDict(frozen=True)

    what: Line
    label: Line
    low: Number
    high: Number


class BoardForm(Form):
    """A board as typed.

    Attributes:
        act: "save", or what is done with a row first, as "up:2", "twice:2", "off:2", "add:".
        rows: by their place in the form.
    """

    act: Line
    rows: dict[int, TileRow]

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """Fields are named "0.what" and so on."""
        rows = {
            place: {name: sent.get(f"{place}.{name}", "") for name in TileRow.model_fields}
            for place in range(MOST_TILES + 1)
            if f"{place}.what" in sent
        }
        return {**sent, "rows": rows}

    @classmethod
    def fault_at(cls, place: tuple[int | str, ...], sentence: str) -> tuple[str, str]:
        """A row's field as it is named in the form."""
        if place[0] == "rows":
            return f"{place[1]}.{place[2]}", sentence
        return str(place[0]), sentence


def texts_of(typed: Mapping[str, str]) -> list[dict[str, str]]:
    """The rows as typed, to be shown again.

    Args:
        typed: all fields of the form.
    """
    return [
        {name: typed.get(f"{place}.{name}", "") for name in TileRow.model_fields}
        for place in range(MOST_TILES + 1)
        if f"{place}.what" in typed
    ]


def acted(rows: list[dict[str, str]], act: str) -> list[dict[str, str]]:
    """The rows after one was moved up, doubled, taken off, or one was added.

    Args:
        rows: as typed.
        act: as the button says it.
    """
    done, _, place = act.partition(":")
    at = int(place) if place.isdigit() else -1
    rows = list(rows)
    if done == "add" and len(rows) < MOST_TILES:
        rows.append({"what": "", "label": "", "low": "", "high": ""})
    elif not 0 <= at < len(rows):
        return rows
    elif done == "up" and at:
        rows[at - 1 : at + 1] = [rows[at], rows[at - 1]]
    elif done == "twice" and len(rows) < MOST_TILES:
        rows.insert(at + 1, dict(rows[at]))
    elif done == "off":
        rows.pop(at)
    return rows


SentBoard = Annotated[Posted[BoardForm], Depends(posted(BoardForm))]
