"""A simulated rail and camera with one specimen under them, on a clock of their own."""

from datetime import datetime, timedelta

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.bench.devices import Exposure
from amber_ladder.bench.simulated.behaviour import Behaviour
from amber_ladder.bench.simulated.jpeg import encode_jpeg
from amber_ladder.bench.simulated.sensor import SimulatedSensor, encoded
from amber_ladder.bench.simulated.specimens import SimulatedSpecimen
from amber_ladder.bench.simulated.view import SpecimenView
from amber_ladder.bench.simulated.wobble import FrameTruth, Wobble
from amber_ladder.core.optics import Optics, Sensor
from amber_ladder.core.planning import Timing


class SimulatedBench:
    """A rail and a camera in one, looking at a seeded specimen whose nearest point lies at ``near_um``.

    Nothing waits, but the times of the frames are those of a real run.
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
        restless: frozenset[str] = frozenset(),
        timing: Timing | None = None,
        started_at: datetime | None = None,
    ) -> None:
        self._optics, self._near_um, self._seed = optics, near_um, seed
        self._wobble = wobble or Wobble()
        self._restless = restless
        self._timing = timing or Timing()
        self._clock = self._started = started_at or datetime.now()
        self._random = np.random.default_rng([seed, 77])
        self._shift_px, self._turn_deg = np.zeros(2), 0.0
        self._position_um = near_um
        self._view = SpecimenView(specimen, optics, sensor, seed)
        self._sensor = SimulatedSensor(
            sensor,
            full_well=self._wobble.full_well,
            read_noise=self._wobble.read_noise,
            hot_pixels=self._wobble.hot_pixels,
            dust=self._wobble.dust,
            seed=seed,
        )
        self.truths: list[FrameTruth] = []

    def move_to(self, position_um: float) -> None:
        """Move the stage; it drifts a little on every move."""
        self._position_um = position_um
        self._shift_px = self._shift_px + self._random.normal(0.0, self._wobble.drift_px, 2)
        self._turn_deg += self._random.normal(0.0, self._wobble.turn_deg)
        self._clock += timedelta(seconds=self._timing.settle_s + self._timing.recycle_s)

    def expose(self) -> Exposure:
        """Expose an 8-bit JPEG at the present position."""
        travel_um = self._position_um - self._near_um
        focus_um = travel_um * self._optics.medium_index
        scale = 1.0 / (1.0 + self._wobble.breathing_per_mm * travel_um / 1e3)
        matrix = self._view.matrix(self._shift_px, self._turn_deg, scale)
        gain = float(1.0 + self._random.normal(0.0, self._wobble.flicker)) + 2.0**self._wobble.room_stops
        self.truths.append(FrameTruth(focus_um, matrix, gain))
        light = np.asarray(self._view.frame(self._view.focused(focus_um, self._behaviour()), matrix), np.float32)
        picture = self._sensor.read(light * np.float32(gain), self._random)
        self._clock += timedelta(seconds=self._timing.exposure_s)
        return Exposure(encode_jpeg(picture, captured_at=self._clock), ".jpg", self._clock)

    def sharp_picture(self, matrix: NDArray[np.float64]) -> NDArray[np.uint8]:
        """What a perfect merge gives in the coordinates of a frame with this matrix: RGB, (H, W, 3)."""
        return encoded(np.asarray(self._view.frame(self._view.sharp(), matrix), np.float32))

    def sharp_depth_um(self, matrix: NDArray[np.float64]) -> NDArray[np.float32]:
        """The true depth (H, W) in µm below the nearest point, in the coordinates of a frame."""
        return np.asarray(self._view.frame(self._view.scene.sharp_depth_um(), matrix, cv2.INTER_NEAREST), np.float32)

    def _behaviour(self) -> Behaviour | None:
        if not self._restless:
            return None
        after_s = (self._clock - self._started).total_seconds()
        return Behaviour(after_s, **dict.fromkeys(self._restless, True), seed=self._seed)
