"""A marked place in the live view, whose brightness is followed while lamp, specimen or camera is turned."""

import statistics
import threading
from collections import deque
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import place_light
from amber_ladder.errors import Conflict, NotFound
from amber_ladder.store.base import now
from amber_ladder.work.shoot.orders import PlaceEntry
from amber_ladder.work.shoot.views import BestView, PlaceView

_CALM = 3  # moments whose median counts: one that a hand or a cable crosses does not
_CLIPPED = 0.02


class PlaceWatch:
    """Reads one place at every moment of the live view, and keeps the brightest with its picture."""

    def __init__(self, entry: PlaceEntry) -> None:
        self.entry = entry
        self._turn = threading.Lock()
        self._readings: deque[float] = deque(maxlen=_CALM)
        self._lamp_deg: float | None = None
        self._best: BestView | None = None
        self._jpeg = b""
        self._number = 0

    def read(self, picture: NDArray[np.uint8], lamp_deg: float | None) -> PlaceView:
        """What the place gives now, in a picture (H, W, 3); ``lamp_deg`` is where the lamp is, if somebody knows."""
        light = place_light(picture, self.entry.x, self.entry.y, self.entry.radius)
        clipped = light.clipped > _CLIPPED
        with self._turn:
            if lamp_deg != self._lamp_deg:
                self._readings.clear()  # it shows another angle: what was read before tells nothing of this one
                self._lamp_deg = lamp_deg
            self._readings.append(light.stops)
            stops = statistics.median(self._readings)
            calm = len(self._readings) == _CALM
            if calm and (self._best is None or stops > self._best.stops):
                self._number += 1
                self._best = BestView(self._number, stops, clipped, lamp_deg, "", now())
                self._jpeg = bytes(cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 82])[1])
            return PlaceView(self.entry, stops, clipped, self._best)

    @property
    def best(self) -> BestView | None:
        """The brightest so far; None before the first calm moment."""
        return self._best

    def picture(self) -> bytes:
        """The live view at the brightest, as JPEG. Raises NotFound."""
        if not self._jpeg:
            raise NotFound("the place was not read yet")
        return self._jpeg

    def note(self, words: str) -> None:
        """Where lamp, specimen or camera stood at the brightest, in a person's words. Raises Conflict before that."""
        with self._turn:
            if self._best is None:
                raise Conflict("the place was not read yet: there is no best angle to note")
            self._best = replace(self._best, note=words)
