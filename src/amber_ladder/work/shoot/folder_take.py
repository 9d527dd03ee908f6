"""What takes from the watched folder share: opening the folder, keeping what arrives, a stand-in that shoots."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import FrameFault
from amber_ladder.core.sorting import Form, Shot, why_unlike
from amber_ladder.devices.protocols import Exposure
from amber_ladder.devices.watched_folder import WatchedFolder
from amber_ladder.errors import BadInput
from amber_ladder.formats.apart import examine_apart
from amber_ladder.formats.pictures import SUFFIXES, natural_key, read_picture
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Take
from amber_ladder.work.shoot.allowed import check_folder
from amber_ladder.work.shoot.folder_camera import why_unreadable
from amber_ladder.work.shoot.incoming import keep_frame

_SMALL_PX = 640


def watched(take: Take) -> WatchedFolder:
    """The folder of a take, without what lay there before or belongs to it already. Raises BadInput when it is gone."""
    run: dict[str, Any] = dict(take.run or {})
    folder = Path(run["folder"])
    check_folder(folder)
    if not folder.is_dir():
        raise BadInput(f"the folder {folder} is gone: make it again", field="folder")
    known = {*run["there"], *(frame.name for frame in take.frames)}
    return WatchedFolder(folder, known=known, whole=why_unreadable, order=natural_key)


def shot_of(path: Path, usual: Form | None) -> Shot:
    """A file of the folder as a frame; left out, with the reason, where it cannot be merged with those before it."""
    info = examine_apart(path)
    shot = Shot(path.name, info.width_px, info.height_px, info.bits)
    return replace(shot, left_out=why_unlike(shot, usual))


def keep_file(store: FrameStore, take_id: int, path: Path, shot: Shot, faults: tuple[FrameFault, ...] = ()) -> int:
    """Copy a file of the folder into the store, as a frame of a take; returns the frame's number, 0 if it has it."""
    info = examine_apart(path)
    with path.open("rb") as file:
        received = store.receive(iter(lambda: file.read(1 << 20), b""))
    try:
        return keep_frame(
            store, take_id, received, shot,
            suffix=SUFFIXES[info.format], captured_at=info.captured_at, faults=faults,
        )  # fmt: skip
    finally:
        store.drop(received)


def shown(path: Path) -> NDArray[np.uint8]:
    """A frame's picture in 8 bits (H, W, 3)."""
    picture = read_picture(path)
    return np.asarray(picture if picture.dtype == np.uint8 else picture >> 8, np.uint8)


def small(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The same, no wider than a growing picture needs."""
    factor = max(picture.shape[1] / _SMALL_PX, 1.0)
    size = (round(picture.shape[1] / factor), round(picture.shape[0] / factor))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)


class StandIn:
    """Writes what a simulated camera exposes into the folder, as a tethered one would, under names that count up.

    ``written`` counts its files, lost ones too.
    """

    def __init__(self, folder: Path, stem: str) -> None:
        self._folder, self._stem, self.written = folder, stem, 0
        # A name that is in the folder belongs to another take.
        there = folder.glob(f"{stem}_[0-9][0-9][0-9][0-9][0-9].*")
        self._last = max((int(path.stem.rsplit("_", 1)[1]) for path in there), default=0)

    def write(self, exposure: Exposure) -> None:
        """One more file."""
        self.lose()
        name = f"{self._stem}_{self._last:05d}"
        scratch = self._folder / f".{name}"
        scratch.write_bytes(exposure.content)
        scratch.rename(self._folder / f"{name}{exposure.suffix}")

    def lose(self) -> None:
        """Count a file that never arrives."""
        self._last += 1
        self.written += 1
