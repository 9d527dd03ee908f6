"""Originals and results where workers on several machines find them: a folder, or S3-compatible object storage."""

import hashlib
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path

import obstore
from obstore.exceptions import BaseError
from obstore.store import LocalStore, S3Store

from amber_ladder.errors import BadInput, NotFound, SharedStoreAway

_CHUNK_BYTES = 4_000_000
_PATIENCE = timedelta(seconds=20)


class SharedStore:
    """Files by their place in a folder (``file:///…``) or bucket (``s3://bucket/…``).

    What is written is there whole or not at all. Every method raises SharedStoreAway when the store does not answer.
    """

    def __init__(self, url: str) -> None:
        """Raises BadInput for an address that cannot be used."""
        try:
            self._store: S3Store | LocalStore
            if url.startswith("s3://"):
                self._store = S3Store.from_url(url, retry_config={"max_retries": 3, "retry_timeout": _PATIENCE})
            elif url.startswith("file:///"):
                self._store = LocalStore.from_url(url)
            else:
                raise BadInput(f"the shared store is file:///… or s3://bucket/…, not {url}", field="shared")
        except (BaseError, OSError, ValueError) as error:
            raise BadInput(f"the shared store {url} cannot be used: {_first_line(error)}", field="shared") from error

    def has(self, place: str) -> bool:
        """Whether something lies there."""
        try:
            with _answering():
                obstore.head(self._store, place)
        except NotFound:
            return False
        return True

    def put(self, place: str, path: Path) -> None:
        """Bring a file."""
        with _answering():
            obstore.put(self._store, place, path)

    def fetch(self, place: str, target: Path, sha256: str) -> None:
        """Fetch what lies there into ``target``, whole. Raises NotFound, also for what has another checksum.

        What has another checksum is removed from the store: whoever has it whole brings it again.
        """
        target.parent.mkdir(parents=True, exist_ok=True)
        scratch = target.with_name(f".{target.name[:60]}.{secrets.token_hex(6)}")
        digest = hashlib.sha256()
        try:
            with scratch.open("wb") as file, _answering():
                for chunk in obstore.get(self._store, place).stream(min_chunk_size=_CHUNK_BYTES):
                    digest.update(chunk)
                    file.write(chunk)
            if digest.hexdigest() != sha256:
                self.remove(place)
                raise NotFound(f"{place} came damaged out of the shared store: it is brought again")
            scratch.replace(target)
        finally:
            scratch.unlink(missing_ok=True)

    def remove(self, place: str) -> None:
        """Remove what lies there, if anything does."""
        try:
            with _answering():
                obstore.delete(self._store, place)
        except NotFound:
            pass


def original_place(sha256: str, suffix: str) -> str:
    """Where an original lies in a shared store."""
    return f"originals/{sha256[:2]}/{sha256}{suffix}"


@contextmanager
def _answering() -> Iterator[None]:
    try:
        yield
    except FileNotFoundError as error:
        raise NotFound("nothing of that name lies in the shared store") from error
    except BaseError as error:
        raise SharedStoreAway(f"the shared store does not answer: {_first_line(error)}") from error


def _first_line(error: Exception) -> str:
    return str(error).strip().splitlines()[0][:300]
