"""Any original as it is looked at, camera raw too."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.formats.pictures import RAW_NAMES, Shrunk, read_picture, read_shrunk
from amber_ladder.formats.tiles import small_jpeg, small_jpeg_of


def read_shown(path: Path) -> NDArray[Any]:
    """RGB (H, W, 3) in 8 or 16 bits, as it lies in the file; raw with its white balance as shot.

    Raises UnreadablePicture.
    """
    return _raw(path, half_size=False) if path.suffix in RAW_NAMES else read_picture(path)


def read_shown_shrunk(path: Path, shrunk_by: Callable[[int, int], int]) -> Shrunk:
    """The same, as small as ``shrunk_by`` (its width and height) asks for, in 8 bits. Raises UnreadablePicture."""
    if path.suffix.lower() not in RAW_NAMES:
        return read_shrunk(path, shrunk_by)
    from amber_ladder.formats.raw import read_raw_info

    told, shown = read_raw_info(path), _raw(path, half_size=True)
    factor = max(shrunk_by(told.width_px, told.height_px), 2)
    if factor > 2:
        size = (2 * shown.shape[1] // factor, 2 * shown.shape[0] // factor)
        shown = np.asarray(cv2.resize(shown, size, interpolation=cv2.INTER_AREA), np.uint8)
    return Shrunk(shown, factor, told.width_px, told.height_px, 16)


def small_shown(path: Path, height_px: int) -> bytes:
    """A small JPEG of it. Raises UnreadablePicture."""
    if path.suffix in RAW_NAMES:
        return small_jpeg_of(_raw(path, half_size=True), height_px)
    return small_jpeg(path, height_px)


def _raw(path: Path, *, half_size: bool) -> NDArray[Any]:
    # Here: most stations see no raw, and need not load what it takes.
    from amber_ladder.formats.raw import shown_raw

    return shown_raw(path, half_size=half_size)
