"""What the frames of a series tell of how far focus moved between them, while it is being shot."""

from collections import deque
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting import Shot
from amber_ladder.core.sorting.run import (
    Comparer,
    Refocus,
    SeenFile,
    Small,
    has_stayed,
    look_at,
    passed_over,
    refocus,
    shrunk_by,
    sort_take,
    steps_between,
)


class PictureWatch:
    """Looks at one frame after the other, and says what does not fit, one frame later: it takes those on either side.

    ``same`` are frames (counted from 0) that show what the one before shows, ``passed`` those before which rungs were
    passed over, with how many.
    """

    def __init__(self) -> None:
        self.same: set[int] = set()
        self.passed: dict[int, int] = {}
        self._comparer = Comparer()
        self._seen: list[SeenFile] = []
        self._moved: list[Refocus | None] = []
        """From each frame to the one after it."""
        self._small: deque[Small] = deque(maxlen=2)
        self._settled: set[int] = set()

    def add(self, picture: NDArray[np.uint8], shot: Shot) -> None:
        """Look at one more frame (RGB, H, W, 3)."""
        factor = shrunk_by(picture.shape[1], picture.shape[0])
        size = (picture.shape[1] // factor, picture.shape[0] // factor)
        shrunk = cv2.resize(picture, size, interpolation=cv2.INTER_AREA) if factor > 1 else picture
        look, small = look_at(np.asarray(shrunk, np.uint8), factor)
        before = self._small[-1] if self._small else None
        if self._seen:
            self._moved.append(refocus(before, small) if before else None)
        seen = SeenFile(shot.name, "", shot.width_px, shot.height_px, shot.bits, None, None, look, None)
        self._seen.append(replace(seen, against=self._comparer.compare(before, small) if before else None))
        self._small.append(small)
        self._judge()

    def apart(self) -> None:
        """The next frame is no neighbour of the last one: what lies between them is known."""
        self._small.clear()

    def drop_last(self) -> None:
        """The last frame is shot again: it tells nothing."""
        if self._seen:
            self.drop(len(self._seen) - 1)

    def drop(self, place: int) -> None:
        """This frame takes no part any more; the one after it is not compared with the one before it."""
        last = len(self._seen) - 1
        del self._seen[place]
        self._settled = {one if one < place else one - 1 for one in self._settled if one != place}
        if place == last:
            self._small = deque(list(self._small)[:-1], maxlen=2)
            del self._moved[place - 1 : place]
        else:
            self._moved[max(place - 1, 0) : place + 1] = [None] * (place > 0)
            self._seen[place] = replace(self._seen[place], against=None)
        self._judge()

    def settle(self, place: int) -> None:
        """What the pictures told of this frame has been seen to."""
        self._settled.add(place)
        self._judge()

    def ends(self) -> tuple[bool | None, bool | None]:
        """Whether focus went on to where nothing is sharp, before the first and after the last frame; None: unknown."""
        return sort_take(self._seen, {}).passed if self._seen else (None, None)

    def _judge(self) -> None:
        alike = (
            {one.place for one in sort_take(self._seen, {}).flags if one.kind == "duplicate"} if self._seen else set()
        )
        steps = {place: one for place, one in enumerate(steps_between(self._moved), start=1) if one is not None}
        open_yet = {place: one for place, one in steps.items() if place not in self._settled}
        self.same = {place for place, one in open_yet.items() if has_stayed(one)} | (alike - self._settled)
        self.passed = {
            place: count
            for place, one in open_yet.items()
            if (count := passed_over(one)) and not {place - 1, place + 1} & self.same
        }
