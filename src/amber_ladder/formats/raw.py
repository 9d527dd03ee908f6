"""Camera raw through LibRaw (rawpy), developed to linear light with settings that never look at the frame.

LibRaw brightens each frame by its own histogram, and takes its brightest pixel for white, unless told otherwise: both
would make frames of one stack unequal.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import rawpy
from numpy.typing import NDArray

from amber_ladder.core.developing import NEUTRAL, Development, Multipliers, apply_curves, curves
from amber_ladder.errors import UnreadablePicture

_MOST_PIXELS = 250_000_000
_FLIPS = {0: 1, 3: 3, 5: 8, 6: 6}  # LibRaw's way to tell an orientation, and EXIF's


@dataclass(frozen=True, slots=True)
class RawInfo:
    """What a raw file says of itself: size as it is developed, EXIF's orientation, white balance as shot (green 1)."""

    width_px: int
    height_px: int
    orientation: int
    as_shot: Multipliers


def read_raw_info(source: Path | bytes) -> RawInfo:
    """Read the header of a file, or of its content. Raises UnreadablePicture."""
    with _opened(source) as raw:
        return _info(raw)


def develop_raw(source: Path | bytes, multipliers: Multipliers, *, half_size: bool = False) -> NDArray[np.uint16]:
    """Linear light (H, W, 3) with the primaries of sRGB, 16 bits, as it lay on the sensor (not turned upright).

    ``half_size`` makes one pixel of each 2 × 2 of the mosaic. Raises UnreadablePicture.
    """
    red, green, blue = multipliers
    with _opened(source) as raw:
        return np.asarray(
            raw.postprocess(
                user_wb=[red, green, blue, green],
                half_size=half_size,
                demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD,
                output_color=rawpy.ColorSpace.sRGB,
                output_bps=16,
                gamma=(1.0, 1.0),
                user_flip=0,
                no_auto_bright=True,
                adjust_maximum_thr=0.0,
                highlight_mode=rawpy.HighlightMode.Clip,
                fbdd_noise_reduction=rawpy.FBDDNoiseReductionMode.Off,
                median_filter_passes=0,
            ),
            np.uint16,
        )


def shown_raw(source: Path | bytes, *, half_size: bool = False) -> NDArray[np.uint8]:
    """A raw file as it is looked at: RGB (H, W, 3) of 8 bits, white balance as shot. Raises UnreadablePicture."""
    light = develop_raw(source, read_raw_info(source).as_shot, half_size=half_size)
    tables = curves(Development(), NEUTRAL, bits=16, linear=True)
    return np.asarray(apply_curves(light, tables) >> 8, np.uint8)


def mean_of_mosaic(path: Path, x: int, y: int, size_px: int) -> NDArray[np.float64]:
    """Mean red, green and blue (3) of a square of the sensor about a place, of white: before any white balance.

    Raises UnreadablePicture.
    """
    with _opened(path) as raw:
        rows = slice(max(y - size_px // 2, 0), y - size_px // 2 + size_px)
        columns = slice(max(x - size_px // 2, 0), x - size_px // 2 + size_px)
        values = raw.raw_image_visible[rows, columns].astype(np.float64)
        colours = raw.raw_colors_visible[rows, columns]
        black, white = raw.black_level_per_channel, float(raw.white_level)
        names = raw.color_desc.decode("ascii", "replace")
        found = []
        for name in "RGB":
            own = [number for number in np.unique(colours) if names[number] == name]
            if not own:
                raise UnreadablePicture(path.name, "has a mosaic of other colours than red, green and blue")
            found.append(np.mean([(values[colours == n].mean() - black[n]) / (white - black[n]) for n in own]))
        return np.asarray(found, np.float64)


def _info(raw: Any) -> RawInfo:
    sizes, shot = raw.sizes, raw.camera_whitebalance
    red, green, blue = (float(one) for one in shot[:3])
    if not (red > 0 and green > 0 and blue > 0):
        red, green, blue = (float(one) for one in raw.daylight_whitebalance[:3])
    return RawInfo(sizes.width, sizes.height, _FLIPS.get(sizes.flip, 1), (red / green, 1.0, blue / green))


@contextmanager
def _opened(source: Path | bytes) -> Iterator[Any]:
    """A raw file whose header has been read; whatever is wrong with it becomes one sentence."""
    name = source.name if isinstance(source, Path) else "the frame"
    try:
        if not (source.stat().st_size if isinstance(source, Path) else source):
            raise UnreadablePicture(name, "the file is empty")
        with rawpy.RawPy() as raw:
            if isinstance(source, Path):
                raw.open_file(str(source))
            else:
                raw.open_buffer(BytesIO(source))
            sizes = raw.sizes
            if sizes.raw_width * sizes.raw_height > _MOST_PIXELS:
                size = f"{sizes.raw_width} × {sizes.raw_height} px"
                raise UnreadablePicture(name, f"declares absurd dimensions ({size})")
            yield raw
    except OSError as error:
        raise UnreadablePicture(name, f"cannot be read ({error.strerror})") from error
    except rawpy.LibRawError as error:
        raise UnreadablePicture(name, f"is no raw file that can be read, or cut short ({_said(error)})") from error


def _said(error: Exception) -> str:
    told = error.args[0] if error.args else error
    return (told.decode("utf-8", "replace") if isinstance(told, bytes) else str(told))[:80]
