"""Registration of two frames whose depth is roughly known: what their change of focus does to the picture is taken out.

A slope that goes out of focus scatters light sideways and looks as if it moved. Where the frames' blur changes by the
variance s (px²) from place to place, and each point's light is spread by its own blur, but a surface of one brightness
keeps it, a picture f becomes f + ½ s ∇²f + ∇s · ∇f to first order. Frames are blurred already, by the variance v of
diffraction and of the pixel, and what is scattered is blurred with them: told by the mean C of both frames,

    E = K M (½ s ∇²C + ∇s · ∇(C + ½ v ∇²C))

is what changes in the band K in which they are compared. With depth d and focus positions z (in steps), a cone of light
gives s = κ ((z₂ − d)² − (z₁ − d)²) / 4: κ, one for the whole stack, is the square of the blur's radius one step away
from focus. M = (1 − k / k₀)² is what diffraction leaves of that at frequencies k (rad/px) below the lens's cut-off
k₀ = 4π NA / λ: only rays that both halves of a shifted pupil share make a picture (Hopkins 1955, Stokseth 1969).
What is left is shift, turn, scale and gain, by robust least squares over the places where both frames are nearly sharp.
"""

from dataclasses import dataclass

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration._pair import TUKEY
from amber_ladder.core.registration._similarity import Matrix, compose
from amber_ladder.core.registration._warp import warp
from amber_ladder.core.registration._wide import wide_blur

Float = NDArray[np.float32]
Double = NDArray[np.float64]

_FINE_PX, _COARSE_PX = 1.0, 3.0
_REACH_STEPS = 1.0  # from halfway between both focus positions: there a cone's blur is still small against the band
_LEAST_SHARE = 0.03  # of the known places: where fewer are within reach, it is widened, and the band made coarser
_EDGE_PX = 6
_CLIPPED = 0.94  # of linear light; its surroundings don't keep their light either, as far as blur spreads it:
_AROUND_CLIPPED = np.ones((9, 9), np.uint8)  # with 5 px glitter made κ look half of what it is
_ROUNDS, _REWEIGHTED = 2, 4
_SLIGHT_PX = 0.025
_FEWEST, _PLENTY = 400, 20_000
# More is not to be had where nothing is nearly sharp: there a cone's blur is no small change. Of the radius by which it
# grows a step.
_FAR = 0.055
_RIDGE = 1e-14
_PIXEL = 1.0 / 12.0  # px², the variance of a square pixel
_CUT_OFF = 4.0 * np.pi * 0.26  # rad/px, times the spread of a point in focus, 0.26 λ / NA
_BAND_AT = (0.4, 1.1)  # frequencies (rad/px) of the finest band that tell most
_ROUGHLY = 0.1  # of what the change of focus does is not known: from depth, and from κ
_FARTHER = 0.4  # the same for each step beyond one between both: there the change is no small one, and slopes tell more
_ONE = np.ones(1, np.float32)
_SLOPE = np.array([1, -8, 0, 8, -1], np.float32) / 12
_BEND = np.array([-1, 16, -30, 16, -1], np.float32) / 12


class Side:
    """One of two frames: linear light (H, W), 0 to 1, and its focus position ``z`` in steps."""

    def __init__(self, light: Float, z: float) -> None:
        self.light, self.z = light, z
        self._bands: dict[float, Float] = {}

    def band(self, fine: float, coarse: float) -> Float:
        """The band in which it is compared; made once for all frames that it is compared with."""
        if fine not in self._bands:
            self._bands[fine] = _band(self.light, fine, coarse)
        return self._bands[fine]


@dataclass(frozen=True, slots=True)
class Relief:
    """What is known of depth, in the first frame's px: ``depth`` (H, W) in steps, ``trust`` (H, W) 0 to 1.

    ``blur`` is κ in px² a step², ``spread_px`` the standard deviation (px) of the picture of a point in focus, by
    diffraction, as this band sees it: 0.26 λ / NA.
    """

    depth: Float
    trust: Float
    blur: float
    spread_px: float


