"""Any original as it is looked at, camera raw too."""

from pathlib import Path
from typing import Any

from numpy.typing import NDArray

from amber_ladder.formats.pictures import RAW_NAMES, read_picture
from amber_ladder.formats.tiles import small_jpeg, small_jpeg_of


def read_shown(path: Path) -> NDArray[Any]:
    """RGB (H, W, 3) in 8 or 16 bits, as it lies in the file; raw with its white balance as shot.

    Raises UnreadablePicture.
    """
    return _raw(path, half_size=False) if path.suffix in RAW_NAMES else read_picture(path)


def small_shown(path: Path, height_px: int) -> bytes:
    """A small JPEG of it. Raises UnreadablePicture."""
    if path.suffix in RAW_NAMES:
        return small_jpeg_of(_raw(path, half_size=True), height_px)
    return small_jpeg(path, height_px)


def _raw(path: Path, *, half_size: bool) -> NDArray[Any]:
    # Here: most stations see no raw, and need not load what it takes.
    from amber_ladder.formats.raw import shown_raw

    return shown_raw(path, half_size=half_size)
