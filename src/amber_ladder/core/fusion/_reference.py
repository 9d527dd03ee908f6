"""Which frame all others are laid on."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

_TELLING_SHARE = 0.5  # of what each frame would show if as many as tell something told alike
_REFERENCE_PX = 0.2


def surest_frame(held: int, sharp: NDArray[np.float64], corner_px: NDArray[np.float64]) -> int:
    """The frame against which what is sharp lies most surely; ``corner_px`` is how sure frames are against ``held``.

    Frames hang on one another like a chain: what makes one unsure adds up from it to the next. Where a stretch shows
    next to nothing, as between crystal faces and the ground far behind, that side counts which shows more in all.
    """
    variance = np.square(corner_px)
    variance[:held] *= -1.0
    apart = np.sqrt(np.abs(variance[:, None] - variance))
    return int(np.argmin(apart @ sharp))


def narrowest(scales: Sequence[float], surest: int, sharp: NDArray[np.float64], corner_px: NDArray[np.float64]) -> int:
    """The narrowest view of those that show much of what is sharp, and lie surely against the ``surest`` of all.

    Every other such frame covers it, so that hardly an edge has to be invented; against one that lies badly all others
    would lie badly.
    """
    part = sharp / max(float(sharp.sum()), 1e-9)
    many = 1.0 / max(float((part * part).sum()), 1e-9)  # so many frames would show all, if all of them showed alike
    telling = (part >= _TELLING_SHARE / many) & (corner_px < _REFERENCE_PX)
    telling[surest] = True
    return int(np.argmin(np.where(telling, scales, np.inf)))