@dataclass(frozen=True, slots=True)
class Fit:
    """``matrix`` maps the second frame's px to the first one's.

    ``covariance`` (4, 4) is that of scale and turn (as px at the corner) and shift across and down (px);
    ``bias`` (4,) is how far the model of blur may mislead, which it does alike in all pairs of a stack; ``blur`` is κ
    as these two frames show it by themselves, None where it was given.
    """

    matrix: Matrix
    covariance: Double
    bias: Double
    blur: float | None


def fit_pair(first: Side, second: Side, start: Matrix, relief: Relief, *, free: bool = False) -> Fit | None:
    """Register ``second`` on ``first`` from a ``start`` right within a pixel; None where too little is seen.

    ``free`` finds κ along with the motion, from the relief's as a guess.
    """
    height, width = first.light.shape
    offset = relief.depth - np.float32(0.5 * (first.z + second.z))
    weight, fine = _where(np.abs(offset), relief.trust, 0.5 * abs(second.z - first.z) - 0.5, relief.blur)
    coarse = max(_COARSE_PX, 3.0 * fine)
    centre = np.array([(width - 1) / 2.0, (height - 1) / 2.0])
    corner = float(np.hypot(width, height)) / 2.0
    moved = warp(second.light, start)
    usable = (weight > 1e-3) & _covered(start, first.light.shape) & ~_near_clipping(first.light, moved)
    if np.count_nonzero(usable) < _FEWEST:
        return None
    here = np.flatnonzero(usable)
    said = weight.ravel()[here].astype(np.float64)
    y, x = (place - middle for place, middle in zip(np.divmod(here, width), centre[::-1], strict=True))
    expected = _expected(first, second, moved, relief, fine, coarse).ravel()[here]
    still = first.band(fine, coarse)
    matrix = start
    for _ in range(_ROUNDS):
        # Bands are made once for each frame and then moved: smoothing and a motion without shear change places.
        moving = warp(second.band(fine, coarse), matrix)
        band = np.asarray(0.5 * (still + moving), np.float32)
        across, down = (slope.ravel()[here].astype(np.float64) for slope in _slopes(band))
        columns = [(across * x + down * y) / corner, (down * x - across * y) / corner, across, down, band.ravel()[here]]
        seen = (moving - still).ravel()[here].astype(np.float64)
        if free:
            columns.append(expected)
        else:
            seen -= relief.blur * expected
        a = np.stack(columns)
        found, covariance, present = _robust(a, seen, said)
        matrix = compose(_moved(found[:4], corner, centre), matrix)
        if float(np.abs(found[:4]).max()) < _SLIGHT_PX:
            break
    # Pixels of a smoothed picture are no witnesses of their own: so many of them speak for one.
    covariance = covariance * 4.0 * np.pi * fine**2
    # What was taken out would have looked like this motion: its own error is a part of it.
    normal, seen = _weighed(a[:4], expected * relief.blur, present)
    taken_out = np.linalg.solve(normal + _RIDGE * np.eye(4), seen)
    bias = np.asarray(_ROUGHLY * taken_out, np.float64)
    farther = max(_FARTHER * (abs(second.z - first.z) - 1.0), 0.0)
    covariance += np.outer(taken_out, taken_out) * (_ROUGHLY**2 + farther**2)
    if fine > _FINE_PX:
        covariance += _FAR**2 * relief.blur * np.eye(4)
    return Fit(matrix, covariance, bias, float(found[5]) if free else None)


