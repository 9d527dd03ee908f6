"""Where things are, from the environment that the launcher sets."""

from functools import cache
from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict

from amber_ladder.pages import PAGES

LOOPBACK = frozenset({"127.0.0.1", "localhost", "::1"})


class Settings(BaseSettings):
    """``AMBER_LADDER_DATA``: the one data folder. ``AMBER_LADDER_DATABASE_URL``: its PostgreSQL.

    ``AMBER_LADDER_RAIL_PORT``: where the simulated rail listens. As JSON lists: ``AMBER_LADDER_HOSTS``, the names that
    the station answers to; ``AMBER_LADDER_RAIL_SOCKETS``, where else rails may be reached (``["192.0.2.7:8470"]``);
    ``AMBER_LADDER_FOLDERS``, below which folders may be watched. ``AMBER_LADDER_REMOVE_DISCARDED=true``: what was
    thrown away goes for good after 30 days. ``AMBER_LADDER_SIGN_IN`` is set where more than one machine reaches the
    station: then nobody is answered before signing in; ``AMBER_LADDER_SECURE`` where they reach it by https only.
    ``AMBER_LADDER_SHARED`` is where workers on other machines find originals and leave results: ``file:///…`` or
    ``s3://bucket/…``, the latter with the usual ``AWS_…`` variables.
    """

    model_config = SettingsConfigDict(env_prefix="AMBER_LADDER_")

    data: Path
    database_url: str
    rail_port: int | None = None
    hosts: frozenset[str] = LOOPBACK
    rail_sockets: frozenset[str] = frozenset()
    folders: tuple[Path, ...] = (Path.home(), Path("/media"), Path("/mnt"), Path("/srv"))
    remove_discarded: bool = False
    sign_in: bool = False
    secure: bool = False
    shared: str = ""
    pages: Path = PAGES


@cache
def settings() -> Settings:
    """The settings of this process, read once."""
    return Settings()  # type: ignore[call-arg]  # filled from the environment
