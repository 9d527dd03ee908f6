"""Frames as they are merged: developed where that is set, or where they are camera raw; kept until room is needed."""

import json
import os
import secrets
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from typing import Any

from amber_ladder.core.developing import Development
from amber_ladder.core.frames import Progress
from amber_ladder.formats.development_json import DevelopmentJson
from amber_ladder.formats.pictures import RAW_NAMES, PictureInfo, StoredFrames
from amber_ladder.formats.raw import read_raw_info
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Frame
from amber_ladder.work.on_disk.developing import Developer, Undeveloped

_THREADS = 2
_MOST_BYTES = 20_000_000_000
_AS_IT_LIES = 1  # what is merged lies as on the sensor: a camera that looks straight down notes any orientation
_DEVELOPED_AS = 1
"""Goes up when the same settings give another picture."""


@dataclass(frozen=True, slots=True)
class OneFrame:
    """An original, as the database knows it."""

    name: str
    path: Path
    sha256: str
    width_px: int
    height_px: int
    bits: int

    def undeveloped(self) -> Undeveloped:
        """As development takes it. Raises UnreadablePicture for raw that is none."""
        raw = self.path.suffix in RAW_NAMES
        size = (self.width_px, self.height_px)
        if raw:
            told = read_raw_info(self.path)
            size = (told.width_px, told.height_px)
        return Undeveloped(self.name, self.path, raw, *size, 16 if raw else self.bits, _AS_IT_LIES)


def one_frame(store: FrameStore, frame: Frame) -> OneFrame:
    """A frame with its original. Raises NotFound when that is gone."""
    path = store.original(frame.sha256, frame.suffix)
    return OneFrame(frame.name, path, frame.sha256, frame.width_px, frame.height_px, frame.bits)


def needs_development(paths: Sequence[Path], development: dict[str, Any] | None) -> bool:
    """Whether frames cannot be merged as they are."""
    return development is not None or any(path.suffix in RAW_NAMES for path in paths)


def developer_for(frames: Sequence[OneFrame], development: dict[str, Any] | None) -> Developer:
    """What develops these frames as a take keeps it: DEVELOPMENT.json with the ``multipliers`` that it came to.

    Raises BadInput, UnreadablePicture.
    """
    told = [frame.undeveloped() for frame in frames]
    if development is None:
        return Developer(told, Development(), "as_shot", orientation=_AS_IT_LIES)
    asked = {name: value for name, value in development.items() if name != "multipliers"}
    red, green, blue = development["multipliers"]
    settings = DevelopmentJson.model_validate(asked).to_core()
    return Developer(told, settings, (red, green, blue), orientation=_AS_IT_LIES)


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
