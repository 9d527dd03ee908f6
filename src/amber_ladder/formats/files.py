"""Writing files all or nothing, and saying plainly when the disk is full."""

import secrets
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath, PureWindowsPath

from amber_ladder.durable import flush
from amber_ladder.errors import BadInput, StorageFull, UnreadablePicture, disk_is_full

LONGEST_NAME = 200


@contextmanager
def full_disk_named(place: Path) -> Iterator[None]:
    """Turn the system's 'no space left' into our own error that says where and what to do."""
    try:
        yield
    except OSError as error:
        if not disk_is_full(error):
            raise
        raise StorageFull(
            f"no room left on the disk that holds {place}: nothing was written. Free some space and try again."
        ) from error


@contextmanager
def folder_in_one_piece(target: Path) -> Iterator[Path]:
    """A scratch folder whose files appear under ``target`` only when all of them are complete.

    Raises:
        BadInput: ``target`` is a file, or its parent folder cannot be made.
        StorageFull: no room.
    """
    if target.is_file():
        raise BadInput(f"{target} is a file: name a folder for the results", field="out")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        scratch = target.parent / f".{target.name}.{secrets.token_hex(6)}"
        scratch.mkdir()
    except OSError as error:
        if disk_is_full(error):
            raise StorageFull(f"no room left on the disk that holds {target}: nothing was written.") from error
        raise BadInput(f"{target} cannot be made here: {error.strerror}", field="out") from error
    try:
        with full_disk_named(target):
            yield scratch
            flush(*(file for file in scratch.iterdir() if file.is_file()))
            if not target.exists():
                flush(scratch)
                scratch.rename(target)
                flush(target.parent)
                return
            for file in sorted(scratch.iterdir()):
                file.replace(target / file.name)
            flush(target)
    finally:
        shutil.rmtree(scratch, ignore_errors=True)


@contextmanager
def file_in_one_piece(target: Path) -> Iterator[Path]:
    """A scratch file that takes the name ``target`` only when it is complete.

    Raises:
        BadInput: ``target`` is a folder, or its parent folder cannot be made.
        StorageFull: no room.
    """
    if target.is_dir():
        raise BadInput(f"{target} is a folder: name a file", field="out")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput(f"{target} cannot be made here: {error.strerror}", field="out") from error
    scratch = target.parent / f".{secrets.token_hex(6)}{target.suffix}"
    try:
        with full_disk_named(target):
            yield scratch
            flush(scratch)
            scratch.replace(target)
            flush(target.parent)
    finally:
        scratch.unlink(missing_ok=True)


def plain_name(name: str) -> str:
    """A file's own name without folders. Raises UnreadablePicture for one that cannot be kept."""
    bare = PureWindowsPath(PurePosixPath(name).name).name.strip()
    if not bare or len(bare) > LONGEST_NAME or any(ord(c) < 32 for c in bare):
        raise UnreadablePicture(name[:60] or "a file", "has a name that cannot be kept: rename it")
    return bare
