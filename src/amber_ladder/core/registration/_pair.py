"""Registration of two neighbouring frames of a stack.

Coarse shift by phase correlation (Kuglin & Hines 1975), then Gauss–Newton on the brightness difference over an
image pyramid (Lucas & Kanade 1981) for shift, turn and scale. What makes neighbours of a focus stack differ
besides that is modelled, tile by tile, and eliminated: a gain, an offset, and a change of blur (which adds a
multiple of the Laplacian). Without it, a bright ring that goes out of focus looks as if it grew. Tiles count
by how well the model holds in them, so that sharp places lead and blurred ones follow; Tukey weights keep
out what moved.
"""

from dataclasses import dataclass

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration._similarity import Matrix, inverse, rescaled
from amber_ladder.core.registration._warp import steady_run
from amber_ladder.core.registration._wide import wide_blur

Float = NDArray[np.float32]
Double = NDArray[np.float64]

_SMALLEST_SIDE, _MOST_LEVELS = 48, 6
_CALM_PX = 1.1
_ITERATIONS = 12
_CONVERGED_PX = 0.01
_PLENTY_PX = 160_000  # are enough
_GAMMA = 2.2  # of common picture files, nearly enough
TUKEY = 4.685  # 95 % efficiency on normal errors (Huber, *Robust Statistics*)
_COARSEST_DETAIL_PX = 4.0
_UNDERSTATED = 12.0
"""How many times farther pairs lie off than pixels with errors of their own would let them: residuals of neighbouring

pixels are alike, and defocus is modelled by halves. Median of pairs of simulated mosses, wasps, crystals and bursts."""
_AT_A_LOSS_PX = 300.0
_QUIETEST = 3e-4  # residual, of the full range, below which a tile cannot be more believable
_LOCAL = 5  # of each tile: gain, offset, change of blur, and the slope of that change in x and y
_UNKNOWNS = 4 + _LOCAL  # before them, of the whole frame: scale, turn, shift in x and y
_PAIRS = _UNKNOWNS * (_UNKNOWNS + 1) // 2
_SUMS = _PAIRS + _UNKNOWNS + 2
_TRIANGLE = np.triu_indices(_UNKNOWNS)
_CHUNK_PX = 128  # a power of two


@dataclass(frozen=True, slots=True)
class Pair:
    """How a moving frame lies on a fixed one.

    ``matrix`` maps moving px to fixed px; ``gain`` is the factor that brings the moving frame to the fixed
    one's brightness; ``rms_px`` is the remaining difference expressed as a displacement; ``likeness`` the
    correlation of both after registration, −1 to 1. ``covariance`` (4, 4) is that of scale, turn (px at the corner)
    and shift in x and y.
    """

    matrix: Matrix
    gain: float
    rms_px: float
    likeness: float
    covariance: Double


class Levelled:
    """One of two frames, grey (H, W) from 0 to 1, as it is compared: at its own size and ever smaller.

    Made once, for the frame before it and for the one after it.
    """

    def __init__(self, grey: Float) -> None:
        # A light blur first: bilinear sampling between pixels is then nearly exact, and noise does not pull.
        self.levels = [np.asarray(cv2.GaussianBlur(grey, (0, 0), _CALM_PX), np.float32)]
        while min(self.levels[-1].shape) >= 2 * _SMALLEST_SIDE and len(self.levels) < _MOST_LEVELS:
            self.levels.append(_halved(self.levels[-1]))
        self.bands = [_band(level) for level in self.levels]
        self.planes = [
            np.stack([band, *slopes(band), np.asarray(cv2.Laplacian(band, cv2.CV_32F, ksize=1), np.float32)])
            for band in self.bands
        ]


