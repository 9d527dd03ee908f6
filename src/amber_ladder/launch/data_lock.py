"""One station for one data folder: a second would shoot the same rungs again, and stop the first's database."""

import fcntl
import json
import os
from datetime import datetime
from pathlib import Path
from typing import IO

from amber_ladder.errors import AmberLadderError


class InUse(AmberLadderError):
    """Another station works with this data."""


class DataLock:
    """Held while this process lives; the system lets go of it when the process ends, however it ends."""

    def __init__(self, data: Path) -> None:
        self._path = data / "station.lock"
        self._file: IO[str] | None = None

    @property
    def held(self) -> bool:
        """Whether this process holds it."""
        return self._file is not None

    def take(self) -> None:
        """Take it; taken already, it stays. Raises InUse, which names who holds it."""
        if self.held:
            return
        file = self._path.open("a+")
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            file.close()
            raise InUse(
                f"another station works with {self._path.parent}{self._holder()}: stop that one first, or give this "
                "one a data folder of its own (AMBER_LADDER_DATA)"
            ) from error
        self._file = file
        self.tell(None)

    def tell(self, address: str | None) -> None:
        """Write down who holds it, for whoever comes second."""
        assert self._file is not None, "taken first"
        self._file.truncate(0)
        since = datetime.now().astimezone().isoformat(timespec="seconds")
        json.dump({"process": os.getpid(), "since": since, "address": address}, self._file)
        self._file.flush()

    def let_go(self) -> None:
        """Let go of it, if it is held."""
        if self._file is not None:
            self._file.close()
            self._file = None

    def _holder(self) -> str:
        try:
            told = json.loads(self._path.read_text())
            address = f", at {told['address']}" if told["address"] else ""
            return f" (process {told['process']}, since {told['since']}{address})"
        except (OSError, ValueError, KeyError):
            return ""
