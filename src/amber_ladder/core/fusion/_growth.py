"""How much the picture grows from step to step, and what of that is believed."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration import Matrix, scale_of

_OUTER = 0.02  # of what is sharp: frames that show no more do not tell growth
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
    matrices: Sequence[Matrix], z: Sequence[float], u_scale: NDArray[np.float64], sharp: NDArray[np.float64]
) -> Growth:
    """Between the first and the last frame that show much; a picture that grows has a matrix that shrinks it."""
    shown = np.cumsum(sharp) / max(float(sharp.sum()), 1e-9)
    first, last = int(np.searchsorted(shown, _OUTER)), int(np.searchsorted(shown, 1.0 - _OUTER))
    if first >= last:
        first, last = 0, len(z) - 1
    steps = z[last] - z[first]
    grown = float(np.log(scale_of(matrices[first]) / scale_of(matrices[last])))
    return Growth(grown / steps, float(np.hypot(u_scale[first], u_scale[last])) / steps)
