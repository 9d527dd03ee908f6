"""The simulated camera as the station holds it."""

import threading
from collections import deque
from collections.abc import Callable
from uuid import uuid4

import numpy as np
from numpy.typing import NDArray

from amber_ladder.devices.protocols import Exposure
from amber_ladder.simulated.camera._line import CameraLine
from amber_ladder.simulated.camera.body import CameraSetup
from amber_ladder.simulated.flash import SimulatedFlash
from amber_ladder.simulated.lighting import Lighting
from amber_ladder.simulated.rail.mechanics import Build, Truth
from amber_ladder.simulated.wobble import FrameTruth


class SimulatedCamera:
    """A camera and its live view. ``look`` tells where the rail's carriage really is and how it swings.

    The flash's heads light the specimen, ``diffused`` or bare, or a lamp turned to ``lamp_deg`` does instead. Raises
    DeviceTrouble when the process that makes the pictures is gone.
    """

    def __init__(self, setup: CameraSetup, flash: SimulatedFlash, look: Callable[[], tuple[Truth, Build]]) -> None:
        self._setup, self._flash, self._look = setup, flash, look
        # Whoever looks at the live view does not wait for an exposure: each has its line.
        name = uuid4().hex
        self._exposing, self._showing = CameraLine(name, setup), CameraLine(name, setup)
        self._turn = threading.Lock()
        self.diffused = True
        self.lamp_deg: float | None = None
        self.truths: deque[FrameTruth] = deque(maxlen=500)

    @property
    def right_power(self) -> float:
        """The flash power that exposes rightly; what a test frame is to find out."""
        return self._setup.right_power

    def close(self) -> None:
        """Let go of the camera."""
        self._exposing.close()
        self._showing.close()

    def expose(self) -> Exposure:
        """Open the shutter, fire the flash, read out; returns when the file has been moved over."""
        with self._turn:
            truth, build = self._look()
            exposure: Exposure
            exposure, happened = self._exposing.ask("expose", truth, build, self._flash.fire(), self._lighting())
            self.truths.append(happened)
            return exposure

    def live(self, width_px: int) -> NDArray[np.uint8]:
        """The whole field, lit by the modelling lamp."""
        picture: NDArray[np.uint8] = self._showing.ask("live", *self._look(), width_px, self._lighting())
        return picture

    def loupe(self, x: float, y: float, side_px: int) -> NDArray[np.uint8]:
        """A square of the sensor at 1:1."""
        picture: NDArray[np.uint8] = self._showing.ask("loupe", self._look()[0], x, y, side_px, self._lighting())
        return picture

    def _lighting(self) -> Lighting:
        heads = self._flash.heads
        return Lighting(heads["left"], heads["right"], self.diffused, self.lamp_deg)
