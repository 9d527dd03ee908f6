"""A merged picture as a measuring instrument: where its pixels lie in the specimen, and how sure that is."""

from collections.abc import Callable
from dataclasses import dataclass, field
from math import hypot, inf, sqrt

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring._depth_at import alike_nearby, alike_px, depth_at, known_at
from amber_ladder.core.measuring._rungs import Rungs
from amber_ladder.core.measuring._stated import of_tolerance

Float = NDArray[np.float32]
Double = NDArray[np.float64]

NOMINAL_TOLERANCE = 0.05
"""Relative half-width for a scale that nobody measured: makers state the magnification of objectives to 5 %."""
RAIL_TOLERANCE = 0.002
"""Relative half-width for the travel of a rail that nobody calibrated: 0.2 %, as pitch errors of spindles are."""
TILT_TOLERANCE_DEG = 1.0
"""Half-width for the angle between rail and optical axis where nobody measured it."""
PICK_PX = 0.5
"""Standard uncertainty of a place that was clicked, along x and along y, where nobody repeated it."""

PARTS = ("scale", "pick", "depth", "index", "projection")
"""What makes a value uncertain."""
_MANY = 300
SYSTEMATIC = ("scale", "index", "rail", "growth", "x", "y", "tilt")
_PART_OF = {"scale": "scale", "index": "index", "rail": "depth", "growth": "projection", "x": "projection",
            "y": "projection", "tilt": "projection"}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Growth:
    """How the scale changes with depth: by the share ``per_um`` more µm in a pixel, a µm deeper than ``at_um``."""

    per_um: float = 0.0
    u_per_um: float = 0.0
    at_um: float = 0.0


@dataclass(frozen=True)
class Instrument:
    """A merged picture of ``shape`` (H, W), to measure on.

    ``depth_um`` and ``u_depth_um`` (H, W) are the depth in the medium and its standard uncertainty, NaN where unknown;
    both None where nothing is known of depth. What is less sure than ``most_u_um`` counts as unknown. ``um_per_px``
    holds at the depth ``growth.at_um``. ``u_scale``, ``u_index`` and ``u_rail`` are relative standard uncertainties of
    the scale, of the refractive index by which depth was reckoned, and of the rail's travel; ``tilt_deg`` is the angle
    between rail and optical axis. ``aside`` gives, for
    depths (N,), the standard uncertainty (N,) in px of where what lies so deep is in the picture, negative on one side
    of the reference frame, as the alignment tells. ``deepest_um`` is where the ladder ends.
    """

    shape: tuple[int, int]
    um_per_px: float
    u_scale: float
    depth_um: Float | None = None
    u_depth_um: Float | None = None
    most_u_um: float = inf
    growth: Growth = field(default_factory=Growth)
    u_index: float = 0.0
    u_rail: float = of_tolerance(RAIL_TOLERANCE)
    tilt_deg: float = 0.0
    u_tilt_deg: float = of_tolerance(TILT_TOLERANCE_DEG)
    pick_px: float = PICK_PX
    rungs: Rungs | None = None
    aside: Callable[[Double], Double] | None = None
    deepest_um: float = 0.0

    def look(self, xy: Double, sigma_px: float) -> tuple[Double, Double, Double]:
        """Depth (N,) µm, slopes (N, 2) a px and uncertainty (N,) at places (N, 2) px. See ``depth_at``."""
        assert self.depth_um is not None
        assert self.u_depth_um is not None
        z, slopes, u = depth_at(
            self.depth_um, self.u_depth_um, xy, um_per_px=self.um_per_px, sigma_px=sigma_px, most_u=self.most_u_um
        )
        return (self.rungs.corrected(z, slopes, sigma_px) if self.rungs else z), slopes, u

    def knows(self, xy: Double) -> NDArray[np.bool_]:
        """Whether the depth map has a depth of its own at places (N, 2) px."""
        assert self.depth_um is not None
        assert self.u_depth_um is not None
        return known_at(self.depth_um, self.u_depth_um, xy, self.most_u_um)

    @property
    def middle(self) -> tuple[float, float]:
        """The pixel about which the picture grows."""
        return (self.shape[1] - 1) / 2.0, (self.shape[0] - 1) / 2.0


@dataclass(frozen=True, slots=True)
class Seen:
    """Depth (draws, N) µm at places, the slopes there (N, 2) a px, and its standard uncertainty (N,) µm.

    ``there`` (N,) says where the depth map knows it itself; beside small holes it is bridged, elsewhere NaN.
    """

    depth: Double
    slopes: Double
    u: Double
    there: NDArray[np.bool_]

    @property
    def known(self) -> float:
        """The share of places that the depth map knows itself."""
        return float(self.there.mean()) if self.there.size else 0.0

    @property
    def usable(self) -> NDArray[np.bool_]:
        """Places (N,) that have a depth, be it bridged."""
        return np.asarray(np.isfinite(self.depth[0]), np.bool_)


