"""Bringing a station's database to this version, with a copy of how it was before, and back when that fails."""

import time
from collections.abc import Callable
from pathlib import Path

from amber_ladder import __version__
from amber_ladder.errors import AmberLadderError
from amber_ladder.launch.postgres import Cluster

_KEPT = 3


def upgrade(cluster: Cluster, data: Path, say: Callable[[str], None], migrations: Path | None = None) -> None:
    """Bring the tables to this version. Raises AmberLadderError, and then they are as they were.

    Before anything that exists is changed, the database is dumped into ``before-upgrade/``; the last three are kept.
    """
    from amber_ladder.store.database import engine, migrate, newest, revision

    where = {"location": migrations} if migrations else {}
    head, known = newest(**where)
    before = revision()
    if before == head:
        return
    if before is not None and before not in known:
        raise AmberLadderError(
            f"this data was last used by a newer version of Amber Ladder than {__version__}: start that one, or "
            "restore a backup of before (./ladder restore)"
        )
    dump = _dump(cluster, data) if before is not None else None
    try:
        migrate(**where)
    except Exception as error:
        if dump is not None:  # a step may have committed what it did before it failed
            engine().dispose()
            _bring_back(cluster, dump)
        raise AmberLadderError(
            f"the database could not be brought to version {__version__}: {str(error).splitlines()[0]}. It is as it "
            "was: start the version before, and report this (./ladder report)"
        ) from error
    if dump is not None:
        say(f"The database was brought to version {__version__}; as it was before it lies in {dump}")


def _dump(cluster: Cluster, data: Path) -> Path:
    folder = data / "before-upgrade"
    folder.mkdir(exist_ok=True)
    dump = folder / f"{time.strftime('%Y-%m-%dT%H-%M-%S')}.dump"
    cluster.program("pg_dump", "--format=custom", "-f", str(dump))
    for old in sorted(folder.glob("*.dump"))[:-_KEPT]:
        old.unlink()
    return dump


def _bring_back(cluster: Cluster, dump: Path) -> None:
    cluster.program(
        "psql", "-X", "-q", "-v", "ON_ERROR_STOP=1", "-c", "drop schema public cascade; create schema public"
    )
    cluster.program("pg_restore", "--no-owner", "--no-comments", "--exit-on-error", "--single-transaction", str(dump))
