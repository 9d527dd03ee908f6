"""Starting PostgreSQL, server and worker together, keeping them up, and stopping what was started."""

import logging
import os
import shutil
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path
from types import FrameType

from amber_ladder import logs
from amber_ladder.errors import AmberLadderError
from amber_ladder.launch.data_lock import DataLock
from amber_ladder.launch.postgres import Cluster, free_port, reachable_by_server, wait_for_port
from amber_ladder.launch.reach import Reach
from amber_ladder.launch.user import User, own_user
from amber_ladder.processes import dies_with_parent

log = logging.getLogger(__name__)
_ROOM_TO_START = 100_000_000
_AGAIN_S = 5.0
_DAY_S = 86_400.0
RESTORING = "restoring"
"""A file that lies in a data folder while a backup is brought into it."""
SOURCE = Path(__file__).resolve().parents[3]


class Station:
    """Everything that runs for one data folder. ``start`` returns the address; ``stop`` ends what was started."""

    def __init__(
        self, data: Path, *, port: int = 8080, rail_port: int = 8470, durable: bool = True, reach: Reach | None = None
    ) -> None:
        self.data = reachable_by_server(data)
        self.lock = DataLock(self.data)
        self.cluster = Cluster(self.data / "postgres", durable=durable)
        self._wanted_port, self._wanted_rail_port = port, rail_port
        self._children: dict[str, subprocess.Popen[bytes]] = {}
        # Few arenas: else each thread that ever held a picture keeps its room for good.
        self._environment = {"MALLOC_ARENA_MAX": "2", **os.environ}
        self._reach = reach or Reach()
        self._user: User | None = None
        self.port = 0
        self._rail_port = 0

    @property
    def address(self) -> str:
        """Where the pages are."""
        scheme = "https" if self._reach.certificate else "http"
        shown = f"[{self._reach.listen}]" if ":" in self._reach.listen else self._reach.listen
        return f"{scheme}://{shown}:{self.port}/"

    def open_database(self) -> None:
        """Start PostgreSQL, bring the tables up to date, and point this process at it.

        Raises InUse when another station works with this data.
        """
        self.lock.take()
        if (self.data / RESTORING).exists():
            raise AmberLadderError(
                f"a backup was being restored into {self.data} and did not end: run ./ladder restore again"
            )
        self.cluster.start()
        self._show_database_log()
        self._point_here()
        from amber_ladder.launch.upgrade import upgrade

        upgrade(self.cluster, self.data, _say)
        self._tidy()

    def join_database(self) -> None:
        """Point this process at the database of the station that runs. Raises AmberLadderError when it has none."""
        self.cluster.join()
        self._point_here()

    def _show_database_log(self) -> None:
        # PostgreSQL's user may write into its own folder only.
        link = logs.folder(self.data) / "database"
        link.parent.mkdir(parents=True, exist_ok=True)
        if not link.is_symlink():
            link.symlink_to(os.path.relpath(self.cluster.log, link.parent))

    def _tidy(self) -> None:
        """Nobody but the station looks into its folders; what killed work left half-written is removed."""
        from amber_ladder.store.frame_store import FrameStore
        from amber_ladder.work.upkeep import remove_half_made

        FrameStore(self.data)
        for name in (
            "originals",
            "arriving",
            "products",
            "tiles",
            "developed",
            "packages-in",
            "left-over",
            "before-upgrade",
        ):
            if (self.data / name).is_dir():
                (self.data / name).chmod(0o700)
        left = remove_half_made(self.data)
        if left:
            log.info("%s half-written files or folders of killed work removed", left)

    def run_as(self, user: User) -> None:
        """Let server, worker and rail be this user's processes from now on, and the data its own."""
        self._user = user
        self._environment.update(user.environment(self.data))
        user.own(self.data)

    def load_demo(self, leaving: threading.Event) -> None:
        """Fill an empty cabinet with the demo's; leaving breaks that off, and the next start goes on with it."""
        mark = self.data / "demo-loading"
        if not mark.exists() and not _cabinet_is_empty():
            return  # a station that a person has emptied is not filled anew
        mark.touch()
        loading = self._spawn("amber_ladder.demo")
        while loading.poll() is None:
            if leaving.wait(0.1):
                loading.kill()
                loading.wait()
                return
        if loading.returncode != 0:
            raise AmberLadderError(
                "the demo could not be loaded: see the lines above, and start again to go on with it"
            )
        mark.unlink()

    def _point_here(self) -> None:
        here = {"AMBER_LADDER_DATA": str(self.data), "AMBER_LADDER_DATABASE_URL": self.cluster.url}
        os.environ.update(here)
        self._environment.update(here)

    def start_server(self) -> None:
        """Start the server on a free port and wait until it answers."""
        from amber_ladder.settings import settings

        self._environment.update(self._reach.environment(settings().hosts))
        self.port = free_port(self._wanted_port, self._reach.listen)
        if self.port != self._wanted_port:
            _say(f"Port {self._wanted_port} is taken; using {self.port}.")
        self._start("server")
        here = "127.0.0.1" if self._reach.listen == "0.0.0.0" else self._reach.listen
        if not wait_for_port(self.port, here, seconds=60):
            raise AmberLadderError("the server did not start: see the lines above")
        self.lock.tell(self.address)

    def start_rail(self) -> None:
        """Start the simulated rail on a free port, where server and worker find it."""
        self._rail_port = free_port(self._wanted_rail_port)
        self._environment["AMBER_LADDER_RAIL_PORT"] = os.environ["AMBER_LADDER_RAIL_PORT"] = str(self._rail_port)
        self._start("rail")

    def start_worker(self) -> None:
        """Start the worker."""
        self._start("worker")

    def keep_up(self) -> None:
        """Start again whatever has died. Raises AmberLadderError when the database cannot be started now."""
        if "worker" in self._children or "server" in self._children:
            self.cluster.start()
        for name, child in list(self._children.items()):
            if child.poll() is not None:
                _say(f"The {name} ended (code {child.returncode}); starting it again.")
                self._start(name)

    def pid(self, name: str) -> int:
        """The process number of the server, the worker or the rail."""
        return self._children[name].pid

    def stop(self) -> None:
        """Stop everything, the database last. What another station started is left to it."""
        children = list(self._children.values())
        self._children.clear()
        for child in children:
            child.terminate()
        for child in children:
            try:
                child.wait(timeout=8)
            except subprocess.TimeoutExpired:
                child.kill()
                child.wait()
        if self.lock.held:
            self.cluster.stop()
        self.lock.let_go()

    def _start(self, name: str) -> None:
        command = {
            "server": [
                "uvicorn", "--factory", "amber_ladder.api.app:served", *self._reach.options(), "--port", str(self.port),
                "--log-level", "warning", "--timeout-graceful-shutdown", "1", "--timeout-keep-alive", "30",
            ],
            "worker": ["amber_ladder.jobs"],
            "rail": ["amber_ladder.simulated.rail", str(self._rail_port)],
        }[name]  # fmt: skip
        # A session of its own: Ctrl-C reaches the launcher alone, which then stops all in order.
        self._children[name] = self._spawn(*command, quiet=name == "rail")

    def _spawn(self, *command: str, quiet: bool = False) -> subprocess.Popen[bytes]:
        user = self._user
        return subprocess.Popen(
            [sys.executable, "-m", *command],
            env=self._environment,
            stdout=subprocess.DEVNULL if quiet else None,
            start_new_session=True,
            user=user.uid if user else None,
            group=user.gid if user else None,
            extra_groups=user.groups if user else None,
            preexec_fn=dies_with_parent(signal.SIGTERM),  # noqa: PLW1509 - one system call, no locks
        )


