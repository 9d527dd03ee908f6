"""A clock for practice: waiting costs no time, and yet the times of a run come out as they would be."""

import threading

from amber_ladder.devices.clock import Clock


class HurriedClock(Clock):
    """Stands still unless somebody waits; may be used from several threads."""

    def __init__(self) -> None:
        self._turn = threading.Lock()
        self._now_s = 0.0

    def now_s(self) -> float:
        """Seconds that have been waited for so far."""
        with self._turn:
            return self._now_s

    def wait(self, seconds: float) -> None:
        """Let so many seconds go by at once."""
        with self._turn:
            self._now_s += max(seconds, 0.0)
