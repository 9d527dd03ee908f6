"""What the stages ask of the devices on the bench."""

from dataclasses import dataclass
from datetime import datetime
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from amber_ladder.devices.stopping import StopToken


@dataclass(frozen=True, slots=True)
class Exposure:
    """One frame as the camera hands it over: an encoded file, when it was exposed (local time), its bits a channel."""

    content: bytes
    suffix: str
    captured_at: datetime
    bits: int = 8


class Rail(Protocol):
    """A motorised rail or stage. Positions in µm, rising as focus moves from near to far.

    Every call raises DeviceTrouble when the rail is silent, unplugged, or answers what cannot be understood.
    """

    def position_um(self) -> float:
        """What the rail says of where it is; with backlash the carriage may lie elsewhere."""

    def move_to(self, position_um: float, stop: StopToken) -> float | None:
        """Move, and return once the rail rests; where it says it then is, None where it does not tell finely enough.

        It need not be where it was sent: steps are whole clicks. Raises Stopped, before anything moves if ``stop``
        was told to already, else at once wherever the rail is.
        """

    def home(self, stop: StopToken) -> None:
        """Find the end of travel that lies away from the specimen, which is where positions count from.

        Raises Stopped like :meth:`move_to`; a rail that was stopped on its way has not found its end.
        """

    def close(self) -> None:
        """Let go of the line."""


class Camera(Protocol):
    """A camera that exposes one frame at a time."""

    def expose(self) -> Exposure:
        """Expose one frame and return its file.

        Raises DeviceTrouble when none comes, UnreadablePicture when one came that must be exposed again.
        """


class LiveView(Protocol):
    """A camera's live view: small pictures, and parts of the sensor at full size, as RGB of 8 bits (H, W, 3)."""

    def live(self, width_px: int) -> NDArray[np.uint8]:
        """The whole field at this width."""

    def loupe(self, x: float, y: float, side_px: int) -> NDArray[np.uint8]:
        """A square of the sensor at 1:1, centred on (x, y) as shares of width and height."""


class Flash(Protocol):
    """A flash that is set in fractions of its full power."""

    power: float
    """The fraction set: 1 is full, 0.125 is 1/8."""
    on: bool
    """Whether it fires with the next exposure."""
    heads: dict[str, float]
    """The share of the set power that each of its heads gives, by name; empty where they cannot be set one by one."""

    def ready_in_s(self) -> float:
        """Seconds until it has the energy for the power that is set."""

    def recycle_s(self, power: float) -> float:
        """Seconds between two pops at a power, once the first reserve is used up."""
