"""The watched folder: any tethering program or card reader drops files there, each complete one is handed on once."""

import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import watchfiles

_QUIET_S = 0.5  # a file that has not grown for so long may be complete
_GIVE_UP_S = 10.0  # one that still cannot be read after so long without growing never will be
_LOOK_EVERY_MS = 150
_PICTURES = (".jpg", ".jpeg", ".png", ".tif", ".tiff")


@dataclass(frozen=True, slots=True)
class Arrival:
    """A file of the folder: complete, or given up with a reason."""

    path: Path
    reason: str | None = None


@dataclass(slots=True)
class _Waiting:
    size: int
    touched_s: float


class WatchedFolder:
    """Hands on new complete files in the natural order of their names.

    ``known`` are names that were there before, or were handed on in an earlier life; ``whole`` gives the reason why a
    file cannot be read, None for a whole one. Files of other kinds are left alone. A file that is still growing holds
    back those that come after it by name, so that order is kept even when a card reader writes several at a time.
    """

    def __init__(
        self, folder: Path, *, known: set[str], whole: Callable[[Path], str | None], order: Callable[[str], Any]
    ) -> None:
        self.folder = folder
        self._known = set(known)
        self._whole, self._order = whole, order
        self._waiting: dict[str, _Waiting] = {}

    def arrivals(self, leaving: threading.Event) -> Iterator[Arrival]:
        """Endless until ``leaving`` is set. Raises FileNotFoundError when the folder goes away."""
        changes = watchfiles.watch(
            self.folder,
            watch_filter=None,
            stop_event=leaving,
            rust_timeout=_LOOK_EVERY_MS,
            yield_on_timeout=True,
            debounce=_LOOK_EVERY_MS,
            step=20,
            recursive=False,
            raise_interrupt=False,
        )
        for _ in changes:
            yield from self.ready(time.monotonic())
            if leaving.is_set():
                return

    def ready(self, now_s: float) -> list[Arrival]:
        """What is complete by now and was not handed on yet."""
        present: dict[str, Path] = {}
        for path in self.folder.iterdir():
            name = path.name
            if name in self._known or name.startswith(".") or not name.lower().endswith(_PICTURES):
                continue
            try:
                size = path.stat().st_size
            except FileNotFoundError:
                continue  # renamed or taken away between two looks
            if not path.is_file():
                continue
            present[name] = path
            before = self._waiting.get(name)
            if before is None or before.size != size:
                self._waiting[name] = _Waiting(size, now_s)
        for gone in set(self._waiting) - set(present):
            del self._waiting[gone]
        found: list[Arrival] = []
        for name in sorted(present, key=self._order):
            quiet_s = now_s - self._waiting[name].touched_s
            if quiet_s < _QUIET_S or (self._waiting[name].size == 0 and quiet_s < _GIVE_UP_S):
                break
            reason = self._whole(present[name])
            if reason is not None and quiet_s < _GIVE_UP_S:
                break
            self._known.add(name)
            del self._waiting[name]
            found.append(Arrival(present[name], reason))
        return found
