"""How much the picture grows from step to step, and what of that is believed."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration import Matrix, scale_of

_OUTER = 0.02  # of what is sharp: frames that show no more do not tell growth
_LEAST_STEPS = 1.0  # between them
_DOUBT = 2.0  # standard uncertainties beyond what a rail or lens can do, up to which frames are believed


@dataclass(frozen=True, slots=True)
class Growth:
    """How much the picture grows from one step to the next, as a share of its size, and its standard uncertainty.

    ``seen`` is what the frames said, where that was not believed.
    """

    per_step: float
    u_per_step: float
    seen: float | None = None

    def within(self, limits: tuple[float, float] | None) -> "Growth":
        """What is believed of it, where a rail or lens cannot do less or more than this; then anything between."""
        if limits is None:
            return self
        low, high = limits
        seen, doubt = (self.per_step, self.u_per_step) if self.seen is None else (self.seen, 0.0)
        if max(low - seen, seen - high) <= _DOUBT * doubt:
            return self
        return Growth(min(max(seen, low), high), (high - low) / 12**0.5, seen)


def growth_between(
    matrices: Sequence[Matrix],
    z: Sequence[float],
    u_scale: NDArray[np.float64],
    sharp: NDArray[np.float64],
    leaps: Collection[int] = (),
) -> Growth:
    """Between the first and the last frame that show much; a picture that grows has a matrix that shrinks it.

    Of the parts between ``leaps``, after which nobody knows how far the next frame lies, that which shows most tells.
    """
    bounds = sorted({0, len(z), *(leap + 1 for leap in leaps)})
    parts = list(pairwise(bounds))
    start, end = max(parts, key=lambda part: float(sharp[part[0] : part[1]].sum()))
    shown = np.cumsum(sharp[start:end]) / max(float(sharp[start:end].sum()), 1e-9)
    first, last = (start + int(np.searchsorted(shown, share)) for share in (_OUTER, 1.0 - _OUTER))
    if first >= last:
        first, last = start, end - 1
    steps = max(z[last] - z[first], _LEAST_STEPS)
    grown = float(np.log(scale_of(matrices[first]) / scale_of(matrices[last])))
    return Growth(grown / steps, float(np.hypot(u_scale[first], u_scale[last])) / steps)
