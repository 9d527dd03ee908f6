"""Which end of a take was shot first: as the camera noted its focus, or as the picture grows and sharpness travels."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting.run._file import SeenFile, details

Order = Literal["near-first", "far-first", "unknown"]

_GROWS = 0.001  # in all: less tells nothing
_GROWS_MUCH, _GROWS_SURELY = 0.005, 4.0  # tells by itself: in all, and times its standard error
_TRAVELS = 0.3  # correlation of ranks
_STANDS_OUT, _OVER_NOISE = 1.5, 2.0
_TO_TELL = 12
_NOTED = 3  # distances of focus: two may be a touch of the ring


def order_of(files: Sequence[SeenFile], fit: Sequence[int], leapt: frozenset[int]) -> tuple[Order, str]:
    """The order of a take shot on a stand, and why; ``leapt`` are places where something else moved than focus.

    Where a camera steps its lens and notes the distance, that is known, and the lens may breathe either way. Else two
    signs are heard. On a rail the picture grows as focus goes deeper, and a part that comes into focus shrinks.
    Specimens lie before what they lie on: their middle comes into focus before the border when the near end is first.
    Where the two contradict each other, or neither tells, the order is unknown.
    """
    noted = _noted([files[place].focus_m for place in fit])
    if noted:
        return noted
    steps = np.array([
        against.growth
        for before, place in pairwise(fit)
        if place == before + 1 and place not in leapt and (against := files[place].against)
    ])  # fmt: skip
    growth = float(steps.sum())
    outward = _outward(details([files[place] for place in fit]))
    grows = f"the picture {'grows' if growth > 0 else 'shrinks'}"
    travels = f"sharpness travels {'outward' if outward > 0 else 'inward'}"
    order: Order = "near-first" if growth > 0 else "far-first"
    if abs(growth) > _GROWS and abs(outward) > _TRAVELS:
        if growth * outward > 0:
            return order, f"{grows}, {travels}"
        return "unknown", f"{grows}, but {travels}"
    if abs(growth) > max(_GROWS_MUCH, _GROWS_SURELY * _error_of_sum(steps)):
        return order, grows
    if abs(growth) > _GROWS_MUCH:
        return "unknown", "the picture changes size no more than by chance"
    return "unknown", "the picture hardly changes size"


def _noted(focus_m: Sequence[float | None]) -> tuple[Order, str] | None:
    """The order in which the camera noted its focus; None unless it noted it for all, and it went one way only."""
    known = [one for one in focus_m if one is not None]
    if len(known) < len(focus_m) or len(set(known)) < _NOTED:
        return None
    rising = sorted(known)
    if known not in (rising, rising[::-1]):
        return None
    order: Order = "near-first" if known == rising else "far-first"
    return order, f"the camera noted its focus from {known[0]:.6g} to {known[-1]:.6g} m"


def _error_of_sum(steps: NDArray[np.float64]) -> float:
    """Standard error of the sum of steps, from how they scatter about their median."""
    if not steps.size:
        return 0.0
    return float(1.4826 * np.median(np.abs(steps - np.median(steps))) * np.sqrt(steps.size))


def _outward(detail: NDArray[np.float32]) -> float:
    """Correlation of ranks between when a tile (N, rows, columns) comes into focus and how far out it lies."""
    count, rows, columns = detail.shape
    flat = detail.reshape(count, -1)
    noise = float(np.percentile(flat, 5))
    peak = flat.max(axis=0)
    sure = (peak > _STANDS_OUT * np.percentile(flat, 20, axis=0)) & (peak > _OVER_NOISE * noise)
    if np.count_nonzero(sure) < _TO_TELL:
        return 0.0
    y, x = np.mgrid[0:rows, 0:columns]
    out = np.hypot((x - (columns - 1) / 2) / columns, (y - (rows - 1) / 2) / rows).ravel()[sure]
    when = flat.argmax(axis=0)[sure]
    if np.ptp(when) == 0:
        return 0.0
    first, second = (np.argsort(np.argsort(one, kind="stable"), kind="stable").astype(float) for one in (out, when))
    return float(np.corrcoef(first, second)[0, 1])