def _where(offset: Float, trust: Float, extra: float, blur: float) -> tuple[Float, float]:
    """Weight of each place, and how fine the band may be: both frames are nearly sharp where ``offset`` is small."""
    reach, fine = _REACH_STEPS + extra, _FINE_PX
    known = offset[trust > 0.05]
    if known.size > _FEWEST:
        nearest = float(np.quantile(known[:: max(1, known.size // _PLENTY)], _LEAST_SHARE))
        if nearest > 0.8 * reach:
            reach = 1.35 * nearest + 0.5
            fine = max(fine, 0.4 * nearest * float(np.sqrt(blur)))
    falling = np.clip(1.0 - (offset / np.float32(reach)) ** 2, 0.0, None)
    return np.asarray(falling * falling * trust, np.float32), fine


def _expected(first: Side, second: Side, moved: Float, relief: Relief, fine: float, coarse: float) -> Float:
    """Change of the band for a κ of 1; ``moved`` is the second frame's light on the first one's pixels."""
    mean = cv2.addWeighted(first.light, 0.5, moved, 0.5, 0.0)
    bent = _bend(np.asarray(mean, np.float32))
    keen = np.asarray(cv2.scaleAdd(bent, 0.5 * (relief.spread_px**2 + _PIXEL), mean), np.float32)
    scattered = np.empty_like(moved)
    _scatter(keen, bent, relief.depth, np.float32(first.z), np.float32(second.z), scattered)
    share, fine = _left_by_diffraction(fine, relief.spread_px)
    return np.asarray(np.float32(share) * _band(scattered, fine, coarse), np.float32)


def _left_by_diffraction(fine: float, spread_px: float) -> tuple[float, float]:
    """M in a band that is ``fine``: a share, and how fine the band then is; right where the band tells most."""
    low, high = (at / fine for at in _BAND_AT)
    left = [max(1.0 - k * spread_px / _CUT_OFF, 0.3) ** 2 for k in (low, high)]
    smoothing = 2.0 * float(np.log(left[0] / left[1])) / (high**2 - low**2)
    return left[0] * float(np.exp(0.5 * smoothing * low**2)), float(np.sqrt(fine**2 + smoothing))


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _scatter(keen: Float, bent: Float, depth: Float, z1: np.float32, z2: np.float32, scattered: Float) -> None:
    """½ s ∇²C + ∇s · ∇(C + ½ v ∇²C) for a κ of 1, of ``bent`` and ``keen`` (H, W); nothing of slopes at the border."""
    height, width = depth.shape
    eighth = np.float32(0.125)
    # Of s, a quarter of (z₂ − d)² − (z₁ − d)², only a part linear in d varies.
    steeper, slope = np.float32(0.25) * (z1 - z2), np.empty(width, np.float32)
    for y in range(height):
        slope[:] = 0
        if 2 <= y < height - 2:
            _slope_along(keen[y - 2 : y + 3], depth[y - 1 : y + 2], slope[2 : width - 2])
        for x in range(width):
            one, two = z1 - depth[y, x], z2 - depth[y, x]
            scattered[y, x] = eighth * (two * two - one * one) * bent[y, x] + steeper * slope[x]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _slope_along(keen: Float, depth: Float, slope: Float) -> None:
    """∇d · ∇C of a row, twice, but for two pixels at its ends; ``keen`` are five rows of C, ``depth`` three of d."""
    near, far = np.float32(8 / 12), np.float32(-1 / 12)
    above2, above, own, below, below2 = keen[0, 2:], keen[1, 2:], keen[2], keen[3, 2:], keen[4, 2:]
    left2, left, right, right2 = own, own[1:], own[3:], own[4:]
    up, middle, down = depth[0, 2:], depth[1, 1:], depth[2, 2:]
    after = middle[2:]
    for x in range(len(slope)):
        cx = near * (right[x] - left[x]) + far * (right2[x] - left2[x])
        cy = near * (below[x] - above[x]) + far * (below2[x] - above2[x])
        slope[x] = (after[x] - middle[x]) * cx + (down[x] - up[x]) * cy


def _slopes(band: Float) -> tuple[Float, Float]:
    """Change a px across and down, right to 3 % for what the band holds: Scharr's kernel smooths too much for it."""
    across, down = (cv2.sepFilter2D(band, cv2.CV_32F, *kernels) for kernels in ((_SLOPE, _ONE), (_ONE, _SLOPE)))
    return np.asarray(across, np.float32), np.asarray(down, np.float32)


def _bend(band: Float) -> Float:
    """∇², right to 1 %."""
    across, down = (cv2.sepFilter2D(band, cv2.CV_32F, *kernels) for kernels in ((_BEND, _ONE), (_ONE, _BEND)))
    return np.asarray(across + down, np.float32)


def _band(light: Float, fine: float, coarse: float) -> Float:
    calm = cv2.GaussianBlur(light, (0, 0), fine, borderType=cv2.BORDER_REFLECT)
    return np.asarray(calm - wide_blur(np.asarray(calm, np.float32), coarse), np.float32)


def _covered(matrix: Matrix, shape: tuple[int, ...]) -> NDArray[np.bool_]:
    """Where the second frame reaches; the border, of which smoothing makes something else, is left out of both."""
    inner = np.zeros(shape, np.uint8)
    inner[_EDGE_PX:-_EDGE_PX, _EDGE_PX:-_EDGE_PX] = 1
    moved = np.asarray(cv2.warpAffine(inner, matrix, shape[::-1], flags=cv2.INTER_NEAREST), np.uint8)
    return np.asarray((moved & inner) > 0, np.bool_)


def _near_clipping(first: Float, second: Float) -> NDArray[np.bool_]:
    clipped = (np.maximum(first, second) > _CLIPPED).astype(np.uint8)
    return np.asarray(cv2.dilate(clipped, _AROUND_CLIPPED), np.uint8) > 0


def _robust(a: Double, b: Double, weight: Double) -> tuple[Double, Double, Double]:
    """Solution, covariance of the first four unknowns, and the weights, by Tukey's; ``a`` is (unknowns, pixels)."""
    heavy = weight > 0.2 * weight.max()
    present, left = weight.copy(), np.empty_like(b)
    for _ in range(_REWEIGHTED):
        normal, right = _weighed(a, b, present)
        found = np.linalg.solve(normal + _RIDGE * np.eye(len(a)), right)
        _left_over(a, b, found, left)
        spread = 1.4826 * float(np.median(np.abs(left[heavy]))) + 1e-6
        power, said = _reweigh(left, weight, TUKEY * spread, present)
    covariance = np.linalg.inv(normal + _RIDGE * np.eye(len(a)))[:4, :4] * (power / max(said, 1e-12))
    return np.asarray(found, np.float64), np.asarray(covariance, np.float64), present


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _weighed(a: Double, b: Double, weight: Double) -> tuple[Double, Double]:
    """AᵀWA and AᵀWb of ``a`` (unknowns, pixels)."""
    count = len(a)
    normal, right = np.empty((count, count)), np.empty(count)
    present = np.empty_like(b)
    for p in range(count):
        own = a[p]
        for k in range(len(b)):
            present[k] = weight[k] * own[k]
        right[p] = _dot(present, b)
        for q in range(p, count):
            normal[p, q] = normal[q, p] = _dot(present, a[q])
    return normal, right


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _dot(one: Double, two: Double) -> float:
    """Four sums at once: a single one would wait for itself at every pixel."""
    s0 = s1 = s2 = s3 = 0.0
    whole = len(one) // 4 * 4
    for k in range(0, whole, 4):
        s0 += one[k] * two[k]
        s1 += one[k + 1] * two[k + 1]
        s2 += one[k + 2] * two[k + 2]
        s3 += one[k + 3] * two[k + 3]
    for k in range(whole, len(one)):
        s0 += one[k] * two[k]
    return (s0 + s1) + (s2 + s3)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _left_over(a: Double, b: Double, found: Double, left: Double) -> None:
    left[:] = b
    for p in range(len(a)):
        own, by = a[p], found[p]
        for k in range(len(b)):
            left[k] -= by * own[k]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _reweigh(left: Double, weight: Double, cutoff: float, present: Double) -> tuple[float, float]:
    """Tukey's weights; returns the weighted sum of squares and the sum of weights."""
    power = said = 0.0
    for k in range(len(left)):
        tail = left[k] / cutoff
        keep = max(1.0 - tail * tail, 0.0)
        present[k] = weight[k] * keep * keep
        power += present[k] * left[k] * left[k]
        said += present[k]
    return power, said


def _moved(motion: Double, corner: float, centre: Double) -> Matrix:
    grown, turned = motion[0] / corner, motion[1] / corner
    linear = np.array([[1 + grown, -turned], [turned, 1 + grown]])
    return np.column_stack([linear, centre + motion[2:4] - linear @ centre])
