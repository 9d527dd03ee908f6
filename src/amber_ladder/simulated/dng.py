"""Raw files of the simulated camera: DNG with a Bayer mosaic, black and white level, colour matrix and as-shot neutral.

Tags as in Adobe's Digital Negative specification 1.4, written by tifffile.
"""

from dataclasses import dataclass
from datetime import datetime
from io import BytesIO

import numpy as np
import tifffile
from numpy.typing import NDArray

Float = NDArray[np.float32]
Double = NDArray[np.float64]

_XYZ_OF_SRGB = np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.072175],
                         [0.0193339, 0.119192, 0.9503041]])  # fmt: skip
"""XYZ of linear sRGB, D65 (IEC 61966-2-1)."""
_D65 = 21  # of EXIF's light sources


@dataclass(frozen=True, slots=True)
class RawCamera:
    """How a sensor sees and writes. ``matrix`` is from XYZ to its own red, green and blue; ``neutral`` what it sees of

    white under the present light, green 1. ``as_shot`` is what it takes for that, where it errs. ``orientation`` is
    the flag of EXIF.
    """

    matrix: tuple[tuple[float, float, float], ...] = (
        (0.71, -0.21, -0.08), (-0.41, 1.23, 0.2), (-0.06, 0.19, 0.63),
    )  # fmt: skip
    neutral: tuple[float, float, float] = (0.52, 1.0, 0.71)
    as_shot: tuple[float, float, float] | None = None
    black: int = 512
    white: int = 15800
    orientation: int = 1
    read_noise: float = 0.0
    """Standard deviation in numbers of the file."""

    @property
    def from_srgb(self) -> Double:
        """From linear sRGB to the sensor's values under the present light, (3, 3)."""
        seen = np.asarray(self.matrix) @ _XYZ_OF_SRGB
        return np.asarray(np.diag(self.neutral) @ (seen / seen.sum(axis=1, keepdims=True)), np.float64)


def encode_dng(
    light: Float, camera: RawCamera, *, captured_at: datetime | None = None, random: np.random.Generator | None = None
) -> bytes:
    """A raw file of linear sRGB light (H, W, 3), 1 where green saturates; sides must be even."""
    height, width = light.shape[:2]
    seen = light.astype(np.float64) @ camera.from_srgb.T
    mosaic = np.empty((height, width), np.float64)
    for (row, column), channel in {(0, 0): 0, (0, 1): 1, (1, 0): 1, (1, 1): 2}.items():
        mosaic[row::2, column::2] = seen[row::2, column::2, channel]
    numbers = camera.black + mosaic * (camera.white - camera.black)
    if random is not None and camera.read_noise > 0:
        numbers += random.normal(0.0, camera.read_noise, numbers.shape)
    numbers = np.clip(np.rint(numbers), 0, camera.white).astype(np.uint16)
    file = BytesIO()
    tifffile.imwrite(
        file, numbers, photometric="CFA", compression=None, metadata=None, software="Simulated bench",
        datetime=captured_at, extratags=_tags(camera),
    )  # fmt: skip
    return file.getvalue()


def _tags(camera: RawCamera) -> list[tuple[int, str, int, object, bool]]:
    shot = camera.as_shot or camera.neutral
    return [
        (271, "s", 0, "Tarn Hollow", True),
        (272, "s", 0, "Simulated bench", True),
        (274, "H", 1, camera.orientation, True),
        (33421, "H", 2, (2, 2), True),  # size of the mosaic's pattern
        (33422, "B", 4, bytes((0, 1, 1, 2)), True),  # red, green; green, blue
        (50706, "B", 4, bytes((1, 4, 0, 0)), True),  # version
        (50708, "s", 0, "Tarn Hollow Simulated bench", True),
        (50714, "H", 1, camera.black, True),
        (50717, "H", 1, camera.white, True),
        (50721, "2i", 9, _signed([value for row in camera.matrix for value in row]), True),
        (50728, "2I", 3, _signed(shot), True),
        (50778, "H", 1, _D65, True),
    ]


def _signed(values: object) -> tuple[int, ...]:
    """Values as fractions of 10,000."""
    return tuple(part for value in values for part in (round(value * 10_000), 10_000))  # type: ignore[attr-defined]
