"""``./ladder backup`` and ``restore``: database and files together, as they were at one moment."""

import hashlib
import json
import os
import shutil
import sys
import time
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from amber_ladder import __version__
from amber_ladder.durable import flush
from amber_ladder.errors import AmberLadderError, StorageFull, disk_is_full
from amber_ladder.launch.serve import RESTORING, Station, data_folder
from amber_ladder.launch.visiting import visiting
from amber_ladder.store.frame_store import sha256_of

_DUMP, _CONTENTS = "database.dump", "contents.json"
_CHUNK = 1 << 20
_KEPT = 30
"""So many dumps of the database are kept; files are kept once, however many dumps name them."""


@dataclass
class _Copied:
    """What a backup or a restore has done so far."""

    files: int = 0
    bytes: int = 0
    trouble: tuple[str, ...] = ()


def back_up(folder: Path) -> int:
    """Copy the database and all files that it names into a folder, while the station may go on working.

    Files that the folder has already are not copied again. What is damaged here is named, and not copied over a sound
    copy. Returns 0, or 1 where something was missing or damaged. Raises AmberLadderError.
    """
    folder = folder.resolve()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise AmberLadderError(f"{folder} cannot be made: {error.strerror}. Name another folder.") from error
    with visiting(writes=True) as station:
        if folder.is_relative_to(station.data) or station.data.is_relative_to(folder):
            raise AmberLadderError("a backup inside the data it is of would be lost with it: name another place")
        try:
            copied = _back_up(station, folder)
        except OSError as error:
            raise _storage_trouble(error, folder) from error
        from amber_ladder.work.upkeep import note_backup

        note_backup(str(folder))
    print(f"Backed up: {copied.files} new files, {copied.bytes / 1e6:.1f} MB, and the database, in {folder}")
    for one in copied.trouble:
        print(f"not in the backup: {one}", file=sys.stderr)
    return 1 if copied.trouble else 0


def restore(folder: Path, made: str | None = None) -> int:
    """Bring a backup into the data folder, which must be empty; the latest one, or that ``made`` at a moment.

    Every file is checked against its checksum on the way. A restore that was cut off is begun anew by the next one.
    Raises AmberLadderError.
    """
    folder, data = folder.resolve(), data_folder()
    part = _chosen(folder, made)
    contents = json.loads((part / _CONTENTS).read_text())
    if sha256_of(part / _DUMP) != contents["database_sha256"]:
        raise AmberLadderError(f"{part / _DUMP} is damaged: choose an earlier one with --made ({_all(folder)})")
    mark = data / RESTORING
    if data.exists() and any(data.iterdir()) and not mark.exists():
        raise AmberLadderError(f"{data} is not empty: a backup is restored into an empty folder (AMBER_LADDER_DATA)")
    station = Station(data)
    station.lock.take()
    try:
        mark = station.data / RESTORING
        mark.touch()
        station.cluster.stop()
        for left in station.data.iterdir():
            if left.name not in (RESTORING, "station.lock"):
                shutil.rmtree(left) if left.is_dir() else left.unlink()
        station.cluster.folder.mkdir()
        station.cluster.start()
        station.cluster.program("pg_restore", "--no-owner", "--no-comments", "--exit-on-error", "--single-transaction",
                                str(part / _DUMP))  # fmt: skip
        copied = _bring_back(folder, station.data, contents)
        if copied.trouble:
            raise AmberLadderError(
                f"{len(copied.trouble)} files of the backup are damaged or missing, so nothing was restored: "
                f"{'; '.join(copied.trouble[:5])}. Choose an earlier one with --made ({_all(folder)})"
            )
        mark.unlink()
    except OSError as error:
        raise _storage_trouble(error, data) from error
    finally:
        station.stop()
    print(f"Restored {copied.files} files and the database as of {contents['made_at']} into {data}")
    return 0