def register_pair(fixed: Levelled, moving: Levelled) -> Pair:
    """Register two frames of one size."""
    motion = np.zeros(4)
    motion[2:4] = _coarse_shift(fixed.levels[-1], moving.levels[-1])
    for i, (band, planes) in enumerate(zip(reversed(fixed.bands), reversed(moving.planes), strict=True)):
        if i > 0:
            motion[2:4] = motion[2:4] * 2.0
        motion, spread, knowledge = _refine(band, planes, motion)
    matrix = _matrix(motion, fixed.levels[0].shape)
    # Of a large picture, half the size tells as much.
    at = 1 if fixed.levels[0].size > _PLENTY_PX and len(fixed.levels) > 1 else 0
    gain, likeness = _compare(
        fixed.levels[at], moving.levels[at], rescaled(matrix, 0.5**at), _COARSEST_DETAIL_PX / 2**at
    )
    known = knowledge / _UNDERSTATED**2 + np.eye(4) / _AT_A_LOSS_PX**2
    covariance = np.asarray(np.linalg.inv(known), np.float64)
    return Pair(inverse(matrix), gain, _as_displacement(fixed.planes[0], spread), likeness, covariance)


def _band(grey: Float) -> Float:
    # What is far out of focus has no fine detail; without its shading only what is nearly sharp has a say.
    return np.asarray(grey - wide_blur(grey, _COARSEST_DETAIL_PX), np.float32)


