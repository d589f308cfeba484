"""What a running server says of itself, for `GET /api/health` and `volnik doctor`."""

from __future__ import annotations

import math
import shutil
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from volnik import __version__
from volnik.core.instants import iso_text
from volnik.services.live.ingest import Ingest
from volnik.tasks.backups import BackupKeeper

if TYPE_CHECKING:
    from volnik.feeds.mqtt import MqttSubscriber

LEAST_FREE = 1 << 30  # bytes: a year of ten rigs at a reading a second; a full disk keeps no reading


@dataclass(slots=True)
class Health:
    """What the server says of itself: readings, disk, backups, and the broker where one is listened to."""

    folder: Path
    ingest: Ingest
    backups: BackupKeeper
    broker: MqttSubscriber | None = None

    def _broker_told(self) -> dict[str, Any] | None:
        if self.broker is None:
            return None
        return {"connected": self.broker.connected, "refused": self.broker.refused}

    def told(self) -> dict[str, Any]:
        """As the health address answers; `troubles` in plain words, `well` where there are none."""
        readings, free = self.ingest.health(), shutil.disk_usage(self.folder).free
        kept = self.backups.kept()
        troubles = {
            "nothing keeps readings": not readings.writing,
            "nothing puts readings in their logs": not readings.settling,
            "the disk is nearly full": free < LEAST_FREE,
            "no backup can be made": bool(self.backups.trouble),
            "the broker does not answer": self.broker is not None and not self.broker.connected,
        }
        found = [sentence for sentence, is_so in troubles.items() if is_so]
        return {
            "well": not found,
            "troubles": found,
            "version": __version__,
            "readings": {
                "writing": readings.writing,
                "settling": readings.settling,
                "restarts": readings.restarts,
                "posts_waiting": readings.waiting,
                "rigs_unsettled": readings.unsettled,
                "last_kept": None if math.isnan(readings.kept_s) else iso_text(readings.kept_s),
            },
            "disk": {"free_bytes": free},
            "backup": {"last": iso_text(kept[-1].made_s) if kept else None, "trouble": self.backups.trouble},
            "broker": None
            if self.broker is None
            else {"connected": self.broker.connected, "refused": self.broker.refused},
        }
