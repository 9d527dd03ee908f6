"""The simulated camera's body: exposures and live view in real time, with what really happens to them."""

import threading
import time
from dataclasses import dataclass, replace
from datetime import datetime
from functools import lru_cache
from math import hypot

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.optics import Optics, Sensor
from amber_ladder.devices.protocols import Exposure
from amber_ladder.simulated.behaviour import Behaviour
from amber_ladder.simulated.jpeg import encode_jpeg
from amber_ladder.simulated.lighting import Lighting
from amber_ladder.simulated.rail.mechanics import Build, Truth, swing_um
from amber_ladder.simulated.sensor import SimulatedSensor, encoded
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.simulated.view import SpecimenView
from amber_ladder.simulated.wobble import FrameTruth, Wobble

_RIGHT_POWER_AT_F20 = 0.125  # how strong the station's flash is: 1/8 exposes rightly at an effective f/20
_POP_S = 0.004  # how long the flash glows: swings within it blur the frame
_LIVE_STEP = 0.2  # of the sharp depth: nearer focus positions share one live picture
_LIVE_KEPT = 160
_LIVE_COARSER = 3.0  # blur steps
_STILL_LOOKING_S = 3.0  # since the last live picture
_LIVE_NOISE = 2.0  # levels of 8 bits


@dataclass(frozen=True, slots=True)
class CameraSetup:
    """What a simulated camera looks at and through: the specimen's nearest point lies at the rail's ``near_um``.

    ``aside_um`` is where on the specimen the field's middle lies (right, down).
    """

    specimen: str
    optics: Optics
    sensor: Sensor
    near_um: float
    exposure_s: float
    transfer_s: float
    seed: int
    wobble: Wobble
    restless: frozenset[str]
    aside_um: tuple[float, float] = (0.0, 0.0)

    @property
    def right_power(self) -> float:
        """The flash power that exposes rightly; what a test frame is to find out."""
        return _RIGHT_POWER_AT_F20 * (self.optics.effective_f_number / 20.0) ** 2


@lru_cache(maxsize=1)
def _view_of(
    specimen: str, optics: Optics, sensor: Sensor, seed: int, growth_per_mm: float, aside_um: tuple[float, float]
) -> SpecimenView:
    """Building a scene takes many seconds: a second camera over the same specimen, or the same one again, shares it."""
    return SpecimenView(specimen_for(specimen), optics, sensor, seed, growth_per_mm=growth_per_mm, aside_um=aside_um)


