"""Settings of the running program, from the environment (VOLNIK_…) and the command line."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from platformdirs import user_data_path
from pydantic_settings import BaseSettings, SettingsConfigDict


def data_home() -> Path:
    """Where the shop's data lies unless told otherwise: where the platform keeps it, "
    "~/.local/share/volnik here."""
    return user_data_path("volnik", appauthor=False)


class Settings(BaseSettings):
    """Settings of the running program; every one is documented in docs/settings.md."""

    model_config = SettingsConfigDict(env_prefix="VOLNIK_")

    data: Path | None = None
    port: int = 8370
    now: str | None = None
    mqtt: str = ""
    mqtt_user: str = ""
    mqtt_password: str = ""
    mqtt_ca: Path | None = None
    mqtt_client_id: str = ""
    mqtt_plain_keys: str = ""
    mail_server: str = ""
    mail_from: str = "volnik@localhost"
    mail_to: str = ""
    mail_user: str = ""
    mail_password: str = ""
    mail_tls: str = "required"

    def broker(self) -> Broker | None:
        """The MQTT broker, or None where none is named.

        Raises:
            ValueError: when it is not named "host" or "host:port", or its CA file is not there.
        """
        if not self.mqtt:
            return None
        host, _, port = self.mqtt.partition(":")
        if not host or (port and not port.isdigit()):
            raise ValueError(f"The MQTT broker “{self.mqtt}” is named such as localhost:1883.")
        if self.mqtt_ca is not None and not self.mqtt_ca.is_file():
            raise ValueError(f"VOLNIK_MQTT_CA names {self.mqtt_ca}, which is no file.")
        usual = PLAIN_PORT if self.mqtt_ca is None else TLS_PORT
        return Broker(
            host,
            int(port or usual),
            self.mqtt_user,
            self.mqtt_password,
            self.mqtt_ca,
            self.mqtt_client_id,
            tuple(name.strip() for name in self.mqtt_plain_keys.split(",") if name.strip()),
        )


PLAIN_PORT, TLS_PORT = 1883, 8883  # as registered for MQTT


@dataclass(frozen=True, slots=True)
class Broker:
    """An MQTT broker, and who Volnik is there.

    Attributes:
        host, port: where it listens.
        user, password: where it asks for them; "" for none.
        ca: file of the authority its certificate is of; None for a plain connection.
        client_id: Volnik's own on that broker, which no other may have; "" for one made of its data.
        plain_keys: names of keys that may still travel in clear.
    """

    host: str
    port: int
    user: str = ""
    password: str = ""
    ca: Path | None = None
    client_id: str = ""
    plain_keys: tuple[str, ...] = ()

    @property
    def where(self) -> str:
        """Its address in words."""
        return f"{self.host}:{self.port}"

    def named(self, client_id: str) -> Broker:
        """The same with a client id, where none is set."""
        return self if self.client_id else replace(self, client_id=client_id)
