"""Frames as they are merged: developed where that is set, or where they are camera raw; kept until room is needed."""

import json
import os
import secrets
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from hashlib import sha256
from pathlib import Path
from typing import Any

from amber_ladder.core.frames import Progress
from amber_ladder.formats.development_json import DevelopmentJson
from amber_ladder.formats.pictures import PictureInfo, StoredFrames
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Frame
from amber_ladder.work.on_disk.developing_alike import OneFrame, developer_for

_THREADS = 2
_MOST_BYTES = 20_000_000_000
_DEVELOPED_AS = 1
"""Goes up when the same settings give another picture."""


def one_frame(store: FrameStore, frame: Frame) -> OneFrame:
    """A frame with its original. Raises NotFound when that is gone."""
    path = store.original(frame.sha256, frame.suffix)
    return OneFrame(frame.name, path, frame.sha256, frame.width_px, frame.height_px, frame.bits)


class DevelopedFrames(Mapping[str, Path]):
    """Frames by name as they are merged, in 16 bits: each is developed when it is asked for and not kept already.

    Raises BadInput, UnreadablePicture for settings and frames that cannot be used; StorageFull.
    """

    def __init__(self, store: FrameStore, frames: Sequence[OneFrame], development: dict[str, Any] | None) -> None:
        self._developer = developer_for(frames, development)
        asked = development or DevelopmentJson().model_dump(mode="json")
        settings = [_DEVELOPED_AS, asked, self._developer.multipliers]
        self._folder = store.developed_folder()
        self._frames = {frame.name: (frame, self._target(frame, settings)) for frame in frames}

    def _target(self, frame: OneFrame, settings: list[Any]) -> Path:
        return self._folder / f"{sha256(json.dumps([frame.sha256, *settings]).encode()).hexdigest()}.tif"

    def __iter__(self) -> Iterator[str]:
        return iter(self._frames)

    def __len__(self) -> int:
        return len(self._frames)

    def __getitem__(self, name: str) -> Path:
        frame, target = self._frames[name]
        if target.exists():
            os.utime(target)  # what was used last is kept longest
            return target
        scratch = self._folder / f".{secrets.token_hex(8)}.tif"
        try:
            self._developer.write(frame.undeveloped(), scratch)
            scratch.replace(target)
        finally:
            scratch.unlink(missing_ok=True)
        return target

    def prune(self) -> None:
        """Remove what was used longest ago, beyond the room that developed frames may take; these stay."""
        _prune(self._folder, {target for _, target in self._frames.values()})


def developed(
    store: FrameStore, frames: Sequence[OneFrame], development: dict[str, Any] | None, progress: Progress
) -> StoredFrames:
    """These frames developed, in 16 bits. Raises BadInput, UnreadablePicture, StorageFull."""
    made = DevelopedFrames(store, frames, development)
    names = [frame.name for frame in frames]
    paths = []
    progress("develop", 0, len(frames))
    with ThreadPoolExecutor(max_workers=_THREADS) as pool:
        for path in pool.map(made.__getitem__, names):
            paths.append(path)
            progress("develop", len(paths), len(frames))
    made.prune()
    first = frames[0]
    info = PictureInfo("TIFF", first.width_px, first.height_px, 16, None)
    return StoredFrames(paths, names, info)


def _prune(folder: Path, used: set[Path]) -> None:
    """Remove what was used longest ago, beyond the room that developed frames may take."""
    found = sorted(
        ((path.stat(), path) for path in folder.glob("*.tif")), key=lambda one: one[0].st_mtime, reverse=True
    )
    room = _MOST_BYTES
    for stat, path in found:
        room -= stat.st_size
        if room < 0 and path not in used:
            path.unlink(missing_ok=True)
