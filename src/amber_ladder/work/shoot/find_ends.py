"""A sweep that finds where nothing is sharp any more, nearer and farther."""

from collections.abc import Callable

import cv2
import numpy as np

from amber_ladder.core.focus import Ends, EndsFinder, in_focus
from amber_ladder.core.planning import Reach
from amber_ladder.devices.protocols import LiveView, Rail
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import Conflict

_WIDTH_PX = 704
_STEP = 0.45  # of the sharp depth
_CLEAR_DEPTHS = 5.0  # so many sharp depths without anything sharp are the end
_SOMETHING = 0.0006  # share of pixels in focus, above which something is
_FARTHEST_DEPTHS = 400.0  # without meeting anything, from where the sweep began


def sweep(
    move: Callable[[float, StopToken], float | None],
    rail: Rail,
    live: LiveView,
    reach: Reach,
    sharp_um: float,
    stop: StopToken,
) -> Ends:
    """Go nearer until nothing is sharp, then far until nothing is sharp again, measuring on the way there alone, so

    that the play of the screw does not show. Raises Stopped, DeviceTrouble, and Conflict where nothing was sharp.
    """
    started_um = rail.position_um()
    position = _clear(move, live, reach, sharp_um, started_um, stop)
    run_up_um = 300.0
    move(max(position - run_up_um, reach.lowest_um) if reach.lowest_um is not None else position - run_up_um, stop)
    finder = EndsFinder()
    while True:
        move(position, stop)
        stop.check()
        rgb = live.live(_WIDTH_PX)
        grey = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255)
        finder.add(position, grey)
        if finder.passed_far(sharp_um, _CLEAR_DEPTHS):
            break
        following = position + _STEP * sharp_um
        if reach.highest_um is not None and following > reach.highest_um:
            break
        if finder.ends(sharp_um) is None and position > started_um + _FARTHEST_DEPTHS * sharp_um:
            break
        position = following
    ends = finder.ends(sharp_um)
    if ends is None:
        raise Conflict(
            "nothing was sharp anywhere on the way: is there light, is the specimen under the lens, and is the rail "
            "near its working distance?"
        )
    return ends


def _clear(
    move: Callable[[float, StopToken], float | None],
    live: LiveView,
    reach: Reach,
    sharp_um: float,
    position_um: float,
    stop: StopToken,
) -> float:
    """Go nearer from where the rail is until nothing has been sharp for a while; returns that position."""
    clear_since = position_um
    position = position_um
    while clear_since - position < _CLEAR_DEPTHS * sharp_um:
        stop.check()
        rgb = live.live(_WIDTH_PX)
        grey = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255)
        if float(in_focus(grey).edges.mean()) > _SOMETHING:
            clear_since = position
        following = position - sharp_um
        if reach.lowest_um is not None and following < reach.lowest_um:
            break
        position = following
        move(position, stop)
    return position
