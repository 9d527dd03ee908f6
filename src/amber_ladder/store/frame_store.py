"""Originals, kept untouched under their checksum; and the folders of results beside them."""

import hashlib
import os
import secrets
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from amber_ladder.durable import flush
from amber_ladder.errors import NotFound, StorageFull, disk_is_full


@dataclass(frozen=True, slots=True)
class Received:
    """A file that has arrived but does not belong to anything yet."""

    path: Path
    sha256: str
    bytes: int


class FrameStore:
    """Content-addressed files under one data folder. Writing is all or nothing; a stored file never changes."""

    def __init__(self, data: Path) -> None:
        self._originals = data / "originals"
        self._arriving = data / "arriving"
        self._products = data / "products"
        self._tiles = data / "tiles"
        self._developed = data / "developed"
        for folder in (self._originals, self._arriving, self._products, self._tiles, self._developed):
            folder.mkdir(parents=True, exist_ok=True)

    def receive(self, chunks: Iterable[bytes]) -> Received:
        """Write what arrives into a scratch file, hashing on the way. Raises StorageFull."""
        path = self._arriving / secrets.token_hex(16)
        digest, size = hashlib.sha256(), 0
        try:
            with path.open("wb") as file:
                for chunk in chunks:
                    digest.update(chunk)
                    size += len(chunk)
                    file.write(chunk)
                file.flush()
                os.fsync(file.fileno())
        except OSError as error:
            path.unlink(missing_ok=True)
            if disk_is_full(error):
                raise StorageFull(
                    "no room left on the disk: the file was not stored. Free some space and add it again."
                ) from error
            raise
        except BaseException:
            path.unlink(missing_ok=True)
            raise
        return Received(path, digest.hexdigest(), size)

    def adopt(self, received: Received, suffix: str) -> Path:
        """Move a received file to its place, durably; the same content is kept once.

        What lies there already is looked at first: a damaged original is replaced by the good one that has just come.
        """
        target = self.place(received.sha256, suffix)
        if target.exists() and sha256_of(target) == received.sha256:
            received.path.unlink(missing_ok=True)
            return target
        target.parent.mkdir(parents=True, exist_ok=True)
        received.path.chmod(received.path.stat().st_mode & 0o444)
        received.path.replace(target)
        flush(target.parent, target.parent.parent)
        return target

    def drop(self, received: Received) -> None:
        """Forget a received file."""
        received.path.unlink(missing_ok=True)

    def original(self, sha256: str, suffix: str) -> Path:
        """Where an original lies. Raises NotFound when it is gone from the disk."""
        path = self.place(sha256, suffix)
        if not path.is_file():
            raise NotFound(f"the original {sha256[:12]}… is missing from the data folder: restore it from a copy")
        return path

    def place(self, sha256: str, suffix: str) -> Path:
        """Where an original belongs, be it there or not."""
        return self._originals / sha256[:2] / f"{sha256}{suffix}"

    def remove(self, sha256: str, suffix: str) -> None:
        """Remove an original that nothing uses any more."""
        self.place(sha256, suffix).unlink(missing_ok=True)

    def product_folder(self, product_id: int) -> Path:
        """Where the files of a merge, or of what else a stage made, belong."""
        return self._products / f"{product_id:06d}"

    def developed_folder(self) -> Path:
        """Where developed frames are kept by what they were made of; they can be made again at any time."""
        return self._developed

    def tiles_folder(self, key: str) -> Path:
        """Where a picture's tiles belong; they can be made again at any time."""
        return self._tiles / key


def sha256_of(path: Path) -> str | None:
    """The checksum of a file; None for one that is missing or cannot be read: it is as good as none."""
    try:
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except OSError:
        return None
