"""A search that finds the specimen, and where nothing of it is sharp any more, nearer and farther."""

import time
from collections.abc import Callable, Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import Ends, EndsFinder
from amber_ladder.core.planning import Reach
from amber_ladder.devices.protocols import LiveView
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import Conflict
from amber_ladder.work.shoot.live import WIDTH_PX, anything_in_focus
from amber_ladder.work.shoot.views import SearchView

Move = Callable[[float, StopToken], float | None]

_STEP = 0.45  # of the sharp depth
_CLEAR_DEPTHS = 5.0  # so many sharp depths without anything sharp are the end
_FARTHEST_DEPTHS = 400.0  # from the plan, without meeting anything
_RUN_UP_UM = 300.0


class Search:
    """Looks for the ends of what a plan from ``near_um`` to ``far_um`` is for; all positions are the stage's, in µm.

    ``sharp_um`` is the sharp depth as a stage move.
    """

    def __init__(
        self, move: Move, live: LiveView, reach: Reach, *, near_um: float, far_um: float, sharp_um: float
    ) -> None:
        self._move, self._live, self._reach = move, live, reach
        self._near_um, self._far_um, self._sharp_um = near_um, far_um, sharp_um
        self._phase: str = "look"
        self._left_um = 0.0
        self._um_a_second: float | None = None

    def view(self) -> SearchView:
        """What it does, and how long that takes if the specimen lies where the plan says; None while unknown."""
        pace = self._um_a_second
        return SearchView(self._phase, self._left_um / pace if pace else None)  # type: ignore[arg-type]

    def ends(self, stop: StopToken) -> Ends:
        """Begin where the plan does and look outwards until something is sharp; then go nearer until nothing is, and

        far until nothing is again, measuring on the way there alone, so that the play of the screw does not show.
        Raises Stopped, DeviceTrouble, and Conflict where nothing was sharp.
        """
        met_um = self._meet(stop)
        position = self._clear(met_um, stop)
        self._to(max(position - _RUN_UP_UM, self._lowest_um), stop)
        return self._measure(position, met_um, stop)

    def _meet(self, stop: StopToken) -> float:
        for low, high in self._spans():
            position = low
            while position <= high:
                self._left_um = self._far_um - min(position, self._far_um) + 2 * _CLEAR_DEPTHS * self._sharp_um
                if anything_in_focus(self._look(position, stop)):
                    return position
                position += self._sharp_um
        raise Conflict(
            "nothing was sharp anywhere on the way: is there light, is the specimen under the lens, and is the rail "
            "near its working distance?"
        )

    def _spans(self) -> Iterator[tuple[float, float]]:
        """The plan; then, on either side in turn, stretches that grow, as far as the rail and patience reach."""
        margin = _CLEAR_DEPTHS * self._sharp_um
        low, high = self._within(self._near_um - margin), self._within(self._far_um + margin)
        yield low, high
        lowest = max(self._lowest_um, self._near_um - _FARTHEST_DEPTHS * self._sharp_um)
        highest = min(self._highest_um, self._far_um + _FARTHEST_DEPTHS * self._sharp_um)
        width = max(high - low, 2.0 * margin)
        while low > lowest or high < highest:
            if high < highest:
                yield high, min(high + width, highest)
            if low > lowest:
                yield max(low - width, lowest), low
            low, high, width = max(low - width, lowest), min(high + width, highest), 2.0 * width

    def _clear(self, position_um: float, stop: StopToken) -> float:
        """Go nearer until nothing has been sharp for a while; returns that position."""
        self._phase = "clear"
        position = clear_since = position_um
        while clear_since - position < _CLEAR_DEPTHS * self._sharp_um:
            following = position - self._sharp_um
            if following < self._lowest_um:
                break
            position = following
            if anything_in_focus(self._look(position, stop)):
                clear_since = position
        return position

    def _measure(self, position_um: float, met_um: float, stop: StopToken) -> Ends:
        self._phase = "measure"
        finder, position, sharp_um = EndsFinder(), position_um, self._sharp_um
        while True:
            self._left_um = max(self._far_um + _CLEAR_DEPTHS * sharp_um - position, 0.0)
            rgb = self._look(position, stop, share=_STEP)
            finder.add(position, np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255))
            if finder.passed_far(sharp_um, _CLEAR_DEPTHS):
                break
            position += _STEP * sharp_um
            nothing_yet = finder.ends(sharp_um) is None
            if position > self._highest_um or (nothing_yet and position > met_um + _FARTHEST_DEPTHS * sharp_um):
                break
        ends = finder.ends(sharp_um)
        if ends is None:
            raise Conflict("something was sharp, but too little to measure: more light, or mark the ends by hand")
        return ends

    def _look(self, position_um: float, stop: StopToken, *, share: float = 1.0) -> NDArray[np.uint8]:
        began = time.monotonic()
        self._to(position_um, stop)
        rgb = self._live.live(WIDTH_PX)
        pace = share * self._sharp_um / max(time.monotonic() - began, 1e-3)
        self._um_a_second = pace if self._um_a_second is None else 0.8 * self._um_a_second + 0.2 * pace
        return rgb

    def _to(self, position_um: float, stop: StopToken) -> None:
        stop.check()
        self._move(position_um, stop)
        stop.check()

    def _within(self, position_um: float) -> float:
        return min(max(position_um, self._lowest_um), self._highest_um)

    @property
    def _lowest_um(self) -> float:
        return float("-inf") if self._reach.lowest_um is None else self._reach.lowest_um

    @property
    def _highest_um(self) -> float:
        return float("inf") if self._reach.highest_um is None else self._reach.highest_um
