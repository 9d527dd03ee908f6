"""The time that a run goes by: a wall clock at the bench; simulated devices bring one that can be hurried."""

import time
from typing import Protocol


class Clock(Protocol):
    """Seconds that never run back."""

    def now_s(self) -> float:
        """The present moment, from any zero."""

    def wait(self, seconds: float) -> None:
        """Return once so many seconds have gone by."""


class WallClock(Clock):
    """The time of the room."""

    def now_s(self) -> float:
        """Seconds of the machine's monotonic clock."""
        return time.monotonic()

    def wait(self, seconds: float) -> None:
        """Sleep."""
        time.sleep(seconds)
