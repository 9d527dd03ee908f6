"""Which end of a take was shot first, told from how the picture grows and where sharpness travels."""

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


def order_of(files: Sequence[SeenFile], fit: Sequence[int], leapt: frozenset[int]) -> tuple[Order, str]:
    """The order of a take shot on a stand, and why; ``leapt`` are places where something else moved than focus.

    Two signs are heard. On a rail the picture grows as focus goes deeper, and a part that comes into focus shrinks.
    Specimens lie before what they lie on: their middle comes into focus before the border when the near end is first.
    Where the two contradict each other, or neither tells, the order is unknown.
    """
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
