"""The growing picture of the take that is being shot, kept up to date beside the run."""

import logging
import threading
import time
from collections import deque
from concurrent.futures import ThreadPoolExecutor

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import colour_depth
from amber_ladder.core.growing import GrowingPicture, Growth
from amber_ladder.work.shoot.views import GrowthView

log = logging.getLogger(__name__)


class Growing:
    """Frames are taken in one after the other by a thread of its own. ``lag_s`` is how far it was behind, lately.

    ``trouble`` says why it grows no more: a run goes on without it, for the frames themselves are kept.
    """

    def __init__(self, take_id: int, *, by_hand: bool = False) -> None:
        self.take_id = take_id
        self.lag_s: deque[float] = deque(maxlen=100)
        self.trouble: str | None = None
        self._turn = threading.Lock()
        self._picture = GrowingPicture(by_hand=by_hand)
        self._positions: list[float] = []
        self._in_depth = not by_hand
        self._last: Growth | None = None
        self._histogram: list[int] = []
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="growing")

    def add(self, frame: NDArray[np.uint8], position_um: float) -> None:
        """Let it take in a frame; returns at once."""
        self._pool.submit(self._add, frame, position_um, time.monotonic())

    def add_now(self, frame: NDArray[np.uint8], position_um: float) -> Growth | None:
        """Take in a frame and wait for what it brings; None once it grows no more."""
        self._pool.submit(self._add, frame, position_um, time.monotonic()).result()
        return None if self.trouble else self._last

    def close(self) -> None:
        """Take nothing more in; what is there can still be looked at."""
        self._pool.shutdown(wait=False, cancel_futures=True)

    def view(self) -> GrowthView | None:
        """How far it is; None before the first frame."""
        with self._turn:
            if self._last is None:
                return None
            known = self._in_depth
            return GrowthView(
                self.take_id,
                self._picture.count,
                round(self._last.newest_share, 4),
                round(self._last.moved, 4),
                round(self._last.shift_px, 2),
                round(self._picture.covered(min(self._positions), max(self._positions)), 4) if known else None,
                self._histogram,
                self.trouble,
            )

    def jpeg(self, what: str) -> bytes | None:
        """The composite, with what moved outlined; or the depth in colours. None before the first frame."""
        with self._turn:
            if self._last is None:
                return None
            picture = self._picture.picture()
            moved = self._picture.moved()
            depth = self._picture.depth_um() if what == "depth" else None
            near, far = min(self._positions), max(self._positions)
        if depth is not None:
            picture = colour_depth(depth, near, far)
        outline = cv2.morphologyEx(moved.astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0
        picture[outline] = (255, 90, 80)
        return bytes(cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])[1])

    def _add(self, frame: NDArray[np.uint8], position_um: float, since_s: float) -> None:
        if self.trouble:
            return
        try:
            with self._turn:
                self._last = self._picture.add(frame, position_um)
                self._positions.append(position_um)
                brightest = frame[::4, ::4].max(axis=2)
                self._histogram = np.bincount(brightest.ravel() >> 2, minlength=64).tolist()
        except Exception as error:
            log.exception("the growing picture of take %s", self.take_id)
            self.trouble = (
                f"The picture grows no more ({type(error).__name__}: {error}). The frames are kept all the same."
            )
        self.lag_s.append(time.monotonic() - since_s)
