"""Deep-zoom tiles and small previews of pictures, so that a page never loads a whole one."""

import errno
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pyvips
from numpy.typing import NDArray

from amber_ladder.core.colour import colour_depth
from amber_ladder.core.depth import depth_spread
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.pictures import read_picture
from amber_ladder.formats.results import read_depth

TILE_PX = 510  # with one px of overlap on either side: 512
PREVIEW_PX = 480


def make_tiles(picture: NDArray[Any], folder: Path) -> None:
    """Write picture.dzi with its tiles, and preview.jpg, into a new folder, all or nothing. RGB in 8 or 16 bits.

    Raises StorageFull, OSError.
    """
    image = _as_shown(picture)
    with folder_in_one_piece(folder) as scratch, _disk_trouble_as_such():
        image.dzsave(str(scratch / "picture"), tile_size=TILE_PX, overlap=1, suffix=".jpg[Q=90]")
        image.thumbnail_image(PREVIEW_PX, height=PREVIEW_PX, size="down").jpegsave(str(scratch / "preview.jpg"), Q=88)


def png_of(picture: NDArray[Any]) -> bytes:
    """A picture as a PNG, as fast as may be. RGB in 8 or 16 bits."""
    return bytes(_as_shown(picture).pngsave_buffer(compression=1))


def _as_shown(picture: NDArray[Any]) -> pyvips.Image:
    if picture.dtype == np.uint16:
        picture = (picture >> 8).astype(np.uint8)
    return pyvips.Image.new_from_array(np.ascontiguousarray(picture), interpretation="srgb")


@contextmanager
def _disk_trouble_as_such() -> Iterator[None]:
    """What libvips could not write is told in its message alone."""
    try:
        yield
    except pyvips.Error as error:
        for number in (errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EACCES, errno.EIO):
            if os.strerror(number) in str(error):
                raise OSError(number, os.strerror(number)) from error
        raise


def depth_picture(path: Path) -> NDArray[np.uint8]:
    """A depth TIFF as colours, RGB (H, W, 3)."""
    depth = np.asarray(read_depth(path))
    return colour_depth(depth, *(depth_spread(depth) or (0.0, 1.0)))


def composite_picture(path: Path) -> NDArray[Any]:
    """A composite TIFF, RGB (H, W, 3)."""
    return read_picture(path)


def small_jpeg(path: Path, height_px: int) -> bytes:
    """A small JPEG of a picture file, decoded no larger than need be."""
    return bytes(
        pyvips.Image.thumbnail(str(path), 10 * height_px, height=height_px, no_rotate=True).jpegsave_buffer(Q=80)
    )


def small_jpeg_of(rgb: NDArray[np.uint8], height_px: int) -> bytes:
    """The same of a picture (H, W, 3) that was read already."""
    image = _as_shown(rgb).thumbnail_image(10 * height_px, height=height_px, size="down")
    return bytes(image.jpegsave_buffer(Q=80))


def full_jpeg(picture: NDArray[Any]) -> bytes:
    """A picture in its own size as JPEG, to be looked at closely. RGB in 8 or 16 bits."""
    return bytes(_as_shown(picture).jpegsave_buffer(Q=92))


def marks_png(marks: NDArray[np.uint8]) -> bytes:
    """Marks to lie over a picture, RGBA (H, W, 4)."""
    return bytes(pyvips.Image.new_from_array(np.ascontiguousarray(marks), interpretation="srgb").pngsave_buffer())