@dataclass(frozen=True)
class Draws:
    """One measure as it would come out if what is uncertain were otherwise: the value itself is the first of them.

    After it come two for each of SYSTEMATIC (one standard uncertainty less and more), then draws of the picks, then
    draws of the depth map's errors, ``many`` (an even number) of each. Arrays have the draws along their first axis.
    """

    of: Instrument
    many: int = 40
    seed: int = 1

    @property
    def count(self) -> int:
        """How many there are in all."""
        return 1 + 2 * len(SYSTEMATIC) + 2 * self.many

    @property
    def picks(self) -> slice:
        """Those in which places were clicked a little aside."""
        first = 1 + 2 * len(SYSTEMATIC)
        return slice(first, first + self.many)

    @property
    def depths(self) -> slice:
        """Those in which the depth map has other errors."""
        return slice(self.count - self.many, self.count)

    def picked(self, points: Double) -> Double:
        """Places (P, 2) px as they would be clicked, (draws, P, 2)."""
        out = np.repeat(np.asarray(points, np.float64)[None], self.count, axis=0)
        random = np.random.default_rng(self.seed)
        # In pairs, one the other's mirror: what is linear comes out without the chance of few draws.
        half = random.normal(0.0, self.of.pick_px, (self.many // 2, *out.shape[1:]))
        out[self.picks] += np.concatenate([half, -half])
        return out

    def at(self, xy: Double, sigma_px: float) -> "Seen":
        """What the depth map says at places (draws, N, 2) px, averaged along the slope there by a Gaussian."""
        one = self.of
        z, slopes, u = one.look(xy[0], sigma_px)
        depth = np.repeat(z[None], self.count, axis=0)
        if np.ptp(xy, axis=0).any():
            moved = xy[self.picks]
            if xy.shape[1] > _MANY:  # along the planes that were found: a pick moves a place by less than a pixel
                depth[self.picks] = z + ((moved - xy[0]) * slopes).sum(axis=-1)
            else:  # what is unknown stays so wherever beside it one picks
                here = np.isfinite(z)
                beside = np.full(moved.shape[:2], np.nan)
                beside[:, here] = one.look(moved[:, here].reshape(-1, 2), sigma_px)[0].reshape(len(moved), -1)
                depth[self.picks] = beside
        noise = self._noise(xy[0], sigma_px) * u
        depth[self.depths] += noise
        return Seen(depth, slopes, u, one.knows(xy[0]))

    def slopes(self, xy: Double, slopes: Double, u: Double, sigma_px: float) -> Double:
        """Slopes (N, 2) along x and y a px, at places (N, 2) that do not move, with the draws' errors (draws, N, 2)."""
        out = np.repeat(slopes[None], self.count, axis=0)
        for axis in (0, 1):
            aside = np.zeros(2)
            aside[axis] = 1.0
            rise = self._noise(xy + aside, sigma_px) - self._noise(xy - aside, sigma_px)
            out[self.depths, :, axis] += rise / 2.0 * u
        return out

    def _noise(self, xy: Double, sigma_px: float) -> Double:
        """In pairs, one the other's mirror: what is linear comes out without the chance of few draws."""
        half = alike_nearby(xy, self.many // 2, over_px=alike_px(sigma_px), seed=self.seed)
        return np.concatenate([half, -half]).astype(np.float64)

    def scale(self, depth: Double | None) -> Double:
        """µm in a pixel at depths (draws, N) µm, (draws, N); without a depth, of whatever depth within the ladder."""
        one = self.of
        deeper = np.zeros((self.count, 1)) if depth is None else depth - one.growth.at_um
        # Where nobody knows the depth, it is some depth within the ladder.
        unsure = one.deepest_um / sqrt(12.0) if depth is None else deeper
        per_um = hypot(one.growth.per_um, one.growth.u_per_um) if depth is None else one.growth.u_per_um
        grown = (1.0 + one.growth.per_um * deeper) * (1.0 + self._sign("growth") * per_um * unsure)
        return one.um_per_px * grown * self._factor("scale", one.u_scale)

    def in_um(self, xy: Double, depth: Double | None = None) -> Double:
        """Where places (draws, N, 2) px of a depth (draws, N) µm lie in the specimen: (draws, N, 3) µm."""
        one = self.of
        off = (xy - np.array(one.middle)) * self.scale(depth)[..., None]
        z = np.zeros(xy.shape[:2]) if depth is None else depth
        if depth is not None and one.aside is not None:
            aside = one.aside(z[0]) * one.um_per_px
            off[..., 0] += self._sign("x") * aside
            off[..., 1] += self._sign("y") * aside
        return np.concatenate([off, (z * self.depth_factor())[..., None]], axis=-1)

    def depth_factor(self) -> Double:
        """What depths are to be multiplied with, (draws, 1)."""
        one = self.of
        # Of a rail's travel only what goes along the optical axis is depth.
        tilted = np.cos(np.deg2rad(one.tilt_deg + self._sign("tilt") * one.u_tilt_deg))
        return np.asarray(self._factor("index", one.u_index) * self._factor("rail", one.u_rail) * tilted, np.float64)

    def _sign(self, name: str) -> Double:
        """−1 and 1 for the two draws of this name, 0 for all others: (draws, 1)."""
        out = np.zeros((self.count, 1))
        first = 1 + 2 * SYSTEMATIC.index(name)
        out[first], out[first + 1] = -1.0, 1.0
        return out

    def _factor(self, name: str, relative: float) -> Double:
        return 1.0 + relative * self._sign(name)

    def parts(self, values: Double) -> dict[str, float]:
        """Standard uncertainty that each of PARTS brings, from a measure's values (draws,)."""
        squares = dict.fromkeys(PARTS, 0.0)
        for i, name in enumerate(SYSTEMATIC):
            low, high = values[1 + 2 * i], values[2 + 2 * i]
            # Half the way between both, or, where neither is above and below, how far they are off.
            off = max(abs(high - low) / 2.0, abs((high + low) / 2.0 - values[0]))
            squares[_PART_OF[name]] += off**2
        squares["pick"] += _mean_square(values[self.picks] - values[0])
        squares["depth"] += _mean_square(values[self.depths] - np.nanmean(values[self.depths]))
        return {name: sqrt(square) for name, square in squares.items()}

    def bias(self, values: Double) -> float:
        """By how much noise of the depth map makes a value too large: it does so once in the value itself."""
        return float(np.nanmean(values[self.depths]) - values[0])


def _mean_square(off: Double) -> float:
    known = off[np.isfinite(off)]
    return float(np.square(known).mean()) if known.size else 0.0