def _halved(grey: Float) -> Float:
    # Averages 2 × 2, so that coordinates halve about pixel corners at every level alike.
    height, width = grey.shape
    even = grey[: height // 2 * 2, : width // 2 * 2]
    return np.asarray(cv2.resize(even, (width // 2, height // 2), interpolation=cv2.INTER_AREA), np.float32)


def _coarse_shift(fixed: Float, moving: Float) -> Double:
    window = cv2.createHanningWindow((fixed.shape[1], fixed.shape[0]), cv2.CV_32F)
    # Differences are new arrays: phaseCorrelate multiplies the window into what it is given.
    shift, response = cv2.phaseCorrelate(fixed - fixed.mean(), moving - moving.mean(), window)
    return np.asarray(shift if response > 0.03 else (0.0, 0.0), np.float64)


def _refine(fixed: Float, planes: Float, motion: Double) -> tuple[Double, float, Double]:
    """Improve scale, turn (per px from the centre) and shift; returns them, the typical residual, and the weights."""
    tile = 64 if min(fixed.shape) >= 256 else 32
    every = -(-fixed.size // _PLENTY_PX)
    rows, columns = -(-fixed.shape[0] // tile), -(-fixed.shape[1] // tile)
    sums = np.zeros((rows, columns, _SUMS))
    local = np.zeros((rows, columns, _LOCAL))
    knowledge = np.zeros((4, 4))
    spread = np.full((rows, columns), 0.1)
    reach = np.array([float(np.hypot(*fixed.shape)) / 2] * 2 + [1.0, 1.0])
    for _ in range(_ITERATIONS):
        _normal_equations(fixed, planes, motion, tile, every, local, spread, reach[0], sums)
        step, local, spread, knowledge = _solve(sums.reshape(-1, _SUMS))
        local, spread = local.reshape(rows, columns, _LOCAL), spread.reshape(rows, columns)
        motion = motion - step / reach
        if float(np.abs(step).max()) < _CONVERGED_PX:
            break
    return motion, float(np.median(spread)), knowledge


def slopes(grey: Float) -> tuple[Float, Float]:
    """Change a px across and down (Scharr)."""
    across = cv2.Scharr(grey, cv2.CV_32F, 1, 0, scale=1 / 32)
    down = cv2.Scharr(grey, cv2.CV_32F, 0, 1, scale=1 / 32)
    return np.asarray(across, np.float32), np.asarray(down, np.float32)


def _solve(sums: Double) -> tuple[Double, Double, Double, Double]:
    """One Gauss–Newton step with every tile's gain, offset and blur eliminated (Schur complement).

    Returns the step (scale and turn as px at the corner), each tile's local unknowns, its residual spread, and the
    inverse of the step's covariance if all pixels had errors of their own.
    """
    count = sums[:, -1]
    normal = np.zeros((len(sums), _UNKNOWNS, _UNKNOWNS))
    normal[:, _TRIANGLE[0], _TRIANGLE[1]] = sums[:, :_PAIRS]
    normal[:, _TRIANGLE[1], _TRIANGLE[0]] = sums[:, :_PAIRS]
    right = sums[:, _PAIRS : _PAIRS + _UNKNOWNS]
    # A whisper of a prior keeps tiles without any detail solvable.
    power_of_each = np.diagonal(normal[:, 4:, 4:], axis1=1, axis2=2)
    inner = normal[:, 4:, 4:] + np.eye(_LOCAL) * (1e-6 * power_of_each[:, None, :] + 1e-12)
    shared = normal[:, :4, 4:]
    eliminated = np.linalg.solve(inner, np.concatenate([shared.transpose(0, 2, 1), right[:, 4:, None]], axis=2))
    reduced = normal[:, :4, :4] - shared @ eliminated[:, :, :4]
    reduced_right = right[:, :4] - (shared @ eliminated[:, :, 4:])[:, :, 0]
    power = sums[:, -2] - np.einsum("ti,ti->t", right[:, 4:], eliminated[:, :, 4])
    spread = np.sqrt(np.maximum(power, 0.0) / np.maximum(count, 1.0)) + _QUIETEST
    weight = np.where(count > 100, 1.0 / spread**2, 0.0)
    whole = np.einsum("t,tij->ij", weight, reduced)
    whole += 1e-9 * max(float(np.trace(whole)), 1e-12) * np.eye(4)
    step = np.linalg.solve(whole, weight @ reduced_right)
    local = -(eliminated[:, :, 4] - eliminated[:, :, :4] @ step)
    return step, local, spread, whole


def _matrix(motion: Double, shape: tuple[int, ...]) -> Matrix:
    """Fixed px to moving px."""
    a, b, tx, ty = motion
    centre = np.array([(shape[1] - 1) / 2, (shape[0] - 1) / 2])
    linear = np.array([[1 + a, -b], [b, 1 + a]])
    return np.column_stack([linear, centre + np.array([tx, ty]) - linear @ centre])


def _as_displacement(planes: Float, spread: float) -> float:
    across, down = planes[1], planes[2]
    slope = float(np.sqrt(np.mean(across * across + down * down)))
    return spread / max(slope, 1e-6)


def _compare(fixed: Float, moving: Float, matrix: Matrix, detail_px: float) -> tuple[float, float]:
    """Gain and likeness of the area that both show."""
    size = (fixed.shape[1], fixed.shape[0])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    # Far below any tone: what is mixed with it by halves is told apart too.
    warped = np.asarray(cv2.warpAffine(moving, matrix, size, flags=flags, borderValue=-100.0), np.float32)
    inside = warped >= 0
    if np.count_nonzero(inside) < inside.size // 4:
        return 1.0, 0.0
    one, two = fixed[inside], warped[inside]
    unclipped = (one < 0.97) & (two < 0.97)
    gain = _gain(one[unclipped], two[unclipped]) if unclipped.any() else 1.0
    # Shading alone, bright in the middle and dark around it, is no likeness: only what is smaller counts. Nor is noise
    # unlikeness: where nothing is in focus it outweighs all that is fine.
    warped[~inside] = fixed[~inside]
    one, two = ((wide_blur(grey, detail_px) - _shading(grey))[inside] for grey in (fixed, warped))
    power = float(np.sqrt(np.sum(one * one) * np.sum(two * two)))
    return gain, float(np.sum(one * two)) / power if power > 0 else 0.0


def _shading(grey: Float) -> Float:
    """What varies over more than a sixteenth of the width; found on a small copy, where a wide blur costs nothing."""
    height, width = grey.shape
    small = cv2.resize(grey, (128, max(8, 128 * height // width)), interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.resize(cv2.GaussianBlur(small, (0, 0), 8.0), (width, height)), np.float32)


def _gain(fixed: Float, moving: Float) -> float:
    # Defocus spreads light but keeps its sum; of the encoded values it does not, so they are decoded first.
    ratio = float(np.sum(fixed**_GAMMA, dtype=np.float64) / max(float(np.sum(moving**_GAMMA, dtype=np.float64)), 1e-9))
    return float(ratio ** (1.0 / _GAMMA))


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _normal_equations(
    fixed: Float,
    planes: Float,
    motion: Double,
    tile: int,
    every: int,
    local: Double,
    spread: Double,
    reach: float,
    sums: Double,
) -> None:
    """Weighted sums of each tile: pairs of JᵀWJ, JᵀWr, r², pixels. Turn and scale count as px at ``reach``.

    Defocus that varies over a slope adds ½ ∇²(s I), s the change of the blur's variance. For an s that is linear in
    the tile that is (s ∇²I)/2 + ∇s·∇I: the second part looks like a shift, and only the first tells them apart.
    """
    height, width = fixed.shape
    a, b, tx, ty = motion
    cx, cy = (width - 1) / 2.0, (height - 1) / 2.0
    middle = np.float32((tile - 1) / 2.0)
    pixel = np.arange(tile).astype(np.float32)
    for row in numba.prange(sums.shape[0]):
        # Of some hundred pixels at a time, of which several are computed at once.
        seen, jacobian = np.empty((4, _CHUNK_PX), np.float32), np.empty((_UNKNOWNS, _CHUNK_PX), np.float32)
        residual, weight = np.empty(_CHUNK_PX, np.float32), np.empty(_CHUNK_PX, np.float32)
        part, ones = np.empty(_CHUNK_PX, np.float32), np.ones(_CHUNK_PX, np.float32)
        totals = np.empty((_SUMS, _CHUNK_PX), np.float32)
        for column in range(sums.shape[1]):
            totals[:] = 0
            left, right = column * tile, min((column + 1) * tile, width)
            cutoff = np.float32(TUKEY * spread[row, column])
            mine = local[row, column].astype(np.float32)
            count, bottom = 0, min((row + 1) * tile, height)
            for y in range(row * tile, bottom, every):
                down = (np.float32(y - row * tile) - middle) / middle
                dy = y - cy
                x = left
                while x < right:
                    u = cx + (1.0 + a) * (x - cx) - b * dy + tx
                    v = cy + b * (x - cx) + (1.0 + a) * dy + ty
                    i, j = int(np.floor(u)), int(np.floor(v))
                    run = min(steady_run(u - i, a), steady_run(v - j, b), right - x)
                    if i < 1 or j < 1 or i >= width - 2 or j >= height - 2:
                        x += 1
                        continue
                    run = min(run, width - 2 - i)
                    for k in range(4):
                        _between(planes[k, j, i:], planes[k, j + 1, i:], np.float32(u - i), np.float32(a),
                                 np.float32(v - j), np.float32(b), pixel, seen[k, count : count + run])  # fmt: skip
                    _slopes_of_unknowns(
                        seen, count, fixed[y, x:], pixel, np.float32(x - cx), np.float32(dy), np.float32(1 / reach),
                        (np.float32(x - left) - middle) / middle, down, np.float32(1) / middle, jacobian,
                        residual[count : count + run],
                    )  # fmt: skip
                    count += run
                    x += run
                if count > _CHUNK_PX - tile or y + every >= bottom:
                    _weigh(jacobian, residual, mine, cutoff, weight[:count])
                    _add_up(jacobian, residual, weight[:count], ones, part, totals)
                    count = 0
            for k in range(_SUMS):
                total, length = totals[k], _CHUNK_PX
                while length > 1:
                    length //= 2
                    _add_products(total[length : 2 * length], ones, total[:length])
                sums[row, column, k] = total[0]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _between(
    above: Float, below: Float, across: np.float32, wider: np.float32, down: np.float32, turned: np.float32,
    pixel: Float, out: Float,
) -> None:  # fmt: skip
    """A run of pixels, each between four of two rows."""
    one = np.float32(1)
    above1, below1 = above[1:], below[1:]
    for m in range(len(out)):
        t, r = across + pixel[m] * wider, down + pixel[m] * turned
        out[m] = (one - r) * ((one - t) * above[m] + t * above1[m]) + r * ((one - t) * below[m] + t * below1[m])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _slopes_of_unknowns(
    seen: Float,
    start: int,
    fixed: Float,
    pixel: Float,
    dx: np.float32,
    dy: np.float32,
    shorter: np.float32,
    across: np.float32,
    down: np.float32,
    unit: np.float32,
    jacobian: Float,
    residual: Float,
) -> None:
    """How much a run of pixels changes with each unknown, and how much they differ; ``dx`` and ``across`` of the first.

    ``seen`` (4, chunk) are level, slopes and bend of the moving frame, the run's from ``start`` on. ``unit`` is a pixel
    as a share of half a tile.
    """
    end = start + len(residual)
    level, sx, sy, bend = seen[0, start:end], seen[1, start:end], seen[2, start:end], seen[3, start:end]
    grown, turned, along = jacobian[0, start:end], jacobian[1, start:end], jacobian[4, start:end]
    tilted, leaning = jacobian[7, start:end], jacobian[8, start:end]
    jacobian[2, start:end], jacobian[3, start:end], jacobian[6, start:end] = sx, sy, bend
    jacobian[5, start:end] = np.float32(1)
    two = np.float32(2) * unit
    for m in range(len(residual)):
        px = dx + pixel[m]
        grown[m], turned[m] = (sx[m] * px + sy[m] * dy) * shorter, (sy[m] * px - sx[m] * dy) * shorter
    for m in range(len(residual)):
        tilted[m] = (across + pixel[m] * unit) * bend[m] + two * sx[m]
        leaning[m] = down * bend[m] + two * sy[m]
    for m in range(len(residual)):
        along[m] = level[m]
        residual[m] = level[m] - fixed[m]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add_up(jacobian: Float, residual: Float, weight: Float, ones: Float, part: Float, totals: Float) -> None:
    count, k = len(weight), 0
    for p in range(_UNKNOWNS):
        _times(weight, jacobian[p], part)
        for q in range(p, _UNKNOWNS):
            _add_products(part[:count], jacobian[q], totals[k])
            k += 1
        _add_products(part[:count], residual, totals[_PAIRS + p])
    _times(weight, residual, part)
    _add_products(part[:count], residual, totals[_SUMS - 2])
    _add_products(weight, ones, totals[_SUMS - 1])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _weigh(jacobian: Float, residual: Float, local: Float, cutoff: np.float32, weight: Float) -> None:
    """Tukey's weights of what a tile's own gain, offset and blur leave over."""
    j4, j5, j6, j7, j8 = jacobian[4], jacobian[5], jacobian[6], jacobian[7], jacobian[8]
    l4, l5, l6, l7, l8 = local[0], local[1], local[2], local[3], local[4]
    one, none = np.float32(1), np.float32(0)
    for m in range(len(weight)):
        tail = (residual[m] + l4 * j4[m] + l5 * j5[m] + l6 * j6[m] + l7 * j7[m] + l8 * j8[m]) / cutoff
        keep = max(one - tail * tail, none)
        weight[m] = keep * keep


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _times(one: Float, two: Float, out: Float) -> None:
    for m in range(len(one)):
        out[m] = one[m] * two[m]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add_products(one: Float, two: Float, total: Float) -> None:
    for m in range(len(one)):
        total[m] += one[m] * two[m]
