"""A simulated rail and camera with one specimen under them."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import datetime, timedelta

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.bench.devices import Exposure
from amber_ladder.bench.simulated.jpeg import encode_jpeg
from amber_ladder.bench.simulated.scene import Blur, Grid, compose
from amber_ladder.bench.simulated.specimens import SimulatedSpecimen
from amber_ladder.core.colour import encode_srgb
from amber_ladder.core.optics import Optics, Sensor
from amber_ladder.core.planning import Timing

_MARGIN = 0.03  # of the field on every side, so that drift and breathing never show an edge
_MARGIN_PX = 12


@dataclass(frozen=True, slots=True)
class Wobble:
    """How far from ideal the bench is. All zero: a perfect one.

    ``breathing_per_mm`` is the relative growth of the picture for each mm of stage travel; drift and turn
    are random walks a rung (px, degrees); ``flicker`` the relative spread of the light; ``full_well`` and
    ``read_noise`` in electrons (a full well of 0 means no noise).
    """

    breathing_per_mm: float = 0.01
    drift_px: float = 0.25
    turn_deg: float = 0.004
    flicker: float = 0.015
    full_well: float = 30000.0
    read_noise: float = 5.0


@dataclass(frozen=True, slots=True)
class FrameTruth:
    """What really happened to one frame: focus depth in µm, 2×3 matrix frame px → scene px, gain."""

    focus_um: float
    matrix: NDArray[np.float64]
    gain: float


class SimulatedBench:
    """A rail and a camera in one, looking at a seeded specimen whose nearest point lies at ``near_um``.

    Its clock is simulated: nothing waits, but the times of the frames are those of a real run.
    """

    def __init__(
        self,
        specimen: SimulatedSpecimen,
        optics: Optics,
        sensor: Sensor,
        *,
        near_um: float,
        seed: int = 0,
        wobble: Wobble | None = None,
        timing: Timing | None = None,
        started_at: datetime | None = None,
    ) -> None:
        self._optics, self._sensor, self._near_um = optics, sensor, near_um
        self._wobble = wobble or Wobble()
        self._timing = timing or Timing()
        self._clock = started_at or datetime.now()
        self._random = np.random.default_rng([seed, 77])
        self._shift_px, self._turn_deg = np.zeros(2), 0.0
        self._position_um = near_um
        self._margin = tuple(int(side * _MARGIN) + _MARGIN_PX for side in (sensor.width_px, sensor.height_px))
        grid = Grid.centred(
            sensor.width_px + 2 * self._margin[0], sensor.height_px + 2 * self._margin[1], optics.pixel_um
        )
        self._scene = specimen.build(grid, seed)
        deepest_um = 1.5 * max(float(sheet.depth_um.max()) for sheet in self._scene.sheets)
        self._blur = Blur(optics, deepest_um)
        self.truths: list[FrameTruth] = []

    def move_to(self, position_um: float) -> None:
        """Move the stage; it drifts a little on every move."""
        self._position_um = position_um
        self._shift_px = self._shift_px + self._random.normal(0.0, self._wobble.drift_px, 2)
        self._turn_deg += self._random.normal(0.0, self._wobble.turn_deg)
        self._clock += timedelta(seconds=self._timing.settle_s + self._timing.recycle_s)

    def expose(self) -> Exposure:
        """Expose an 8-bit JPEG at the present position."""
        focus_um = self._focus_um()
        matrix = self._matrix()
        gain = float(1.0 + self._random.normal(0.0, self._wobble.flicker))
        self.truths.append(FrameTruth(focus_um, matrix, gain))
        light = self._frame(self._focused(focus_um), matrix) * np.float32(gain)
        picture = np.rint(encode_srgb(self._with_noise(light)) * 255.0).astype(np.uint8)
        self._clock += timedelta(seconds=self._timing.exposure_s)
        return Exposure(encode_jpeg(picture, captured_at=self._clock), ".jpg", self._clock)

    def sharp_picture(self, matrix: NDArray[np.float64]) -> NDArray[np.uint8]:
        """What a perfect merge gives in the coordinates of a frame with this matrix: RGB, (H, W, 3)."""
        sheets = [self._blur.sharp(sheet) for sheet in self._scene.sheets]
        return np.asarray(np.rint(encode_srgb(self._frame(compose(sheets), matrix)) * 255.0), np.uint8)

    def sharp_depth_um(self, matrix: NDArray[np.float64]) -> NDArray[np.float32]:
        """The true depth (H, W) in µm below the nearest point, in the coordinates of a frame."""
        return self._frame(self._scene.sharp_depth_um(), matrix, cv2.INTER_NEAREST)

    def _focus_um(self) -> float:
        return (self._position_um - self._near_um) * self._optics.medium_index

    def _focused(self, focus_um: float) -> NDArray[np.float32]:
        with ThreadPoolExecutor(max_workers=len(self._scene.sheets)) as pool:
            return compose(list(pool.map(lambda sheet: self._blur.focused_at(sheet, focus_um), self._scene.sheets)))

    def _matrix(self) -> NDArray[np.float64]:
        travel_mm = (self._position_um - self._near_um) / 1e3
        scale = 1.0 / (1.0 + self._wobble.breathing_per_mm * travel_mm)
        turn = np.deg2rad(self._turn_deg)
        centre = np.array([self._sensor.width_px - 1, self._sensor.height_px - 1]) / 2.0
        rotation = scale * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        offset = np.array(self._margin) + centre + self._shift_px - rotation @ centre
        return np.column_stack([rotation, offset])

    def _frame(
        self, scene: NDArray[np.float32], matrix: NDArray[np.float64], interpolation: int = cv2.INTER_LANCZOS4
    ) -> NDArray[np.float32]:
        size = (self._sensor.width_px, self._sensor.height_px)
        flags = interpolation | cv2.WARP_INVERSE_MAP
        return np.asarray(cv2.warpAffine(scene, matrix, size, flags=flags, borderMode=cv2.BORDER_REFLECT), np.float32)

    def _with_noise(self, light: NDArray[np.float32]) -> NDArray[np.float32]:
        well = self._wobble.full_well
        if well <= 0.0:
            return light
        spread = np.sqrt(np.maximum(light, 0.0) / well + (self._wobble.read_noise / well) ** 2)
        noise = self._random.standard_normal(light.shape, dtype=np.float32)
        return np.asarray(light + noise * spread, np.float32)
