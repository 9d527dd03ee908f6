"""Simulated stacks with known truth, shot once a test run."""

from collections.abc import Sequence
from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import to_grey
from amber_ladder.core.optics import InfinityObjective, Optics, Rig, Sensor, resolve
from amber_ladder.core.planning import Ladder, Rail, Wanted, plan_ladder
from amber_ladder.simulated.specimens import SPECIMENS
from amber_ladder.simulated.stand import SimulatedStand
from amber_ladder.simulated.wobble import Wobble


class MemoryFrames:
    """Frames in memory, as the merge wants them."""

    def __init__(self, pictures: Sequence[NDArray[Any]]) -> None:
        self.pictures = pictures
        self.names = tuple(f"f{i:03d}" for i in range(len(pictures)))
        self.shape = pictures[0].shape[:2]
        self.dtype = pictures[0].dtype
        self.most_alive = 0

    def picture(self, index: int) -> NDArray[Any]:
        return self.pictures[index]

    def grey(self, index: int, factor: int) -> NDArray[np.float32]:
        return to_grey(self.pictures[index], factor)


class Shot:
    """A stack of the simulated bench: its frames, and what is true of them."""

    def __init__(
        self,
        specimen: str,
        wobble: Wobble,
        seed: int,
        step_factor: int = 1,
        *,
        magnification: float = 5.0,
        na: float = 0.14,
        far_um: float | None = None,
    ) -> None:
        sensor = Sensor(768, 512, 5.0)
        self.optics: Optics = resolve(Rig(sensor, InfinityObjective(magnification, na, 200, 200)))
        self.specimen = SPECIMENS[specimen]
        deep_um = self.specimen.depth_um if far_um is None else far_um
        wanted = Wanted(near_um=0, sharp_um=self.optics.sharp_depth_um.total, far_um=deep_um)
        self.ladder: Ladder = plan_ladder(self.optics, wanted, rail=Rail(2.5))
        self.positions = self.ladder.positions_um[::step_factor]
        self.bench = SimulatedStand(self.specimen, self.optics, sensor, near_um=0, seed=seed, wobble=wobble)
        self.frames = MemoryFrames([self.shoot(position) for position in self.positions])
        self.truths = self.bench.truths

    def shoot(self, position_um: float) -> NDArray[np.uint8]:
        """One more frame."""
        self.bench.move_to(position_um)
        data = np.frombuffer(self.bench.expose().content, np.uint8)
        return np.asarray(cv2.imdecode(data, cv2.IMREAD_COLOR_RGB), np.uint8)


def corner_error_px(found: NDArray[np.float64], wanted: NDArray[np.float64], shape: tuple[int, ...]) -> float:
    """How far a corner, or the middle, of a frame comes to lie from where it belongs."""
    height, width = shape[:2]
    corners = np.array([[0, 0], [width - 1, 0], [0, height - 1], [width - 1, height - 1], [width / 2, height / 2]])
    one, two = (corners @ m[:, :2].T + m[:, 2] for m in (found, wanted))
    return float(np.hypot(*(one - two).T).max())


@cache
def shot(specimen: str, seed: int = 3) -> Shot:
    """A stack with the usual wobble, shot once."""
    return Shot(specimen, Wobble(), seed)


def psnr_db(picture: NDArray[np.float64], truth: NDArray[np.float64]) -> float:
    """Likeness to the truth after the best common gain, dB of the 8-bit range."""
    gain = float((picture * truth).sum() / (picture * picture).sum())
    return float(10 * np.log10(255**2 / np.mean((gain * picture - truth) ** 2)))
