"""Whose processes server and worker are: not root's, where another user can run them."""

import grp
import os
import pwd
import subprocess
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

_NAME = "amber-ladder"
_GROUPS = ("dialout", "plugdev", "video")  # those who may open serial devices, cards and cameras on Debian
_OURS = (
    "originals",
    "products",
    "tiles",
    "developed",
    "arriving",
    "packages-in",
    "logs",
    "left-over",
    "incoming",
    "cache",
    "last-backup.json",
)


@dataclass(frozen=True, slots=True)
class User:
    """A user without a password or a home, for the station's own processes."""

    uid: int
    gid: int
    groups: tuple[int, ...]

    def environment(self, data: Path) -> dict[str, str]:
        """Where its processes keep what they compile: it may not write beside the program."""
        cache = data / "cache"
        return {
            "HOME": str(cache),
            "PYTHONPYCACHEPREFIX": str(cache / "python"),
            "NUMBA_CACHE_DIR": str(cache / "numba"),
        }

    def own(self, data: Path) -> None:
        """Let the data belong to it; PostgreSQL's part stays PostgreSQL's."""
        (data / "cache").mkdir(exist_ok=True)
        os.chown(data, self.uid, self.gid)
        for path in data.iterdir():
            if path.name != "postgres" and path.stat().st_uid != self.uid:
                subprocess.run(["chown", "-h", "-R", f"{self.uid}:{self.gid}", "--", path], check=True)


def own_user(source: Path, say: Callable[[str], None]) -> User | None:
    """The user for a station that root starts, made when missing; None where there is no need, or no way."""
    if os.geteuid() != 0:
        return None
    try:
        entry = pwd.getpwnam(_NAME)
    except KeyError:
        command = ["useradd", "--system", "--no-create-home", "--home-dir", "/nonexistent", "--shell",
                   "/usr/sbin/nologin", "--user-group", _NAME]  # fmt: skip
        try:
            subprocess.run(command, check=True, capture_output=True)
            entry = pwd.getpwnam(_NAME)
        except (OSError, subprocess.CalledProcessError, KeyError):
            say("Server and worker run as root: no user could be made for them (docs/station.md).")
            return None
    user = User(entry.pw_uid, entry.pw_gid, tuple(_groups()))
    if not _can_run(user, source):
        say(f"Server and worker run as root: the user {_NAME} cannot read {source} (docs/station.md).")
        return None
    return user


def give_back(data: Path) -> None:
    """What root has written into data that belong to somebody else becomes theirs."""
    owner = data.stat()
    if os.geteuid() != 0 or owner.st_uid == 0:
        return
    there = [data / name for name in _OURS if (data / name).exists()]
    subprocess.run(["chown", "-h", "-R", "--from=0", f"{owner.st_uid}:{owner.st_gid}", "--", *there], check=True)


def _groups() -> list[int]:
    found = []
    for name in _GROUPS:
        try:
            found.append(grp.getgrnam(name).gr_gid)
        except KeyError:
            continue
    return found


def _can_run(user: User, source: Path) -> bool:
    script = "import sys, fastapi, numpy, amber_ladder.settings; open(sys.argv[1])"
    pages = os.environ.get("AMBER_LADDER_PAGES") or source / "web" / "dist"
    try:
        tried = subprocess.run(
            [sys.executable, "-c", script, str(Path(pages) / "index.html")], user=user.uid, group=user.gid,
            extra_groups=user.groups, env={"PYTHONPATH": os.environ.get("PYTHONPATH") or str(source / "src"),
                                           "PYTHONDONTWRITEBYTECODE": "1"},
            cwd="/", capture_output=True, check=False,
        )  # fmt: skip
    except PermissionError:
        return False
    return tried.returncode == 0
