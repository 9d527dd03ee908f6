"""What the cabinet says of the station itself."""

import json
import shutil
from dataclasses import dataclass
from datetime import datetime

from amber_ladder.formats.results import write_json
from amber_ladder.settings import settings
from amber_ladder.store.base import now

_FILE = "last-backup.json"


@dataclass(frozen=True, slots=True)
class LastBackup:
    """When a backup was last finished, and where."""

    at: datetime
    folder: str


@dataclass(frozen=True, slots=True)
class StationView:
    """The last backup, None where none was ever made here, and the room that is left on the data's disk."""

    backup: LastBackup | None
    free_bytes: int


def read_station() -> StationView:
    """The station as it is now."""
    return StationView(_last_backup(), shutil.disk_usage(settings().data).free)


def note_backup(folder: str) -> None:
    """Note that a backup is finished."""
    path = settings().data / _FILE
    write_json(path.with_suffix(".part"), {"at": now().isoformat(timespec="seconds"), "folder": folder})
    path.with_suffix(".part").replace(path)


def _last_backup() -> LastBackup | None:
    try:
        told = json.loads((settings().data / _FILE).read_text())
        return LastBackup(datetime.fromisoformat(told["at"]), told["folder"])
    except (OSError, ValueError, KeyError):
        return None
