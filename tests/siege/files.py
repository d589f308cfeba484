"""Small files that unpack to much: how long each takes, and how much memory above the level before."""

import gzip
import io
import tempfile
import time
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import polars as pl
import psutil

from volnik.core.survey.lines import read_lines
from volnik.feeds.batches import FileRefused
from volnik.feeds.files import open_log, read_log
from volnik.feeds.mapping import Mapping

HEAD = b"time,volts,amps\n"
MAPPING = Mapping(columns={name: name for name in ("time", "volts", "amps")})
MOST_S, MOST_MB = 1.0, 100.0


@dataclass
class Costs:
    """What each file cost: seconds, MB, by name."""

    of: dict[str, tuple[float, float]] = field(default_factory=dict)

    @property
    def good(self) -> bool:
        """Whether each stayed below a second and 100 MB."""
        return all(took_s < MOST_S and more < MOST_MB for took_s, more in self.of.values())

    def __str__(self) -> str:
        return "; ".join(f"{name} {took_s:.2f} s, {more:.0f} MB" for name, (took_s, more) in self.of.items())


def every_bomb() -> Costs:
    """Each of them, read as an import reads it."""
    costs, many = Costs(), 30_000_000
    read_log(
        open_log(io.BytesIO(HEAD + b"2026-01-01T00:00:00Z,13.2,-1\nx,1,2\n")), MAPPING
    )  # compiled by now
    for name, body in (
        ("gzip of empty lines", HEAD + b"\n" * many),
        ("gzip of short lines", HEAD + b"x\n" * many),
        ("gzip of one line", HEAD + b"x" * many),
    ):
        packed = io.BytesIO(gzip.compress(body))
        del body
        costs.of[name] = _cost(lambda packed=packed: read_log(open_log(packed), MAPPING))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "same.parquet"
        same = {"time": np.full(many, 1.7e9), "volts": np.full(many, 13.0), "amps": np.zeros(many)}
        pl.DataFrame(same).write_parquet(path)
        del same
        with path.open("rb") as file:
            costs.of["Parquet of equal rows"] = _cost(lambda: read_log(open_log(file)))
    costs.of["a device line of 60 kB"] = _cost(lambda: read_lines("x, a" + " " * 60_000 + "!", {}))
    return costs


def _cost(work) -> tuple[float, float]:
    process = psutil.Process()
    before, began_s = process.memory_info().rss, time.perf_counter()
    with suppress(FileRefused):
        work()
    return time.perf_counter() - began_s, (process.memory_info().rss - before) / 1e6
