"""A simulated rail and camera with one specimen under them, on a clock that can be hurried."""

from datetime import datetime, timedelta

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.optics import Optics, Sensor
from amber_ladder.core.planning import Timing
from amber_ladder.devices.clock import Clock
from amber_ladder.devices.protocols import Camera, Exposure, Rail
from amber_ladder.devices.stopping import StopToken
from amber_ladder.simulated.behaviour import Behaviour
from amber_ladder.simulated.clock import HurriedClock
from amber_ladder.simulated.dng import RawCamera, encode_dng
from amber_ladder.simulated.jpeg import encode_jpeg
from amber_ladder.simulated.scene import Scene
from amber_ladder.simulated.sensor import SimulatedSensor, encoded
from amber_ladder.simulated.specimens import SimulatedSpecimen
from amber_ladder.simulated.view import SpecimenView
from amber_ladder.simulated.wobble import FrameTruth, Wobble


class SimulatedStand(Rail, Camera):
    """A rail and a camera in one, looking at a seeded specimen whose nearest point lies at ``near_um``.

    ``field_um`` is where on the specimen the field's middle lies (right, down), ``aside_um`` how far its foremost part
    has moved aside. The stand moves at once and without play; the
    times of its frames are those of the clock, which ``timing`` moves on. With a ``raw`` camera it writes DNG; sides of
    frames must be even then.
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
        clock: Clock | None = None,
        raw: RawCamera | None = None,
        field_um: tuple[float, float] = (0.0, 0.0),
    ) -> None:
        self._optics, self._near_um, self._seed = optics, near_um, seed
        self._wobble = wobble or Wobble()
        self._restless = restless
        self._timing = timing or Timing()
        self._raw = raw
        self._clock = clock or HurriedClock()
        self._began, self._began_s = datetime.now(), self._clock.now_s()
        self._random = np.random.default_rng([seed, 77])
        self._shift_px, self._turn_deg = np.zeros(2), 0.0
        self._position_um = near_um
        self.aside_um = 0.0
        growth = self._wobble.breathing_per_mm
        self._view = SpecimenView(specimen, optics, sensor, seed, growth_per_mm=growth, aside_um=field_um)
        self._sensor = SimulatedSensor(sensor, self._wobble, seed)
        self.truths: list[FrameTruth] = []

    @property
    def scene(self) -> Scene:
        """The specimen in the field and a margin around it."""
        return self._view.scene

    def position_um(self) -> float:
        """Where the stage is."""
        return self._position_um

    def home(self, stop: StopToken) -> None:
        """It always knows where it is."""
        stop.check()

    def close(self) -> None:
        """There is no line to let go of."""

    def move_to(self, position_um: float, stop: StopToken | None = None) -> float:
        """Move the stage; it drifts a little on every move, and the flash recycles meanwhile."""
        if stop:
            stop.check()
        self._position_um = position_um
        self._shift_px = self._shift_px + self._random.normal(0.0, self._wobble.drift_px, 2)
        self._turn_deg += self._random.normal(0.0, self._wobble.turn_deg)
        self._clock.wait(self._timing.recycle_s)
        return position_um

    def expose(self) -> Exposure:
        """Expose at the present position: an 8-bit JPEG, or a raw file."""
        travel_um = self._position_um - self._near_um
        focus_um = travel_um * self._optics.medium_index
        scale = 1.0 / (1.0 + self._wobble.breathing_per_mm * travel_um / 1e3)
        matrix = self._view.matrix(self._shift_px, self._turn_deg, scale)
        gain = float(1.0 + self._random.normal(0.0, self._wobble.flicker)) + 2.0**self._wobble.room_stops
        self.truths.append(FrameTruth(focus_um, matrix, gain))
        light = np.asarray(self._view.frame(self._view.focused(focus_um, self._behaviour()), matrix), np.float32)
        light *= np.float32(gain)
        self._clock.wait(self._timing.exposure_s)
        captured_at = self._began + timedelta(seconds=self._clock.now_s() - self._began_s)
        if self._raw:
            content = encode_dng(light, self._raw, captured_at=captured_at, random=self._random)
            return Exposure(content, ".dng", captured_at)
        picture = self._sensor.read(light, self._random)
        return Exposure(encode_jpeg(picture, captured_at=captured_at), ".jpg", captured_at)

    def light(self, position_um: float) -> NDArray[np.float32]:
        """What falls on the sensor at a position: linear RGB (H, W, 3), rightly exposed, without its noise."""
        focus_um = (position_um - self._near_um) * self._optics.medium_index
        matrix = self._view.matrix(self._shift_px, self._turn_deg, 1.0)
        return np.asarray(self._view.frame(self._view.focused(focus_um, self._behaviour()), matrix), np.float32)

    def sharp_picture(self, matrix: NDArray[np.float64]) -> NDArray[np.uint8]:
        """What a perfect merge gives in the coordinates of a frame with this matrix: RGB, (H, W, 3).

        The foremost part lies as far aside as it does now; what else does not rest is shown as it was at first.
        """
        lies = Behaviour(0.0, aside_um=self.aside_um) if self.aside_um else None
        return encoded(np.asarray(self._view.frame(self._view.sharp(lies), matrix), np.float32))

    def seen(self, plane: NDArray[np.float32], matrix: NDArray[np.float64]) -> NDArray[np.float32]:
        """A plane of the scene (with its margin) in the coordinates of a frame with this matrix."""
        return np.asarray(self._view.frame(plane, matrix, cv2.INTER_LINEAR), np.float32)

    def sharp_depth_um(self, matrix: NDArray[np.float64]) -> NDArray[np.float32]:
        """The true depth (H, W) in µm below the nearest point, in the coordinates of a frame."""
        return np.asarray(self._view.frame(self._view.scene.sharp_depth_um(), matrix, cv2.INTER_NEAREST), np.float32)

    def _behaviour(self) -> Behaviour | None:
        if not (self._restless or self.aside_um):
            return None
        after_s = self._clock.now_s() - self._began_s
        return Behaviour(after_s, **dict.fromkeys(self._restless, True), aside_um=self.aside_um, seed=self._seed)
