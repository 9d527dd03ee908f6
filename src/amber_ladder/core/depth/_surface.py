"""Depth where it can be told, and a complete surface to merge along."""

from dataclasses import dataclass

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import widened

Float = NDArray[np.float32]

SURE = 0.75
"""Confidence from which a pixel's own peak counts, if its neighbours agree; noise alone can reach it."""

_NOISE, _NOISE_GROWS = 0.3, 0.22
"""Confidence that noise alone reaches on average over 9 × 9 px once in a hundred such places: the first for one frame,

the second more for each unit of the logarithm of their number (found on noise with the blur of common cameras)."""

_ENOUGH_PX = 1_000_000  # for a percentile
_AGREE_PX = 9
_NEAR_PX, _BESIDE = 7, 76  # of 255: three tenths of the pixels around
_APART_FRAMES = 1.5
_TORN_FRAMES = 0.75  # spread over 9 × 9 px; beside a nearer edge, depths of the edge reach farther than it does
_WIDE_SURE = 0.3  # confidence that noise alone reaches over the wider window once in a hundred places
_NOISY = 2.0  # times what noise reaches, below which a peak gives way to that of the wider window
_DOUBTED_PX, _DOUBTED = 9, 38  # of 255: three in twenty of the pixels around


@dataclass(frozen=True, slots=True)
class Surface:
    """``index`` (H, W) in frames, complete; ``known`` (H, W) says where it was measured rather than filled in."""

    index: Float
    known: NDArray[np.bool_]

    def sharp_in(self, count: int) -> NDArray[np.float64]:
        """The part of the picture that is sharpest in each of ``count`` frames."""
        own = np.rint(self.index[self.known]).astype(np.intp)
        return np.asarray(np.bincount(own, minlength=count) / self.index.size, np.float64)


def noise_peak(count: int) -> float:
    """Mean confidence over 9 × 9 px below which peaks among ``count`` frames may be noise."""
    return _NOISE + _NOISE_GROWS * float(np.log(max(count, 1)))


