"""What a bridge listens to, a module a way in. Each tells figures by column as they are heard."""

from __future__ import annotations

from volnik.bridge.plan import (
    BridgedRig,
    CanSource,
    FolderSource,
    ModbusSource,
    MqttSource,
    Source,
    TextSource,
)
from volnik.bridge.sources.folder import FolderListening
from volnik.bridge.sources.heard import Ear, Listening
from volnik.bridge.sources.mqtt import MqttListening
from volnik.bridge.sources.text import TextListening


def listening(source: Source, ear: Ear, rig: BridgedRig) -> Listening:
    """A source that can be listened to.

    Args:
        source: as it stands in the file.
        ear: where it tells what it hears.
        rig: it is of.

    Raises:
        ValueError: for a map that is no use, in words.
        ImportError: where the libraries of buses are not installed.
    """
    match source:
        case MqttSource():
            return MqttListening(source, ear)
        case TextSource():
            return TextListening(source, ear)
        case FolderSource():
            return FolderListening(source, ear)
        case CanSource():
            from volnik.bridge.sources.can import CanListening

            return CanListening(source, ear, rig.interval_s)
        case ModbusSource():
            from volnik.bridge.sources.modbus import ModbusListening

            return ModbusListening(source, ear)
