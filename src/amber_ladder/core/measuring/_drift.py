"""Whether a rig's scale has stayed the same over its calibrations: a weighted mean, a line, and what departs from both.

Source: weighted least squares and the test of chi-squared for consistency, as usual for repeated calibrations (Birge
1932; Bich et al., *Metrologia* 43, 2006).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtrc

_LIKELY = 0.05
"""What happens by chance less often than this is taken for real."""
_MONTH_DAYS = 365.25 / 12.0


@dataclass(frozen=True, slots=True)
class Drift:
    """What calibrations tell together.

    ``steady``: they agree within their uncertainties. ``drifts``: they lie on a line, whose slope ``per_month`` (share
    of the scale a month, with its expanded uncertainty ``u_per_month``, k = 2) is beyond chance. ``jumps``: neither;
    ``apart`` is the place of the one that departs most from the others. ``few``: fewer than two, nothing is told.
    """

    verdict: Literal["few", "steady", "drifts", "jumps"]
    per_month: float | None = None
    u_per_month: float | None = None
    apart: int | None = None


def drift_of(days: Sequence[float], scales: Sequence[float], u: Sequence[float]) -> Drift:
    """Judge scales (µm/px), measured on these days, with their standard uncertainties (all positive)."""
    if len(scales) < 2:
        return Drift("few")
    times, values, weights = (np.asarray(one, np.float64) for one in (days, scales, 1.0 / np.square(u)))
    mean = float(np.average(values, weights=weights))
    if _by_chance(weights, values - mean, len(values) - 1):
        return Drift("steady")
    at = times - np.average(times, weights=weights)
    spread = float(np.sum(weights * at**2))
    if len(values) > 2 and spread > 0.0:
        slope = float(np.sum(weights * at * values)) / spread
        left = values - mean - slope * at
        if _by_chance(weights, left, len(values) - 2):
            share, u_share = slope * _MONTH_DAYS / mean, 2.0 * _MONTH_DAYS / mean / np.sqrt(spread)
            return Drift("drifts", share, float(u_share))
    return Drift("jumps", apart=int(np.argmax([_from_others(place, values, weights) for place in range(len(values))])))


def _by_chance(weights: NDArray[np.float64], left: NDArray[np.float64], free: int) -> bool:
    return bool(chdtrc(free, np.sum(weights * left**2)) > _LIKELY)


def _from_others(place: int, values: NDArray[np.float64], weights: NDArray[np.float64]) -> float:
    """How far one lies from the mean of the others, in standard uncertainties; of two, the later is the stranger."""
    others = np.arange(len(values)) != place
    mean = np.average(values[others], weights=weights[others])
    u = np.sqrt(1.0 / weights[place] + 1.0 / np.sum(weights[others]))
    return float(abs(values[place] - mean) / u + 1e-9 * place)
