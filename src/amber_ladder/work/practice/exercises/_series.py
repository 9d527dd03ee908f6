"""Series of frames for exercises: drawn from a seed, rendered when they are looked at, with the truth beside them."""

import threading
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.optics import resolve
from amber_ladder.formats.rig_json import InfinityObjectiveJson, RigJson, SensorJson
from amber_ladder.simulated.specimens import SPECIMENS
from amber_ladder.simulated.stand import SimulatedStand
from amber_ladder.work.practice.exercises._kinds import Drawn
from amber_ladder.work.practice.stand import simulated_stand

RIG = RigJson(
    sensor=SensorJson(width_px=480, height_px=320, pixel_um=5.0),
    train=InfinityObjectiveJson(nominal_magnification=5, na=0.14, design_tube_mm=200, tube_mm=200),
)
"""What practice is shot with where the rig does not matter: small frames, that come at once."""
OPTICS = resolve(RIG.to_core())
_TARGETS = ("ruled-slide", "focus-ramp")
_FLAWS = {1: (), 2: ("noise",), 3: ("noise", "drift", "flicker")}
_turn = threading.Lock()


def specimen_of(drawn: Drawn) -> str:
    """What lies under the lens."""
    names = sorted(name for name in SPECIMENS if name not in _TARGETS)
    return drawn.specimen or names[drawn.seed % len(names)]


def flaws_of(drawn: Drawn) -> tuple[str, ...]:
    """The faults that are on: those that are named, or those of the level."""
    return tuple(drawn.flaws) or _FLAWS[drawn.level]


class Series:
    """A stand with a specimen, and what was exposed at each of some places (µm). Frames are made in their order."""

    def __init__(self, stand: SimulatedStand, positions_um: tuple[float, ...]) -> None:
        self.stand, self.positions_um = stand, positions_um
        self._frames: list[bytes] = []

    def frame(self, index: int) -> bytes:
        """One frame as JPEG."""
        with _turn:
            while len(self._frames) <= index:
                self.stand.move_to(self.positions_um[len(self._frames)])
                self._frames.append(self.stand.expose().content)
            return self._frames[index]

    def pictures(self) -> list[NDArray[np.uint8]]:
        """All frames (H, W, 3), RGB."""
        return [decoded(self.frame(index)) for index in range(len(self.positions_um))]

    def depth_um(self) -> NDArray[np.float32]:
        """The true depth (H, W) of what the first frame sees, from the specimen's nearest point."""
        self.frame(0)
        return self.stand.sharp_depth_um(self.stand.truths[0].matrix)


def decoded(jpeg: bytes) -> NDArray[np.uint8]:
    """A JPEG as RGB."""
    picture = cv2.imdecode(np.frombuffer(jpeg, np.uint8), cv2.IMREAD_COLOR_RGB)
    assert picture is not None
    return np.asarray(picture, np.uint8)


def encoded(picture: NDArray[np.uint8]) -> bytes:
    """RGB as JPEG."""
    ok, content = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 92])
    assert ok
    return bytes(content)


@lru_cache(maxsize=4)
def series(specimen: str, seed: int, flaws: tuple[str, ...], positions_um: tuple[float, ...]) -> Series:
    """Built once, while it is practised with."""
    return Series(simulated_stand(RIG, specimen, near_um=0.0, seed=seed, flaws=flaws), positions_um)