class CameraBody:
    """Renders what the camera sees when told where the rail's carriage is, how it swings, and what light there is.

    Live view is lit by a modelling lamp and always rightly exposed; exposures are lit by the flash, and by the room.
    """

    def __init__(self, setup: CameraSetup) -> None:
        self._setup, self._optics, self._sensor_size = setup, setup.optics, setup.sensor
        self._random = np.random.default_rng([setup.seed, 78])
        self._turn = threading.Lock()
        self._live_turn = threading.Lock()
        self._view = _view_of(
            setup.specimen, setup.optics, setup.sensor, setup.seed, setup.wobble.breathing_per_mm, setup.aside_um
        )
        self._specimen = specimen_for(setup.specimen)
        self._sensor = SimulatedSensor(setup.sensor, setup.wobble, setup.seed)
        self._small: tuple[SpecimenView, float] | None = None
        self._seen: tuple[Lighting, dict[int, NDArray[np.uint8]]] = (Lighting(), {})
        self._closed = threading.Event()
        self._looker: threading.Thread | None = None
        self._looked_at, self._looked = 0, 0.0
        self._magnified: tuple[tuple[float, float, int, float, Lighting], NDArray[np.uint8]] | None = None
        self._began = time.monotonic()
        self._shift_px, self._turn_deg = np.zeros(2), 0.0

    def close(self) -> None:
        """Stop looking ahead."""
        self._closed.set()

    def expose(self, truth: Truth, build: Build, given: float, lighting: Lighting) -> tuple[Exposure, FrameTruth]:
        """A frame lit by this fraction of the flash's full power; returns when the file has been moved over."""
        with self._turn:
            captured_at = datetime.now()
            time.sleep(self._setup.exposure_s)
            closed = time.monotonic()
            picture, happened = self._picture(truth, build, given, lighting)
            content = encode_jpeg(picture, captured_at=captured_at)
            time.sleep(max(0.0, self._setup.transfer_s - (time.monotonic() - closed)))
            return Exposure(content, ".jpg", captured_at), happened

    def live(self, truth: Truth, build: Build, width_px: int, lighting: Lighting) -> NDArray[np.uint8]:
        """The whole field, lit by the modelling lamp."""
        self._looked = time.monotonic()
        with self._live_turn:
            view, factor = self._small_view(width_px)
        scene = self._live_scene(view, self._focus_um(truth), lighting)
        swing_px = swing_um(truth, build, 0.0) / self._optics.pixel_um
        shift = (self._shift_px + np.array([0.2, 1.0]) * swing_px) / factor
        matrix = view.matrix(shift, self._turn_deg, self._scale(truth))
        picture = np.asarray(view.frame(scene, matrix, cv2.INTER_LINEAR), np.uint8)
        return _with_grain(picture, self._random)

    def loupe(self, truth: Truth, x: float, y: float, side_px: int, lighting: Lighting) -> NDArray[np.uint8]:
        """A square at 1:1; what lies still and is looked at again is not rendered again."""
        rows, inner_y = _around(y, self._sensor_size.height_px, self._view.margin_px[1], side_px)
        columns, inner_x = _around(x, self._sensor_size.width_px, self._view.margin_px[0], side_px)
        looked_at = (x, y, side_px, truth.carriage_um, lighting)
        if self._behaviour() or self._magnified is None or self._magnified[0] != looked_at:
            light = self._view.focused(self._focus_um(truth), self._behaviour(), (rows, columns), lighting)
            height, width = (min(side_px, size) for size in (self._sensor_size.height_px, self._sensor_size.width_px))
            self._magnified = looked_at, encoded(light[inner_y : inner_y + height, inner_x : inner_x + width])
        return _with_grain(self._magnified[1], self._random)

    def _picture(
        self, truth: Truth, build: Build, given: float, lighting: Lighting
    ) -> tuple[NDArray[np.uint8], FrameTruth]:
        wobble = self._setup.wobble
        self._shift_px = self._shift_px + self._random.normal(0.0, wobble.drift_px, 2)
        self._turn_deg += float(self._random.normal(0.0, wobble.turn_deg))
        times = np.linspace(0.0, _POP_S, 9)
        swings = np.array([swing_um(truth, build, float(t)) for t in times]) / self._optics.pixel_um
        middle = float(swings.mean())
        matrix = self._view.matrix(self._shift_px + np.array([0.2, 1.0]) * middle, self._turn_deg, self._scale(truth))
        flash = given / self._setup.right_power * float(1.0 + self._random.normal(0.0, wobble.flicker))
        gain = flash * lighting.gain + 2.0**wobble.room_stops
        scene = self._view.focused(self._focus_um(truth), self._behaviour(), lighting=lighting)
        light = np.asarray(self._view.frame(scene, matrix), np.float32)
        kernel = _smear(swings - middle)
        if kernel is not None:
            light = np.asarray(cv2.filter2D(light, -1, kernel, borderType=cv2.BORDER_REFLECT), np.float32)
        read = self._sensor.read(light * np.float32(gain), self._random)
        return read, FrameTruth(self._focus_um(truth), matrix, gain)

    def _focus_um(self, truth: Truth) -> float:
        return (truth.carriage_um - self._setup.near_um) * self._optics.medium_index

    def _scale(self, truth: Truth) -> float:
        return 1.0 / (1.0 + self._setup.wobble.breathing_per_mm * (truth.carriage_um - self._setup.near_um) / 1e3)

    def _behaviour(self) -> Behaviour | None:
        if not self._setup.restless:
            return None
        after_s = time.monotonic() - self._began
        return Behaviour(after_s, **dict.fromkeys(self._setup.restless, True), seed=self._setup.seed)

    def _small_view(self, width_px: int) -> tuple[SpecimenView, float]:
        factor = max(1.0, self._sensor_size.width_px / width_px)
        if self._small is None or self._small[1] != factor:
            small = Sensor(
                round(self._sensor_size.width_px / factor),
                round(self._sensor_size.height_px / factor),
                self._sensor_size.pixel_um * factor,
            )
            optics = replace(self._optics, pixel_um=self._optics.pixel_um * factor)
            growth = self._setup.wobble.breathing_per_mm
            view = SpecimenView(
                self._specimen,
                optics,
                small,
                self._setup.seed,
                coarser=_LIVE_COARSER,
                growth_per_mm=growth,
                aside_um=self._setup.aside_um,
            )
            self._small = (view, factor)
            self._seen = (self._seen[0], {})
            if self._looker is None and not self._setup.restless:
                self._looker = threading.Thread(target=self._look_ahead, name="look-ahead", daemon=True)
                self._looker.start()
        return self._small

    def _live_scene(self, view: SpecimenView, focus_um: float, lighting: Lighting) -> NDArray[np.uint8]:
        """Encoded, with its margin. One that lies still is kept for each step of focus, in one light."""
        behaviour = self._behaviour()
        if behaviour:
            return encoded(view.focused(focus_um, behaviour, lighting=lighting))
        if self._seen[0] != lighting:
            self._seen = (lighting, {})
        step_um, seen = self._live_step_um, self._seen[1]
        key = self._looked_at = round(focus_um / step_um)
        if key not in seen:
            seen[key] = encoded(view.focused(key * step_um, lighting=lighting))
        return seen[key]

    @property
    def _live_step_um(self) -> float:
        return max(self._optics.sharp_depth_um.total * _LIVE_STEP, self._specimen.depth_um / _LIVE_KEPT)

    def _look_ahead(self) -> None:
        """Render live pictures of focus positions near the present one, while anybody looks and may move there."""
        beyond_um = 4.0 * self._optics.sharp_depth_um.total
        while not self._closed.is_set():
            small, (lighting, seen), step_um = self._small, self._seen, self._live_step_um
            wanted = range(round(-beyond_um / step_um), round((self._specimen.depth_um + beyond_um) / step_um) + 1)
            missing = [key for key in wanted if key not in seen]
            if small is None or not missing or time.monotonic() > self._looked + _STILL_LOOKING_S:
                self._closed.wait(0.5)
                continue
            key = min(missing, key=lambda one: abs(one - self._looked_at))
            began = time.monotonic()
            seen[key] = encoded(small[0].focused(key * step_um, lighting=lighting))
            # Whoever looks at the live view meanwhile needs the other half of the processors.
            self._closed.wait(time.monotonic() - began)