def data_folder() -> Path:
    """The data folder of this machine's station."""
    return Path(os.environ.get("AMBER_LADDER_DATA") or SOURCE / "data")


def _accounts() -> list[str]:
    from amber_ladder.work import people

    return people.names()


def _cabinet_is_empty() -> bool:
    # Asked here, before the demo and all the computation behind it is imported: a later start needs none of that.
    from amber_ladder.store import specimens
    from amber_ladder.store.database import transaction

    with transaction() as session:
        return not specimens.kinds(session)


def serve(*, port: int, demo: bool, reach: Reach) -> int:
    """Start, print the address, keep everything up until Ctrl-C. Raises AmberLadderError."""
    reach.check()
    os.umask(0o077)
    station = Station(data_folder(), port=port, reach=reach)
    logs.begin("launcher", station.data)
    leaving = threading.Event()

    def leave(_signal: int, _frame: FrameType | None) -> None:
        leaving.set()

    signal.signal(signal.SIGINT, leave)
    signal.signal(signal.SIGTERM, leave)
    started = time.monotonic()
    try:
        _open(station, leaving)
        if leaving.is_set():
            return 0
        if reach.beyond_this_machine and not _accounts():
            raise AmberLadderError("nobody could sign in: make an account first, with ./ladder account add NAME")
        user = own_user(SOURCE, _say)
        if user:
            station.run_as(user)
        if demo:
            station.load_demo(leaving)
        if leaving.is_set():
            return 0
        station.start_rail()
        station.start_server()
        station.start_worker()
        _say(f"Amber Ladder is ready at {station.address} (after {time.monotonic() - started:.0f} s)")
        _say("Ctrl-C stops it.")
        if demo:
            from amber_ladder.demo.tarn_hollow import load_rest

            threading.Thread(target=load_rest, args=(leaving,), daemon=True).start()
        stay(station, leaving)
    finally:
        station.stop()
    return 0


def _open(station: Station, leaving: threading.Event) -> None:
    """Start the database; while its disk has no room, wait for some. Raises AmberLadderError for any other trouble."""
    while not leaving.is_set():
        try:
            station.open_database()
        except (AmberLadderError, OSError) as error:
            if shutil.disk_usage(station.data).free > _ROOM_TO_START:
                raise
            _say(f"No room left on the disk of {station.data}: free some; this goes on by itself then. ({error})")
            leaving.wait(_AGAIN_S)
        else:
            return


def stay(station: Station, leaving: threading.Event) -> None:
    """Keep everything up until it is time to leave, through whatever trouble passes."""
    trouble, tidied = "", 0.0
    while not leaving.wait(1.0):
        try:
            station.keep_up()
        except (AmberLadderError, OSError) as error:
            if str(error) != trouble:
                _say(f"{error}. This is tried again until it works.")
            trouble = str(error)
            leaving.wait(_AGAIN_S)
            continue
        if trouble:
            _say("It works again.")
            trouble = ""
        if time.monotonic() - tidied > _DAY_S or not tidied:
            tidied = time.monotonic()
            _remove_discarded()


def _remove_discarded() -> None:
    from amber_ladder.settings import settings
    from amber_ladder.work import deeds, record

    if settings().remove_discarded:
        try:
            record.remove_deliveries()
            removed = deeds.remove_old()
        except AmberLadderError as error:
            log.warning("what was discarded is not removed today: %s", error)
        else:
            log.info("%s discarded things were removed for good", removed)


def _say(words: str) -> None:
    print(words, flush=True)
    log.info("%s", words)
