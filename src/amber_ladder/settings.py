"""Where things are, from the environment that the launcher sets."""

from functools import cache
from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """``AMBER_LADDER_DATA``: the one data folder. ``AMBER_LADDER_DATABASE_URL``: its PostgreSQL.

    ``AMBER_LADDER_RAIL_PORT``: where the simulated rail listens.
    """

    model_config = SettingsConfigDict(env_prefix="AMBER_LADDER_")

    data: Path
    database_url: str
    rail_port: int | None = None
    pages: Path = Path(__file__).resolve().parents[2] / "web" / "dist"


@cache
def settings() -> Settings:
    """The settings of this process, read once."""
    return Settings()  # type: ignore[call-arg]  # filled from the environment