def _back_up(station: Station, folder: Path) -> _Copied:
    from amber_ladder.store.holdings import snapshot

    stamp = time.strftime("%Y-%m-%dT%H-%M-%S")
    part = folder / "databases" / f".{stamp}.part"
    part.mkdir(parents=True)
    try:
        # The dump and the list of files are of one and the same moment.
        with snapshot() as (name, holdings):
            station.cluster.program("pg_dump", "--format=custom", f"--snapshot={name}", "-f", str(part / _DUMP))
        copied = _Copied()
        for one in holdings.originals:
            words = f"the original of {one.name} ({one.owner})"
            source, target = station.data / "originals" / one.place, folder / "originals" / one.place
            _copy(copied, source, target, words, sha256=one.sha256)
        products: dict[str, dict[str, str]] = {}
        for product in holdings.products:
            own = products[f"{product.id:06d}"] = {}
            for file in product.files:
                place = Path(f"{product.id:06d}") / file
                source, target = station.data / "products" / place, folder / "products" / place
                _copy(copied, source, target, f"{file} of {product.owner}")
                if target.is_file():
                    own[file] = sha256_of(target) or ""
        contents = {
            "made_with": f"Amber Ladder {__version__}",
            "made_at": datetime.now().astimezone().isoformat(timespec="seconds"),
            "database_sha256": sha256_of(part / _DUMP),
            "originals": [str(one.place) for one in holdings.originals if (folder / "originals" / one.place).is_file()],
            "products": products,
        }
        (part / _CONTENTS).write_text(json.dumps(contents))
        flush(part / _DUMP, part / _CONTENTS, part)
        part.rename(folder / "databases" / stamp)
        flush(folder / "databases")
    finally:
        shutil.rmtree(part, ignore_errors=True)
    for old in _finished(folder)[:-_KEPT]:
        shutil.rmtree(old)
    return copied


def _bring_back(folder: Path, data: Path, contents: dict[str, Any]) -> _Copied:
    copied = _Copied()
    for name in contents["originals"]:
        place = Path(name)
        _copy(copied, folder / "originals" / place, data / "originals" / place, name, sha256=place.stem)
    for product, files in contents["products"].items():
        for file, sha256 in files.items():
            place = Path(product) / file
            _copy(copied, folder / "products" / place, data / "products" / place, str(place), sha256=sha256)
    return copied


def _copy(copied: _Copied, source: Path, target: Path, words: str, *, sha256: str | None = None) -> None:
    """Copy a file that is not there yet, whole or not at all; what does not match its checksum is not copied."""
    try:
        size = source.stat().st_size
    except OSError:
        copied.trouble += () if target.is_file() else (f"{words} is missing",)
        return
    if target.is_file() and target.stat().st_size == size:
        return
    target.parent.mkdir(parents=True, exist_ok=True)
    scratch = target.with_name(f".{target.name}.part")
    digest = hashlib.sha256()
    try:
        with source.open("rb") as read, scratch.open("wb") as write:
            while chunk := read.read(_CHUNK):
                digest.update(chunk)
                write.write(chunk)
            write.flush()
            os.fsync(write.fileno())
        if sha256 is not None and digest.hexdigest() != sha256:
            copied.trouble += (f"{words} is damaged",)
            return
        shutil.copystat(source, scratch)
        scratch.replace(target)
        flush(target.parent)
    finally:
        scratch.unlink(missing_ok=True)
    copied.files += 1
    copied.bytes += size


def _chosen(folder: Path, made: str | None) -> Path:
    found = _finished(folder)
    if not found:
        raise AmberLadderError(f"{folder} holds no backup: name the folder that was given to ./ladder backup")
    if made is None:
        return found[-1]
    for part in found:
        if part.name == made:
            return part
    raise AmberLadderError(f"no backup of {made} is in {folder}: there are {_all(folder)}")


def _finished(folder: Path) -> list[Path]:
    return sorted(file.parent for file in (folder / "databases").glob(f"[0-9]*/{_CONTENTS}"))


def _all(folder: Path) -> str:
    return ", ".join(part.name for part in _finished(folder)[-6:])


def _storage_trouble(error: OSError, folder: Path) -> AmberLadderError:
    if disk_is_full(error):
        return StorageFull(f"no room left on the disk of {folder}: free some and run it again. What was copied stays.")
    return AmberLadderError(f"{error.filename or folder}: {error.strerror}. Mend that and run it again.")
