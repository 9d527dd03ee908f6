"""A real station for tests: own PostgreSQL without fsync, and if wanted the real server and worker."""

import atexit
import json
import os
import shutil
import tempfile
import time
from collections.abc import Callable
from functools import cache
from pathlib import Path

from amber_ladder.launch.postgres import free_port
from amber_ladder.launch.serve import SOURCE, Station

PATIENCE_S = 90.0


@cache
def database() -> Station:
    """PostgreSQL with the tables, once for a test process, and this process pointed at it."""
    folder = Path(tempfile.mkdtemp(prefix="amber-ladder-test-", dir="/tmp"))
    folder.chmod(0o755)
    # What tests watch and connect to lies where a station does not allow it by itself.
    os.environ["AMBER_LADDER_FOLDERS"] = json.dumps(["/tmp"])
    os.environ["AMBER_LADDER_RAIL_SOCKETS"] = json.dumps(["127.0.0.1:9"])
    # Ports that the system offers: another suite may be starting at this very moment.
    station = Station(folder, port=free_port(0), rail_port=free_port(0), durable=False)
    station.cluster.port = free_port(0)
    atexit.register(_end, station, folder)
    station.open_database()
    return station


@cache
def running() -> Station:
    """The same with server and worker."""
    station = database()
    os.environ.setdefault("AMBER_LADDER_PAGES", str(SOURCE / "web" / "dist"))
    station.start_rail()
    station.start_server()
    station.start_worker()
    return station


def _end(station: Station, folder: Path) -> None:
    from amber_ladder.store.database import engine

    engine().dispose()
    station.stop()
    for log in sorted((folder / "logs").glob("server.log")):
        # Whoever reads a test that failed for it has nothing else: the folder goes.
        said = [line for line in log.read_text(errors="replace").splitlines() if "the database:" in line]
        print(*said[:3], sep="\n", end="\n" if said else "")
    shutil.rmtree(folder, ignore_errors=True)


def kill(station: Station, name: str) -> None:
    """Kill the server, the worker or the rail; returns when it is gone, so that ``keep_up`` is sure to see it."""
    child = station._children[name]
    child.kill()
    child.wait()


def until(true: Callable[[], bool], what: str) -> None:
    """Wait for something that is known to come; fails with words when it does not."""
    end = time.monotonic() + PATIENCE_S
    while not true():
        if time.monotonic() > end:
            raise AssertionError(f"waited {PATIENCE_S:.0f} s for {what}")
        time.sleep(0.05)
