"""How surely frames lie: at the picture's corners, and where they are shown."""

from collections.abc import Sequence
from math import ceil

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.depth import Surface
from amber_ladder.core.registration import Matrix

Double = NDArray[np.float64]

SHOWN_FRAMES = 0.65
"""Within so many frames of its depth a place is shown by a frame, as in depth pick."""
_MOST_PLACES = 200_000  # of the surface are looked at
_NEARLY_ALL = 0.95  # of what a frame shows: a stray depth in a far corner says nothing of it


def corner_px(covariances: Double) -> Double:
    """Standard uncertainties (N,) at the corners, of covariances (N, 4, 4) of scale, turn (px there) and shift."""
    return np.asarray(np.sqrt(np.trace(covariances, axis1=1, axis2=2)), np.float64)


def shown_px(
    covariances: Double,
    matrices: Sequence[Matrix],
    found: Surface,
    factor: int,
    shape: tuple[int, int],
    crop: tuple[int, int, int, int],
) -> Double:
    """Standard uncertainties (N,) of the frames' px, each where its frame is shown; 0 for a frame that is not.

    A frame that shows the middle alone may be turned a little without harm. ``matrices`` map frames of ``shape``
    (height, width) to the reference, on which ``found`` lies, ``factor`` times smaller; ``crop`` is x, y, width,
    height there.
    """
    left, top, width, height = (edge // factor for edge in crop)
    every = ceil((width * height / _MOST_PLACES) ** 0.5) or 1
    within = np.s_[top : top + height : every, left : left + width : every]
    index, known = found.index[within], found.known[within]
    corner = float(np.hypot(*shape)) / 2.0
    middle = np.array([(shape[1] - 1) / 2.0, (shape[0] - 1) / 2.0, 1.0])
    worst = np.zeros(len(matrices))
    for place, (covariance, matrix) in enumerate(zip(covariances, matrices, strict=True)):
        rows, columns = np.nonzero(known & (np.abs(index - place) < SHOWN_FRAMES))
        if rows.size == 0:
            continue
        x, y = matrix @ middle
        across = ((every * columns + left) * factor - x) / corner
        down = ((every * rows + top) * factor - y) / corner
        # The trace of J C Jᵀ with J = [[across, -down, 1, 0], [down, across, 0, 1]].
        grown = (covariance[0, 0] + covariance[1, 1]) * (across**2 + down**2)
        along = (covariance[0, 2] + covariance[1, 3]) * across + (covariance[0, 3] - covariance[1, 2]) * down
        variance = grown + 2.0 * along + covariance[2, 2] + covariance[3, 3]
        worst[place] = np.sqrt(max(float(np.quantile(variance, _NEARLY_ALL)), 0.0))
    return worst
