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

from amber_ladder.core.registration._similarity import Matrix, inverse

Float = NDArray[np.float32]
Double = NDArray[np.float64]

_SMALLEST_SIDE = 48
_ITERATIONS = 12
_CONVERGED_PX = 0.01
_PLENTY_PX = 100_000  # of which every other one is enough
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


def register_pair(fixed: Float, moving: Float) -> Pair:
    """Register two grey pictures (H, W) of one size, values 0 to 1."""
    levels = _pyramid(fixed, moving)
    motion = np.zeros(4)
    motion[2:4] = _coarse_shift(*levels[-1])
    for i, (one, two) in enumerate(reversed(levels)):
        if i > 0:
            motion[2:4] = motion[2:4] * 2.0
        motion, spread, knowledge = _refine(_band(one), _band(two), motion)
    matrix = _matrix(motion, fixed.shape)
    gain, likeness = _compare(*levels[0], matrix)
    known = knowledge / _UNDERSTATED**2 + np.eye(4) / _AT_A_LOSS_PX**2
    covariance = np.asarray(np.linalg.inv(known), np.float64)
    return Pair(inverse(matrix), gain, _as_displacement(_band(levels[0][0]), spread), likeness, covariance)


def _pyramid(fixed: Float, moving: Float) -> list[tuple[Float, Float]]:
    # A light blur first: bilinear sampling between pixels is then nearly exact, and noise does not pull.
    levels = [(_smoothed(fixed), _smoothed(moving))]
    while min(levels[-1][0].shape) >= 2 * _SMALLEST_SIDE and len(levels) < 6:
        levels.append((_halved(levels[-1][0]), _halved(levels[-1][1])))
    return levels


def _smoothed(grey: Float) -> Float:
    return np.asarray(cv2.GaussianBlur(grey, (0, 0), 1.1), np.float32)


def _band(grey: Float) -> Float:
    # What is far out of focus has no fine detail; without its shading only what is nearly sharp has a say.
    return np.asarray(grey - cv2.GaussianBlur(grey, (0, 0), _COARSEST_DETAIL_PX), np.float32)


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


def _refine(fixed: Float, moving: Float, motion: Double) -> tuple[Double, float, Double]:
    """Improve scale, turn (per px from the centre) and shift; returns them, the typical residual, and the weights."""
    planes = np.dstack([moving, *slopes(moving), cv2.Laplacian(moving, cv2.CV_32F, ksize=1)]).astype(np.float32)
    tile = 64 if min(fixed.shape) >= 256 else 32
    every = 2 if fixed.size > _PLENTY_PX else 1
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


def _as_displacement(fixed: Float, spread: float) -> float:
    across, down = slopes(fixed)
    slope = float(np.sqrt(np.mean(across * across + down * down)))
    return spread / max(slope, 1e-6)


def _compare(fixed: Float, moving: Float, matrix: Matrix) -> tuple[float, float]:
    """Gain and likeness of the area that both show."""
    size = (fixed.shape[1], fixed.shape[0])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    warped = np.asarray(cv2.warpAffine(moving, matrix, size, flags=flags, borderValue=-1.0), np.float32)
    inside = warped >= 0
    if np.count_nonzero(inside) < inside.size // 4:
        return 1.0, 0.0
    one, two = fixed[inside], warped[inside]
    unclipped = (one < 0.97) & (two < 0.97)
    gain = _gain(one[unclipped], two[unclipped]) if unclipped.any() else 1.0
    # Shading alone, bright in the middle and dark around it, is no likeness: only what is smaller counts. Nor is noise
    # unlikeness: where nothing is in focus it outweighs all that is fine.
    warped[~inside] = fixed[~inside]
    one, two = (
        (cv2.GaussianBlur(grey, (0, 0), _COARSEST_DETAIL_PX) - _shading(grey))[inside] for grey in (fixed, warped)
    )
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


@numba.njit(parallel=True, nogil=True, cache=True)  # type: ignore[untyped-decorator]
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
    middle = (tile - 1) / 2.0
    for row in numba.prange(sums.shape[0]):
        jacobian = np.zeros(_UNKNOWNS)
        sample = np.zeros(4)
        for column in range(sums.shape[1]):
            total = np.zeros(_SUMS)
            cutoff = TUKEY * spread[row, column]
            for y in range(row * tile, min((row + 1) * tile, height)):
                for x in range(column * tile + y % every, min((column + 1) * tile, width), every):
                    dx, dy = x - cx, y - cy
                    u = cx + (1.0 + a) * dx - b * dy + tx
                    v = cy + b * dx + (1.0 + a) * dy + ty
                    if u < 1 or v < 1 or u >= width - 2 or v >= height - 2:
                        continue
                    i, j = int(u), int(v)
                    fu, fv = u - i, v - j
                    w00, w01, w10, w11 = (1 - fu) * (1 - fv), fu * (1 - fv), (1 - fu) * fv, fu * fv
                    for k in range(4):
                        sample[k] = (
                            planes[j, i, k] * w00
                            + planes[j, i + 1, k] * w01
                            + planes[j + 1, i, k] * w10
                            + planes[j + 1, i + 1, k] * w11
                        )
                    residual = sample[0] - fixed[y, x]
                    across, down = (x - column * tile - middle) / middle, (y - row * tile - middle) / middle
                    jacobian[0] = (sample[1] * dx + sample[2] * dy) / reach
                    jacobian[1] = (sample[2] * dx - sample[1] * dy) / reach
                    jacobian[2] = sample[1]
                    jacobian[3] = sample[2]
                    jacobian[4] = sample[0]
                    jacobian[5] = 1.0
                    jacobian[6] = sample[3]
                    jacobian[7] = across * sample[3] + 2.0 * sample[1] / middle
                    jacobian[8] = down * sample[3] + 2.0 * sample[2] / middle
                    tail = residual
                    for k in range(_LOCAL):
                        tail += local[row, column, k] * jacobian[4 + k]
                    tail /= cutoff
                    if abs(tail) >= 1.0:
                        continue
                    weight = (1.0 - tail * tail) ** 2
                    k = 0
                    for p in range(_UNKNOWNS):
                        wj = weight * jacobian[p]
                        for q in range(p, _UNKNOWNS):
                            total[k] += wj * jacobian[q]
                            k += 1
                        total[_PAIRS + p] += wj * residual
                    total[_SUMS - 2] += weight * residual * residual
                    total[_SUMS - 1] += weight
            sums[row, column] = total
