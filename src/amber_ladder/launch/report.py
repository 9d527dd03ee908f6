"""``./ladder report``: what somebody needs who is asked for help, in one file, without pictures and names."""

import json
import os
import platform
import re
import shutil
import socket
import subprocess
import sys
from collections import Counter
from collections.abc import Iterable, Iterator
from datetime import datetime
from importlib.metadata import distributions
from pathlib import Path

from amber_ladder import __version__, logs
from amber_ladder.errors import AmberLadderError
from amber_ladder.launch.serve import data_folder
from amber_ladder.launch.visiting import visiting

_LINES = 400
_FILE = re.compile(r"[^\s/'\"|]+\.(jpe?g|png|tiff?|json|csv)\b", re.IGNORECASE)


def report(file: Path) -> int:
    """Write the report. What cannot be found out is said in it. Raises AmberLadderError when it cannot be written."""
    parts = [("made", _made()), ("versions", _versions()), ("settings", _settings()), ("room", _room())]
    names: list[str] = [str(Path.home()), socket.gethostname()]
    try:
        with visiting() as station:
            from amber_ladder.store.names import all_names
            from amber_ladder.work.upkeep import examine

            names += all_names()
            found = examine(mend=False, alone=station.lock.held, progress=lambda *_: None)
            counted = Counter(one.kind for one in found)
            parts.append(("doctor", [f"{kind}: {count}" for kind, count in counted.items()] or ["all is sound"]))
    except AmberLadderError as error:
        parts.append(("doctor", [f"could not look: {error}"]))
    place = logs.folder(data_folder())
    written = sorted([*place.glob("*.log"), *place.glob("database/*.log")])
    parts += [(str(path.relative_to(place)), _last_lines(path)) for path in written]
    text = "\n".join(line for title, lines in parts for line in (f"== {title}", *lines, ""))
    try:
        file.write_text(_without(text, names))
    except OSError as error:
        raise AmberLadderError(f"{file} cannot be written: {error.strerror}. Name another file.") from error
    print(f"Written: {file}. Read it before you send it: it should hold no names and no pictures.")
    return 0


def _made() -> Iterable[str]:
    return [datetime.now().astimezone().isoformat(timespec="seconds")]


def _versions() -> Iterator[str]:
    yield f"Amber Ladder {__version__}"
    yield f"Python {sys.version.split()[0]}, {platform.platform()}, {os.cpu_count()} processors"
    for place in sorted(Path("/usr/lib/postgresql").glob("*/bin/postgres")):
        yield subprocess.run([place, "--version"], capture_output=True, text=True, check=False).stdout.strip()
    for one in sorted(distributions(), key=lambda one: one.name.lower()):
        yield f"{one.name} {one.version}"


def _settings() -> Iterator[str]:
    for name, value in sorted(os.environ.items()):
        if name.startswith("AMBER_LADDER_") and name != "AMBER_LADDER_DATABASE_URL":
            yield f"{name}={value if name == 'AMBER_LADDER_DATA' else _shape(value)}"


def _shape(value: str) -> str:
    """A setting without what it names: lists as their length."""
    try:
        read = json.loads(value)
    except ValueError:
        return "set"
    return f"{len(read)} entries" if isinstance(read, list) else str(read)


def _room() -> Iterable[str]:
    data = data_folder()
    if not data.exists():
        return ["no data yet"]
    disk = shutil.disk_usage(data)
    sizes = [f"{one.name}: {_bytes(one) / 1e6:.0f} MB" for one in sorted(data.iterdir()) if one.is_dir()]
    return [f"{disk.free / 1e9:.1f} of {disk.total / 1e9:.1f} GB free", *sizes]


def _bytes(folder: Path) -> int:
    total = 0
    for place, _, files in os.walk(folder, onerror=None):
        for name in files:
            try:
                total += (Path(place) / name).lstat().st_size
            except OSError:
                continue
    return total


def _last_lines(path: Path) -> list[str]:
    try:
        return path.read_text(errors="replace").splitlines()[-_LINES:]
    except OSError as error:
        return [f"cannot be read: {error.strerror}"]


def _without(text: str, names: Iterable[str]) -> str:
    for name in sorted({one for one in names if len(one) > 2}, key=len, reverse=True):
        text = text.replace(name, "…")
    return _FILE.sub(lambda match: f"….{match[1]}", text)
