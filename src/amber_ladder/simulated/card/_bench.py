"""Exposures of one specimen for a card: any focus, and one thing that goes wrong at a time."""

from dataclasses import dataclass
from math import cos, radians, sin

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.optics import InfinityObjective, Rig, Sensor, resolve
from amber_ladder.simulated.behaviour import Behaviour
from amber_ladder.simulated.sensor import SimulatedSensor
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.simulated.view import SpecimenView
from amber_ladder.simulated.wobble import Wobble

Float = NDArray[np.float32]

_DETAIL = 0.012  # slope of linear light a px: less is no detail that could be seen to be sharp
_OVER_NOISE = 2.0
_LEAST_SEEN = 0.01  # of the frame
_PER_MM = 0.012  # the picture grows on a rail


@dataclass(frozen=True, slots=True)
class Lens:
    """What a take is shot through: size of its frames, and magnification, aperture of the objective."""

    width_px: int
    height_px: int
    magnification: float
    na: float


@dataclass(frozen=True, slots=True)
class Light:
    """Of a whole take: stops from a right exposure, veiling light as a share of white, and the sensor's full well."""

    stops: float = 0.0
    veil: float = 0.0
    full_well: float = 20000.0


class CardBench:
    """A specimen under a lens. Depths are in µm below its nearest point."""

    def __init__(self, specimen: str, lens: Lens, light: Light, seed: int) -> None:
        self._light, self.lens = light, lens
        one = specimen_for(specimen)
        self.depth_um = one.depth_um
        pixel_um = one.width_um * lens.magnification / lens.width_px
        sensor = Sensor(lens.width_px, lens.height_px, pixel_um)
        optics = resolve(Rig(sensor, InfinityObjective(lens.magnification, lens.na, 200, 200)))
        self.sharp_um = optics.sharp_depth_um.total
        self.pixel_um = optics.pixel_um
        self._view = SpecimenView(one, optics, sensor, seed, coarser=2.0, growth_per_mm=_PER_MM)
        self.parts = len(self._view.scene.sheets)
        self._sensor = SimulatedSensor(sensor, Wobble(full_well=light.full_well), seed)
        self._random = np.random.default_rng([seed, 31])

    def telling_um(self) -> NDArray[np.float32]:
        """Depths, rising, of all places that show detail when they are in focus, beyond the noise."""
        still = self._view.matrix(np.zeros(2), 0.0, 1.0)
        picture = np.asarray(self._view.frame(self._view.sharp(), still, cv2.INTER_LINEAR), np.float32).mean(axis=2)
        dx, dy = cv2.Sobel(picture, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(picture, cv2.CV_32F, 0, 1, scale=0.125)
        depth = self._view.frame(self._view.scene.sharp_depth_um(), still, cv2.INTER_NEAREST)
        # As it is lit: what drowns in noise tells nobody where focus is. Where all does, the best of it has to tell.
        lit = np.float32((1.0 - self._light.veil) * 2.0**self._light.stops)
        noise = np.sqrt((np.maximum(picture, 0.0) * lit + 0.5 * self._light.veil) / self._light.full_well)
        slope = np.hypot(dx, dy) * lit
        seen = (slope > np.maximum(_DETAIL, over * noise) for over in (_OVER_NOISE, 0.5 * _OVER_NOISE, 0.0))
        telling = next((one for one in seen if one.mean() > _LEAST_SEEN), slope > 0.0)
        return np.asarray(np.sort(depth[telling]), np.float32)

    def exposed(
        self,
        focus_um: float,
        *,
        shift_px: NDArray[np.float64],
        turn_deg: float = 0.0,
        stops: float = 0.0,
        smear_px: float = 0.0,
        smear_deg: float = 0.0,
        aside_um: float = 0.0,
    ) -> tuple[NDArray[np.uint8], float]:
        """A frame (H, W, 3) of 8 bits, and the share of it that is clipped in a channel at least."""
        scene = self._view.focused(focus_um, Behaviour(0.0, aside_um=aside_um) if aside_um else None)
        scale = 1.0 / (1.0 + _PER_MM * focus_um / 1e3)
        light = np.asarray(self._view.frame(scene, self._view.matrix(shift_px, turn_deg, scale)), np.float32)
        if smear_px:
            light = np.asarray(cv2.filter2D(light, -1, _line(smear_px, smear_deg), borderType=cv2.BORDER_REFLECT))
        light = light * np.float32(1.0 - self._light.veil) + np.float32(0.5 * self._light.veil)
        light *= np.float32(2.0 ** (self._light.stops + stops + self._random.normal(0.0, 0.02)))
        clipped = float((light.max(axis=2) > 1.0).mean())
        return self._sensor.read(light, self._random), clipped

    def blank(self, kind: str) -> NDArray[np.uint8]:
        """A separator: a ``hand`` before the lens, ``black`` (the lens covered), or a ``blurred`` sheet of paper."""
        height, width = self.lens.height_px, self.lens.width_px
        y, x = np.mgrid[0:height, 0:width].astype(np.float32) / np.float32(max(height, width))
        turn, place = self._random.uniform(0, 2 * np.pi), self._random.uniform(-0.2, 0.2)
        across = np.asarray(x * np.float32(cos(turn)) + y * np.float32(sin(turn)), np.float32)
        across -= np.float32(across.mean() + place)
        if kind == "black":
            light = np.full((height, width, 3), 1e-4, np.float32)
        elif kind == "blurred":
            level = self._random.uniform(0.15, 0.6)
            light = np.asarray((level + 0.25 * level * across)[..., None] * np.ones(3), np.float32)
        else:
            fingers = 0.5 + 0.18 * np.sin(across * self._random.uniform(9, 16)) - 0.3 * np.abs(across)
            light = np.asarray(fingers[..., None] * np.array([0.62, 0.36, 0.26]), np.float32)
            light = np.asarray(cv2.GaussianBlur(light, (0, 0), width / 30) * self._random.uniform(0.5, 1.4), np.float32)
        return self._sensor.read(np.asarray(light, np.float32), self._random)


def _line(length_px: float, turn_deg: float) -> Float:
    half = int(length_px // 2) + 2
    kernel = np.zeros((2 * half + 1, 2 * half + 1), np.float32)
    for along in np.linspace(-length_px / 2, length_px / 2, 8 * int(length_px) + 1):
        x, y = half + along * cos(radians(turn_deg)), half + along * sin(radians(turn_deg))
        fx, fy = x - int(x), y - int(y)
        for dy, wy in ((0, 1 - fy), (1, fy)):
            for dx, wx in ((0, 1 - fx), (1, fx)):
                kernel[int(y) + dy, int(x) + dx] += np.float32(wx * wy)
    return np.asarray(kernel / kernel.sum(), np.float32)
