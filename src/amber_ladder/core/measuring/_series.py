"""Values of the same measure on many specimens: their mean, their spread, and those that stand apart."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

_ENOUGH = 5
_APART = 3.5
_OF_NORMAL = 1.4826  # the standard deviation of a normal distribution, from its median absolute deviation


@dataclass(frozen=True, slots=True)
class Summary:
    """``n`` values, their ``mean`` and standard deviation ``s``, None where there are too few, and the ``outliers``.

    Outliers are the numbers of values that stand apart; they count in mean and spread all the same. Of fewer than five
    values none is told from the others: ``outliers`` is None.
    """

    n: int
    mean: float | None
    s: float | None
    outliers: tuple[int, ...] | None


def summarise(values: Sequence[float], expanded: Sequence[float]) -> Summary:
    """Summarise ``values`` with their expanded uncertainties (k = 2).

    A value stands apart by more than 3.5 robust standard deviations from the median. That deviation is no less than
    the values are uncertain by themselves. Source: Iglewicz & Hoaglin, *How to Detect and Handle Outliers* (1993).
    """
    found = np.asarray(values, np.float64)
    mean = float(found.mean()) if len(found) else None
    s = float(found.std(ddof=1)) if len(found) > 1 else None
    if len(found) < _ENOUGH:
        return Summary(len(found), mean, s, None)
    off = np.abs(found - np.median(found))
    robust = max(_OF_NORMAL * float(np.median(off)), float(np.median(np.asarray(expanded, np.float64))) / 2.0)
    apart = off > _APART * robust
    return Summary(len(found), mean, s, tuple(int(i) for i in np.flatnonzero(apart)))
