"""A simulated flash: it stores energy, gives a set fraction of it, and needs time to store it again."""

import threading
import time
from collections.abc import Callable

from amber_ladder.devices.protocols import Flash


class SimulatedFlash(Flash):
    """``recycle_full_s`` is the time to store all its energy. ``tired`` stores it that many times slower in truth.

    Two heads share it, left and right of the specimen.

    What it says of itself (``ready_in_s``) it reckons from the data sheet, as a real one's lamp does.
    """

    def __init__(self, recycle_full_s: float, *, clock: Callable[[], float] = time.monotonic) -> None:
        self.power = 0.125
        self.on = True
        self.heads = {"left": 1.0, "right": 1.0}
        self.tired = 1.0
        self.recycle_full_s = recycle_full_s
        self._clock = clock
        self._turn = threading.Lock()
        self._at_s = clock()
        self._stored, self._believed = 1.0, 1.0

    def recycle_s(self, power: float) -> float:
        """Energy goes with power, so time does."""
        return power * self.recycle_full_s

    def ready_in_s(self) -> float:
        """Until the energy for one pop is there."""
        with self._turn:
            self._charge()
            return max(0.0, (self.power - self._believed) * self.recycle_full_s) if self.on else 0.0

    def fire(self) -> float:
        """Give light: the fraction of full power that came out; less than was set if it was fired too soon."""
        with self._turn:
            self._charge()
            if not self.on:
                return 0.0
            given = min(self.power, self._stored)
            self._stored -= given
            self._believed = max(0.0, self._believed - self.power)
            return given

    def _charge(self) -> None:
        now_s = self._clock()
        since = now_s - self._at_s
        self._at_s = now_s
        if self.recycle_full_s <= 0.0:
            self._stored = self._believed = 1.0
            return
        self._believed = min(1.0, self._believed + since / self.recycle_full_s)
        self._stored = min(1.0, self._stored + since / (self.recycle_full_s * self.tired))
