"""A house in a temporary folder, with a rig that has a bank, numbers and a log."""

import tempfile
from contextlib import contextmanager
from pathlib import Path

import numpy as np

from volnik.core.readings import Readings
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.settings import Numbers
from volnik.services.context import AppContext
from volnik.services.log import sources as log
from volnik.services.numbers import versions
from volnik.services.survey.bank import save_bank
from volnik.services.yard.rigs import new_rig
from volnik.services.yard.summary import renew
from volnik.store.database import Database

NOW = 1_790_000_000.0
NUMBERS = Numbers(100.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.1, 20.0, 1.0, 180.0)


@contextmanager
def opened_context():
    """An open house whose clock stands at NOW."""
    with tempfile.TemporaryDirectory() as folder:
        shop = AppContext(Database(Path(folder)), lambda: NOW, renew=renew)
        try:
            yield shop
        finally:
            shop.close()


def rig(shop, name="Tern"):
    """A rig with a 100 Ah lithium block and its numbers; returns its id."""
    made = new_rig(shop, name=name, silhouette="van", what="test van", zone="UTC")
    save_bank(shop, made.id, Bank("lfp", 4, 1, 1, CapacityLabel("nameplate", ah=100.0)))
    versions.save(shop, made.id, NUMBERS, holds_from_s=None, reason="first", power_up="blank")
    return made.id


def steady(amps, count, *, start_s=NOW - 86400, step_s=60.0, volts=13.0):
    """Readings at a steady current."""
    return Readings(start_s + step_s * np.arange(count), np.full(count, volts), np.full(count, float(amps)))


def take(shop, rig_id, readings, name="log.csv", kind="file"):
    """Take readings in as a source."""
    return log.take_in(shop, rig_id, readings, kind=kind, name=name, report={})
