"""Where rungs are missing: told by positions, or by how fast sharpness falls between two frames."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

GAP_RATIO = 1.6  # against usual
_GAP_ALONE = 2.0
_GAP_HERE, _HERE = 1.5, 3  # against so many pairs on either side: texture alone may make sharpness fall faster
_GAP_BOTH = 0.005  # of the picture, sharp on either side of a gap
_GAP_STEPS = 1.6
_LEAST_FALLS = 6
_GAP_SHARE = 0.002  # of the picture, sharpest in the frames on either side of a gap
_GAP_PART, _GAP_LEAST = 0.1, 0.0005  # where little is sharp at all: of that, and of the picture
_WITNESSES = 0.015  # of the picture, for how fast sharpness falls: fewer are edges and specks


def falls(before: NDArray[np.float64], after: NDArray[np.float64], sharp: NDArray[np.float64]) -> NDArray[np.float64]:
    """How sharpness falls between neighbours, seen from either (n − 1, 2), against usual; NaN where it is not seen.

    What is usual, the frames say that show much: of edges and specks, sharpness falls otherwise.
    """
    both = np.column_stack([after[:-1], before[1:]])
    told = np.isfinite(both)
    if np.count_nonzero(told) < _LEAST_FALLS:
        return np.full_like(both, np.nan)
    say = np.column_stack([sharp[:-1], sharp[1:]])[told] + 1e-6
    order = np.argsort(both[told])
    half = np.searchsorted(np.cumsum(say[order]), say.sum() / 2.0)
    return np.asarray(both / both[told][order][half], np.float64)


def by_places(places: Sequence[float], sharp: NDArray[np.float64]) -> list[int]:
    """Frames after which rungs are missing, where positions tell: something lies there, and it is sharp nowhere."""
    apart = np.diff(places)
    enough = min(_GAP_SHARE, max(_GAP_PART * float(sharp.sum()), _GAP_LEAST))
    return [int(i) for i in np.flatnonzero(apart > _GAP_STEPS) if _beside(sharp, int(i), float(apart[i])) > enough]


def _beside(sharp: NDArray[np.float64], i: int, steps: float) -> float:
    """What is sharp on the richer side, as far away as the gap is wide: one frame of a fine ladder shows little."""
    frames = round(steps)
    return max(float(sharp[max(i + 1 - frames, 0) : i + 1].sum()), float(sharp[i + 1 : i + 1 + frames].sum()))


def by_falls(falls: NDArray[np.float64], sharp: NDArray[np.float64]) -> list[int]:
    """The same where nobody knows positions: sharpness falls much faster between these two than elsewhere."""
    first = [i for i in range(len(falls)) if _missing(falls, sharp, i)]
    alone = falls.copy()
    for i in first:
        # Beside a gap a frame is the sharpest one of what lies in it too, and falls fast on its other side as well.
        for other, shared in ((i - 1, 1), (i + 1, 0)):
            if 0 <= other < len(falls) and np.nanmax(falls[i]) > np.nanmax([*falls[other], 0.0]):
                alone[other, shared] = np.nan
    return [i for i in first if _missing(alone, sharp, i)]


def _missing(falls: NDArray[np.float64], sharp: NDArray[np.float64], i: int) -> bool:
    # What lies at missing rungs is sharpest in the frames beside them; a few peaks of noise are no witnesses.
    told = falls[i][np.isfinite(falls[i]) & (sharp[i : i + 2] > _WITNESSES)]
    if told.size == 0 or min(sharp[: i + 1].sum(), sharp[i + 1 :].sum()) < _GAP_BOTH:
        return False  # the first thing in focus, or the last
    around = np.concatenate([falls[max(i - _HERE, 0) : i], falls[i + 1 : i + 1 + _HERE]])
    here = around[np.isfinite(around)]
    if here.size and not np.nanmax(falls[i]) > _GAP_HERE * np.median(here):
        return False
    both = told.size == 2 and float(np.exp(np.log(np.maximum(told, 1e-3)).mean())) > GAP_RATIO
    return both or float(told.max()) > _GAP_ALONE
