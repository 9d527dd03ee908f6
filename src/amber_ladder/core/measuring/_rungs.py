"""Depths that are drawn towards the frames, and where they belong.

Peaks of sharpness are found from a few frames on either side, as if detail faded alike everywhere: what lies between
two frames may be put a little nearer to one of them. A surface that passes many frames lies as often at every distance
from them; how often it was found there tells how far depths were drawn. Source: equalised histograms of the fraction,
as against peak locking in velocimetry (Roth and Katz, *Meas. Sci. Technol.* 12 (2001), 238).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Double = NDArray[np.float64]

_KNOTS = 11
_ENOUGH, _SOME = 6, 0.02  # so many steps have to hold so much of the surface each
_MOST = 0.1  # steps; peaks err by no more, so the rest is the specimen's own levels
_SLOPE_ALONE = 2.0 * np.pi**2


@dataclass(frozen=True, slots=True)
class Rungs:
    """Depths ``at_um`` (F,) of the frames, rising, and how far from the nearest of them depths were found.

    ``found`` (K,) rises from 0 to 0.5 steps, and belongs to places that lie evenly over the same.
    """

    at_um: Double
    found: Double

    @classmethod
    def of(cls, depth_um: Double, at_um: Double) -> "Rungs | None":
        """From depths (N,) of a surface; None where it passes too few frames to tell."""
        if len(at_um) < _ENOUGH:
            return None
        place = np.interp(depth_um, at_um, np.arange(len(at_um)))
        place = place[(place > 0) & (place < len(at_um) - 1)]
        if not place.size:
            return None
        held = np.bincount(place.astype(int)) / place.size
        if (held > _SOME).sum() < _ENOUGH:
            return None
        evenly = np.linspace(0.0, 0.5, _KNOTS)
        found = np.quantile(np.abs(place - np.rint(place)), 2 * evenly)
        found[0], found[-1] = 0.0, 0.5
        return cls(at_um, np.maximum.accumulate(np.clip(found, evenly - _MOST, evenly)))

    def corrected(self, depth_um: Double, slopes: Double, sigma_px: float) -> Double:
        """Depths (N,) µm where they belong. On slopes (N, 2) a px, an average over ``sigma_px`` errs less by itself."""
        place = np.interp(depth_um, self.at_um, np.arange(len(self.at_um)))
        nearest = np.rint(place)
        evenly = np.linspace(0.0, 0.5, _KNOTS)
        off = np.interp(np.abs(place - nearest), self.found, evenly) - np.abs(place - nearest)
        step = np.gradient(self.at_um)[np.nan_to_num(nearest).astype(int)]
        passed = np.square(slopes / step[:, None]).sum(axis=-1) * sigma_px**2
        beyond = (depth_um <= self.at_um[0]) | (depth_um >= self.at_um[-1])
        moved = np.sign(place - nearest) * off * step * np.exp(-_SLOPE_ALONE * passed)
        return np.asarray(depth_um + np.where(beyond, 0.0, moved), np.float64)