def surface(index: Float, confidence: Float, count: int, wide: tuple[Float, Float] | None = None) -> Surface:
    """Clean and complete a map of the sharpest of ``count`` frames (H, W).

    ``wide`` is index and confidence (H // 4, W // 4) over a wider window. Where detail is faint, chance makes peaks
    that stand out as true ones do; those that do not agree with the wider window give way to it, and what has no peak
    takes that of the wider window. It makes no depth known: hairs are narrower than it.

    Single outliers give way to the median of their neighbours; what no frame showed sharply is filled from
    around it, ever coarser, by push and pull (Gortler et al. 1996), weighted by confidence.
    """
    around = np.asarray(cv2.blur(confidence, (_AGREE_PX, _AGREE_PX)), np.float32)
    start, trust = np.empty_like(index), np.empty_like(index)
    sure, told = np.empty(index.shape, np.uint8), np.empty(index.shape, np.bool_)
    doubted, nowhere = np.empty(index.shape, np.uint8), np.zeros((1, 1), np.float32)
    wide_index, wide_confidence = (widened(plane, index.shape) for plane in wide or (nowhere, nowhere))
    _weigh(
        index, confidence, around, wide_index, wide_confidence, np.float32(noise_peak(count)),
        start, trust, sure, doubted, told,
    )  # fmt: skip
    cleaned = _push_pull(start, trust)
    np.copyto(cleaned, start, where=sure > 0)
    calm = np.asarray(cv2.medianBlur(cleaned, 5), np.float32)
    near_sure = np.asarray(cv2.blur(sure, (_NEAR_PX, _NEAR_PX)), np.uint8)
    _clean(cleaned, calm, trust, sure, start)
    top, bottom = (np.asarray(cv2.GaussianBlur(plane, (0, 0), 1.2), np.float32) for plane in (start, trust))
    _smooth(cleaned, top, bottom, sure, calm)
    box = (_AGREE_PX, _AGREE_PX)
    mean, square = (np.asarray(of(cleaned, cv2.CV_32F, box), np.float32) for of in (cv2.boxFilter, cv2.sqrBoxFilter))
    near_doubted = np.asarray(cv2.blur(doubted, (_DOUBTED_PX, _DOUBTED_PX)), np.uint8)
    _leave_out_torn(near_sure, near_doubted, mean, square, told)
    return Surface(calm, told)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _weigh(
    index: Float, confidence: Float, around: Float, wide: Float, wide_confidence: Float, noise: np.float32,
    start: Float, trust: Float, sure: NDArray[np.uint8], doubted: NDArray[np.uint8], told: NDArray[np.bool_],
) -> None:  # fmt: skip
    """What each pixel's own peak is worth: ``trust``, whether it is ``sure`` (0 or 255), and ``told`` at all.

    It is ``doubted`` (0 or 255) where it would be sure, but for the wider window.
    """
    full, least, most = np.float32(SURE), np.float32(0.02), np.float32(4)
    for y in numba.prange(index.shape[0]):
        for x in range(index.shape[1]):
            measured, no_noise = np.isfinite(index[y, x]), around[y, x] > noise
            own = confidence[y, x] >= full and no_noise
            seen_wide = wide_confidence[y, x] > _WIDE_SURE and np.isfinite(wide[y, x])
            apart = abs(index[y, x] - wide[y, x]) > _APART_FRAMES
            doubt = own and seen_wide and apart and around[y, x] < np.float32(_NOISY) * noise
            own = own and not doubt
            start[y, x] = index[y, x] if measured else np.float32(0)
            weight = min(max(confidence[y, x] / full, np.float32(0)), most) if measured else np.float32(0)
            if seen_wide and not own:
                start[y, x], weight = wide[y, x], np.float32(1)
            trust[y, x] = weight if own else weight * least
            sure[y, x], doubted[y, x] = 255 if own else 0, 255 if doubt else 0
            told[y, x] = measured and no_noise


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _clean(cleaned: Float, calm: Float, trust: Float, sure: NDArray[np.uint8], weighted: Float) -> None:
    """Wrong peaks (noise, a glint) give way to their neighbours; ``trust`` and ``weighted`` become those of the smooth.

    A pixel far from the median around it is no hair: those are wider than the window over which focus was measured.
    """
    for y in numba.prange(cleaned.shape[0]):
        for x in range(cleaned.shape[1]):
            if abs(cleaned[y, x] - calm[y, x]) > np.float32(1.5):
                cleaned[y, x], sure[y, x] = calm[y, x], 0
            trust[y, x] += np.float32(1e-3)
            weighted[y, x] = cleaned[y, x] * trust[y, x]


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _smooth(cleaned: Float, top: Float, bottom: Float, sure: NDArray[np.uint8], calm: Float) -> None:
    """Sure pixels in ``calm`` become the weighted mean around them, but not across a step in depth."""
    for y in numba.prange(cleaned.shape[0]):
        for x in range(cleaned.shape[1]):
            if sure[y, x] > 0:
                smooth = top[y, x] / bottom[y, x]
                apart = abs(smooth - cleaned[y, x]) > np.float32(0.7)
                calm[y, x] = cleaned[y, x] if apart else smooth


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _leave_out_torn(
    near_sure: NDArray[np.uint8], near_doubted: NDArray[np.uint8], mean: Float, square: Float, known: NDArray[np.bool_]
) -> None:
    """Known is what lies beside sure pixels and not beside doubted ones, and where neighbouring peaks agree.

    At steps in depth, and beside a nearer edge whose blur outshines what lies behind, they are strong and wrong by many
    frames: an honest map leaves them out.
    """
    most = np.float32(_TORN_FRAMES**2)
    for y in numba.prange(mean.shape[0]):
        for x in range(mean.shape[1]):
            agree = square[y, x] - mean[y, x] * mean[y, x] <= most
            steady = near_sure[y, x] > _BESIDE and near_doubted[y, x] < _DOUBTED
            known[y, x] = known[y, x] and steady and agree


def depth_spread(depth: Float) -> tuple[float, float] | None:
    """Nearest and farthest depth (H, W, any unit) without the one in two hundred on either side; None if all NaN.

    A few wrong peaks must not decide how deep a specimen is said to be.
    """
    thin = max(1, round((depth.size / _ENOUGH_PX) ** 0.5))
    known = depth[::thin, ::thin]
    known = known[np.isfinite(known)]
    if known.size == 0:
        return None
    near, far = np.percentile(known, (0.5, 99.5))
    return float(near), float(far)


def _push_pull(value: Float, weight: Float) -> Float:
    if min(value.shape) <= 2:
        total = float(weight.sum())
        mean = float((value * weight).sum()) / total if total > 0 else float(value.mean())
        return np.where(weight > 0.5, value, mean).astype(np.float32)
    size = ((value.shape[1] + 1) // 2, (value.shape[0] + 1) // 2)
    pooled = np.asarray(cv2.resize(weight, size, interpolation=cv2.INTER_AREA), np.float32)
    carried = np.asarray(cv2.resize(cv2.multiply(value, weight), size, interpolation=cv2.INTER_AREA), np.float32)
    coarse = _push_pull(
        (carried / np.maximum(pooled, 1e-9)).astype(np.float32),
        np.minimum(pooled * 2, 1.0).astype(np.float32),
    )
    filled = np.asarray(
        cv2.resize(coarse, (value.shape[1], value.shape[0]), interpolation=cv2.INTER_LINEAR), np.float32
    )
    _fill(value, weight, filled)
    return filled


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _fill(value: Float, weight: Float, filled: Float) -> None:
    for y in numba.prange(value.shape[0]):
        for x in range(value.shape[1]):
            share = min(weight[y, x], np.float32(1))
            filled[y, x] = share * value[y, x] + (np.float32(1) - share) * filled[y, x]
