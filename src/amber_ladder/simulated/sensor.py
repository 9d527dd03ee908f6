"""From light on the sensor to numbers in a file: clipping, noise, hot pixels, dust."""

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import encode_srgb
from amber_ladder.core.optics import Sensor
from amber_ladder.simulated.wobble import Wobble

_STEPS = 1 << 13
_ENCODED = np.rint(encode_srgb(np.linspace(0.0, 1.0, _STEPS + 1, dtype=np.float32)) * 255.0).astype(np.uint8)


class SimulatedSensor:
    """One individual sensor: its hot pixels and its dust lie where the seed puts them."""

    def __init__(
        self,
        sensor: Sensor,
        wobble: Wobble,
        seed: int = 0,
    ) -> None:
        self._well, self._read_noise = wobble.full_well, wobble.read_noise
        hot_pixels, dust = wobble.hot_pixels, wobble.dust
        random = np.random.default_rng([seed, 5])
        height, width = sensor.height_px, sensor.width_px
        self._hot = (random.integers(0, height, hot_pixels), random.integers(0, width, hot_pixels))
        self._heat = np.asarray(random.uniform(0.3, 1.0, (hot_pixels, 3)) * (1.0, 0.7, 0.8), np.float32)
        self._shade: NDArray[np.float32] | None = _dust(height, width, dust, random) if dust else None

    def read(self, light: NDArray[np.float32], random: np.random.Generator) -> NDArray[np.uint8]:
        """Linear light (H, W, 3), 1 where it clips, to encoded RGB of 8 bits. ``light`` is used up."""
        if self._shade is not None:
            light *= self._shade[..., None]
        if self._well > 0.0:
            spread = np.sqrt(np.maximum(light, 0.0) / self._well + (self._read_noise / self._well) ** 2)
            spread *= random.standard_normal(light.shape, dtype=np.float32)
            light += spread
        if len(self._heat):
            light[self._hot] += self._heat
        return encoded(light)


def encoded(light: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Linear light to sRGB of 8 bits, by a table."""
    return np.asarray(_ENCODED[np.clip(light * np.float32(_STEPS), 0, _STEPS).astype(np.int32)])


def _dust(height: int, width: int, count: int, random: np.random.Generator) -> NDArray[np.float32]:
    shade = np.ones((height, width), np.float32)
    for _ in range(count):
        centre = (int(random.integers(0, width)), int(random.integers(0, height)))
        radius = max(2, round(height * random.uniform(0.002, 0.008)))
        cv2.circle(shade, centre, radius, float(random.uniform(0.45, 0.75)), -1)
    return np.asarray(cv2.GaussianBlur(shade, (0, 0), max(0.8, height * 0.0012)), np.float32)
