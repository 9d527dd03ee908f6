"""Depth where it can be told, and a complete surface to merge along."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

SURE = 0.75
"""Confidence from which a pixel's own peak counts, if its neighbours agree; noise alone can reach it."""

_NOISE, _NOISE_GROWS = 0.3, 0.22
"""Confidence that noise alone reaches on average over 9 × 9 px once in a hundred such places: the first for one frame,

the second more for each unit of the logarithm of their number (found on noise with the blur of common cameras)."""

_ENOUGH_PX = 1_000_000  # for a percentile
_AGREE_PX = 9
_DISAGREE_FRAMES = 1.5


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


def surface(index: Float, confidence: Float, count: int) -> Surface:
    """Clean and complete a map of the sharpest of ``count`` frames (H, W).

    Single outliers give way to the median of their neighbours; what no frame showed sharply is filled from
    around it, ever coarser, by push and pull (Gortler et al. 1996), weighted by confidence.
    """
    measured = np.isfinite(index)
    no_noise = cv2.blur(confidence, (_AGREE_PX, _AGREE_PX)) > noise_peak(count)
    sure = (confidence >= SURE) & no_noise
    trust = np.where(measured, np.clip(confidence / SURE, 0.0, 4.0), 0.0).astype(np.float32)
    trust *= np.where(sure, 1.0, 0.02).astype(np.float32)
    start = np.where(measured, index, 0.0).astype(np.float32)
    complete = _push_pull(start, trust)
    candidate = np.where(sure, start, complete).astype(np.float32)
    calm = np.asarray(cv2.medianBlur(candidate, 5), np.float32)
    # A pixel far from the median of its neighbours is a wrong peak (noise, a glint), not a hair: those are
    # wider than the window over which focus was measured.
    outlier = np.abs(candidate - calm) > 1.5
    cleaned = np.where(outlier, calm, candidate).astype(np.float32)
    smooth = _weighted_smooth(cleaned, trust)
    near_sure = cv2.blur(sure.astype(np.float32), (7, 7)) > 0.3
    known = near_sure & no_noise & measured & ~_torn(cleaned)
    return Surface(np.where(sure & ~outlier, smooth, calm).astype(np.float32), known)


def _torn(index: Float) -> NDArray[np.bool_]:
    """Where neighbouring peaks disagree: at steps in depth, and beside a nearer edge whose blur outshines what lies
    behind. The peaks there are strong, and wrong by many frames: an honest map leaves them out."""
    mean = cv2.blur(index, (_AGREE_PX, _AGREE_PX))
    spread = cv2.blur(index * index, (_AGREE_PX, _AGREE_PX)) - mean * mean
    return np.asarray(spread > _DISAGREE_FRAMES**2)


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


def _weighted_smooth(index: Float, trust: Float) -> Float:
    weight = trust + np.float32(1e-3)
    top = cv2.GaussianBlur(index * weight, (0, 0), 1.2)
    bottom = cv2.GaussianBlur(weight, (0, 0), 1.2)
    smooth = np.asarray(top / bottom, np.float32)
    # Not across a step in depth: there the mean of both sides would be the depth of neither.
    return np.where(np.abs(smooth - index) > 0.7, index, smooth).astype(np.float32)


def _push_pull(value: Float, weight: Float) -> Float:
    if min(value.shape) <= 2:
        total = float(weight.sum())
        mean = float((value * weight).sum()) / total if total > 0 else float(value.mean())
        return np.where(weight > 0.5, value, mean).astype(np.float32)
    size = ((value.shape[1] + 1) // 2, (value.shape[0] + 1) // 2)
    pooled = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
    carried = cv2.resize(value * weight, size, interpolation=cv2.INTER_AREA)
    coarse = _push_pull(
        (carried / np.maximum(pooled, 1e-9)).astype(np.float32),
        np.minimum(pooled * 2, 1.0).astype(np.float32),
    )
    filled = cv2.resize(coarse, (value.shape[1], value.shape[0]), interpolation=cv2.INTER_LINEAR)
    share = np.minimum(weight, 1.0)
    return (share * value + (1 - share) * filled).astype(np.float32)
