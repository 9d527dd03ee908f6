"""What the stages ask of the devices on the bench."""

from dataclasses import dataclass
from datetime import datetime
from typing import Protocol


@dataclass(frozen=True, slots=True)
class Exposure:
    """One frame as the camera hands it over: an encoded file, and when it was exposed (local time)."""

    content: bytes
    suffix: str
    captured_at: datetime


class Rail(Protocol):
    """A motorised rail or stage. Positions in µm, rising as focus moves from near to far."""

    def move_to(self, position_um: float) -> None:
        """Move, settle, and return once the stage is at rest."""


class Camera(Protocol):
    """A camera that exposes one frame at a time."""

    def expose(self) -> Exposure:
        """Expose one frame at the rail's present position."""
