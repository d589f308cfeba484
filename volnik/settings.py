"""Settings of the running program, from the environment (VOLNIK_…) and the command line."""

from __future__ import annotations

from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict


def data_home() -> Path:
    """Where the shop's data lies unless told otherwise: ~/.local/share/volnik."""
    return Path.home() / ".local" / "share" / "volnik"


class Settings(BaseSettings):
    """Settings of the running program; every one is documented in docs/settings.md."""

    model_config = SettingsConfigDict(env_prefix="VOLNIK_")

    data: Path | None = None
    port: int = 8370
    now: str | None = None
    mqtt: str = ""
    mail_server: str = ""
    mail_from: str = "volnik@localhost"
    mail_to: str = ""
    mail_user: str = ""
    mail_password: str = ""