def _with_grain(picture: NDArray[np.uint8], random: np.random.Generator) -> NDArray[np.uint8]:
    grain = _grain()
    height, width = picture.shape[:2]
    y, x = (int(n) for n in random.integers(0, 64, 2))
    tiled = grain[y : y + height, x : x + width]
    return np.asarray(cv2.add(picture, tiled, dtype=cv2.CV_8U), np.uint8)


_GRAIN: list[NDArray[np.int16]] = []


def _grain() -> NDArray[np.int16]:
    # Made once: live view needs noise that changes, not noise that is new.
    if not _GRAIN:
        noise = np.random.default_rng(9).normal(0.0, _LIVE_NOISE, (1088, 1600, 3))
        _GRAIN.append(np.rint(noise).astype(np.int16))
    return _GRAIN[0]


def _around(share: float, length_px: int, margin_px: int, side_px: int) -> tuple[slice, int]:
    """Rows (or columns) of the scene around a place, with room for blur to reach in; and where the square begins."""
    side = min(side_px, length_px)
    start = min(max(round(share * length_px) - side // 2, 0), length_px - side) + margin_px
    reach = 96
    first = max(start - reach, 0)
    return slice(first, start + side + reach), start - first


def _smear(swings_px: NDArray[np.float64]) -> NDArray[np.float32] | None:
    """The blur of a frame that moved while it was lit: a kernel, or None for less than a fifth of a pixel."""
    reach = hypot(0.2, 1.0) * float(np.abs(swings_px).max())
    if reach < 0.2:
        return None
    half = int(np.ceil(reach)) + 1
    kernel = np.zeros((2 * half + 1, 2 * half + 1), np.float32)
    for swing in swings_px:
        x, y = half + 0.2 * swing, half + swing
        x0, y0 = int(np.floor(x)), int(np.floor(y))
        fx, fy = x - x0, y - y0
        for dy, wy in ((0, 1 - fy), (1, fy)):
            for dx, wx in ((0, 1 - fx), (1, fx)):
                kernel[y0 + dy, x0 + dx] += np.float32(wx * wy)
    return np.asarray(kernel / kernel.sum(), np.float32)
