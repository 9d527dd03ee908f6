"""A worker on another machine than the station's: it merges what waits there, and keeps nothing of its own."""

import logging
import os
import re
import signal
import socket
import subprocess
import sys
import threading
from pathlib import Path

from amber_ladder import logs
from amber_ladder.errors import AmberLadderError
from amber_ladder.launch.serve import SOURCE
from amber_ladder.launch.visiting import visiting
from amber_ladder.processes import dies_with_parent
from amber_ladder.store.workers import STATION

_AGAIN_S = 3.0
_NAME = re.compile(r"[a-z0-9][a-z0-9-]{0,39}")
log = logging.getLogger(__name__)


def work_elsewhere(name: str | None, keep_gb: float) -> int:
    """Work for the station that ``AMBER_LADDER_DATABASE_URL`` and ``AMBER_LADDER_SHARED`` name, until Ctrl-C.

    Raises AmberLadderError where it cannot.
    """
    name = name or re.sub(r"[^a-z0-9-]+", "-", socket.gethostname().lower()).strip("-")[:40]
    if not _NAME.fullmatch(name) or name == STATION:
        raise AmberLadderError(f"a worker cannot be called {name!r}: give it --name with a-z, 0-9 and dashes")
    for needed in ("AMBER_LADDER_DATABASE_URL", "AMBER_LADDER_SHARED"):
        if not os.environ.get(needed):
            raise AmberLadderError(f"{needed} is not set: `./ladder invite` at the station tells it")
    data = Path(os.environ.setdefault("AMBER_LADDER_DATA", str(SOURCE / "worker"))).resolve()
    if (data / "postgres").exists():
        raise AmberLadderError(f"{data} holds a station's data: a worker needs a folder of its own (AMBER_LADDER_DATA)")
    os.umask(0o077)
    data.mkdir(parents=True, exist_ok=True)
    logs.begin("launcher", data)
    from amber_ladder.store.shared_store import SharedStore
    from amber_ladder.work import presence

    SharedStore(os.environ["AMBER_LADDER_SHARED"])  # what cannot be used is said now
    leaving = threading.Event()
    for ending in (signal.SIGINT, signal.SIGTERM):
        signal.signal(ending, lambda _signal, _frame: leaving.set())
    while not presence.is_alike():
        if leaving.wait(1.0):
            return 0
    print(f"{name} works for the station; Ctrl-C ends it.", flush=True)
    while not leaving.is_set():
        child = _begin(name, keep_gb)
        while child.poll() is None and not leaving.wait(0.2):
            pass
        if not leaving.is_set():
            print(f"The worker ended (code {child.returncode}); starting it again.", flush=True)
            leaving.wait(_AGAIN_S)
    _end(child)
    return 0


def _begin(name: str, keep_gb: float) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", "amber_ladder.jobs", name, str(keep_gb)],
        start_new_session=True,
        preexec_fn=dies_with_parent(signal.SIGTERM),  # noqa: PLW1509 - one system call, no locks
    )


def _end(child: subprocess.Popen[bytes]) -> None:
    child.terminate()
    try:
        child.wait(timeout=8)
    except subprocess.TimeoutExpired:
        child.kill()
        child.wait()


def invite() -> int:
    """Say what to enter on another machine. Raises AmberLadderError when the station does not run."""
    shared = os.environ.get("AMBER_LADDER_SHARED")
    with visiting() as station:
        if station.lock.held:
            raise AmberLadderError("the station does not run: start it first, with AMBER_LADDER_SHARED set")
        url, port = station.cluster.url, station.cluster.port
    print("On the other machine, in a folder with the same version of Amber Ladder:")
    print(f"  ssh -N -L {port}:127.0.0.1:{port} {socket.gethostname()} &")
    print(f"  export AMBER_LADDER_DATABASE_URL={url}")
    print(f"  export AMBER_LADDER_SHARED={shared or 'file:///the/shared/folder'}")
    print("  ./ladder worker")
    print("Whoever has the second line can read and change everything in the station's database: keep it to yourself.")
    return 0
