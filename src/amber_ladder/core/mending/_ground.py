"""Which pixels are ground: by how far they lie, or how they look; bristles before it are none."""

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.mending._brush import Float

Mask = NDArray[np.bool_]

_MOST_PX = 1_200_000  # of the picture in which ground and specimen are told apart
_FAR_PX, _NEAR_PX = 2, 10  # so far within what a depth map tells it is sure: beside an edge it is wide
_CORE, _CORE_PX = 0.5, 2.0  # what is narrower is sure from so much of its half width on, if that is more than this
_LEAST_NEAR_PX = 150  # of the small picture in one piece: less may be noise of depth
_SMOOTH = 2.0  # detail, against the plainest of the picture: where depth is unknown and so little shows, nothing is
_PLAINEST = 0.05
_DETAIL_PX = 2.0
_PATCH_PX = 4  # half the side of the place that ground shall look like
_LIKE, _UNLIKE = 3.0, 8.0  # of that place's spread
_AROUND_PX, _ENOUGH = 40, 0.02  # either way, and the share of that which has to be ground to tell its tone
_LEAST_SPREAD = 0.015  # of full range
_KNOWN_SHARE = 0.01  # of the picture that is surely farther: then only that is ground to begin with
_LEAST_SHARE = 1e-4  # of the picture: a smaller ground is none
_ROUNDS = 2
_EDGE = 1e-4  # variance of the picture below which an edge is none (guided filter)
_NARROWEST = (0.12, 0.88)  # shares between which a pixel is both
_ABOVE = (
    (0, 0),
    (0, 1),
    (0, 2),
    (1, 1),
    (1, 2),
    (2, 2),
)  # rows and columns of a symmetric matrix, from its diagonal on


def ground_by_depth(picture: NDArray[np.uint8], depth: Float, farther_than: float, feather_px: float) -> Float | None:
    """How much of each pixel is ground, (H, W), 0 to 1: what lies farther, or where nothing shows at all.

    ``picture`` is RGB (H, W, 3), ``depth`` (H, W) is NaN where unknown. None where nothing lies farther.
    """
    small, factor = _shrunk(picture)
    known = np.isfinite(depth)
    far, near = (_shrunk_mask(one, small) for one in (known & (depth > farther_than), known & (depth <= farther_than)))
    ground = _inner(far, _FAR_PX / factor)
    if ground.mean() < _KNOWN_SHARE:  # a ground beyond the ladder shows nothing that tells its depth
        ground = _inner(far | (~near & _plain(small)), _FAR_PX / factor)
    if ground.mean() < _LEAST_SHARE:
        return None
    return _matted(picture, _cut(small, ground, _core(near, _NEAR_PX / factor) & ~ground), feather_px)


def ground_plain(picture: NDArray[np.uint8], depth: Float, feather_px: float) -> Float | None:
    """The same of what shows nothing and has no depth, whatever the unit of ``depth``. None where there is no such."""
    small, factor = _shrunk(picture)
    known = _shrunk_mask(np.isfinite(depth), small)
    ground = _inner(~known & _plain(small), _FAR_PX / factor)
    if ground.mean() < _LEAST_SHARE:
        return None
    return _matted(picture, _cut(small, ground, _core(known, _NEAR_PX / factor) & ~ground), feather_px)


def ground_like(picture: NDArray[np.uint8], x: int, y: int, feather_px: float) -> Float:
    """The same by looks: what is as the place about ``x``, ``y``."""
    small, factor = _shrunk(picture)
    at_x, at_y = min(int(x / factor), small.shape[1] - 1), min(int(y / factor), small.shape[0] - 1)
    calm = np.asarray(cv2.GaussianBlur(small, (0, 0), 1.0), np.float32) / np.float32(255)
    top, left = max(at_y - _PATCH_PX, 0), max(at_x - _PATCH_PX, 0)
    place = calm[top : at_y + _PATCH_PX + 1, left : at_x + _PATCH_PX + 1].reshape(-1, 3)
    spread = np.maximum(place.std(axis=0), _LEAST_SPREAD)
    off = np.sqrt(np.square((calm - place.mean(axis=0)) / spread).mean(axis=2))
    alike = off < _LIKE
    alike[at_y, at_x] = True
    return _matted(picture, _cut(small, _inner(alike, 1.0) | (off < _LIKE / 2), off > _UNLIKE), feather_px)


def _shrunk(picture: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], float]:
    factor = max(1.0, float(np.sqrt(picture.shape[0] * picture.shape[1] / _MOST_PX)))
    if factor == 1.0:
        return np.ascontiguousarray(picture), factor
    size = (round(picture.shape[1] / factor), round(picture.shape[0] / factor))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8), factor


def _shrunk_mask(mask: Mask, small: NDArray[np.uint8]) -> Mask:
    size = (small.shape[1], small.shape[0])
    return np.asarray(cv2.resize(mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0, np.bool_)


def _plain(picture: NDArray[np.uint8]) -> Mask:
    """Where hardly more shows than in the plainest parts of the picture."""
    grey = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.float32)
    bend = cv2.Laplacian(cv2.GaussianBlur(grey, (0, 0), 1.0), cv2.CV_32F)
    detail = cv2.GaussianBlur(np.square(bend), (0, 0), _DETAIL_PX)
    return np.asarray(detail < _SMOOTH * np.quantile(detail, _PLAINEST), np.bool_)


def _within_px(mask: Mask) -> Float:
    """How far within a mask each pixel lies (H, W); the picture's border is no edge."""
    bordered = cv2.copyMakeBorder(mask.astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_REPLICATE)
    return np.asarray(cv2.distanceTransform(bordered, cv2.DIST_L2, 5)[1:-1, 1:-1], np.float32)


def _inner(mask: Mask, px: float) -> Mask:
    return np.asarray(_within_px(mask) > px, np.bool_)


def _core(mask: Mask, px: float) -> Mask:
    """What lies so far within a mask, and the middle of what is narrower than that, as bristles and hairs are."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8))
    large = stats[:, cv2.CC_STAT_AREA] >= _LEAST_NEAR_PX
    large[0] = False
    away = _within_px(np.asarray(large[labels], np.bool_))
    side = 2 * int(np.ceil(px)) + 1
    half_width = cv2.dilate(away, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))
    return np.asarray((away > px) | ((away >= _CORE * half_width) & (away > _CORE_PX)), np.bool_)


def _cut(picture: NDArray[np.uint8], ground: Mask, never: Mask) -> Mask:
    """Tell ground from what is none where neither is sure: by edges first, then by colours and edges.

    Watershed (Meyer 1992), and GrabCut (Rother et al. 2004) from there.
    """
    flooded = np.where(ground, np.int32(1), np.where(never, np.int32(2), np.int32(0)))
    reached = cv2.dilate((cv2.watershed(picture, flooded) == 1).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    # A bristle is too narrow for a depth map to be sure of it: it is reached, but does not look like the ground.
    told = np.where(reached & _looks_like(picture, ground), np.uint8(cv2.GC_PR_BGD), np.uint8(cv2.GC_PR_FGD))
    told[never], told[ground] = cv2.GC_FGD, cv2.GC_BGD
    if not (told & 1).any():
        return np.ones_like(ground)
    cv2.setRNGSeed(0)  # the same picture gives the same ground
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.grabCut(picture, told, (0, 0, 1, 1), *models, _ROUNDS, cv2.GC_INIT_WITH_MASK)
    found = (told & 1) == 0
    _, labels = cv2.connectedComponents(found.astype(np.uint8))
    joined = np.zeros(int(labels.max()) + 1, np.bool_)
    joined[labels[ground]] = True
    return np.asarray(found & joined[labels], np.bool_)  # holes in a specimen are none


def _looks_like(picture: NDArray[np.uint8], ground: Mask) -> Mask:
    """Where the picture is as bright and as coloured as what is surely ground nearby."""
    weight = ground.astype(np.float32)
    pixels = picture.astype(np.float32) / np.float32(255)
    side = (2 * _AROUND_PX + 1,) * 2
    sums = np.asarray(cv2.blur(pixels * weight[..., None], side), np.float32)
    total = np.asarray(cv2.blur(weight, side), np.float32)
    usual = pixels[ground].mean(axis=0)
    tone = np.where(total[..., None] > _ENOUGH, sums / np.maximum(total, _ENOUGH)[..., None], usual)
    off = np.abs(pixels - tone)
    spread = np.maximum(1.4826 * np.median(off[ground], axis=0), _LEAST_SPREAD)
    return np.asarray(np.sqrt(np.square(off / spread).mean(axis=2)) < _LIKE, np.bool_)


def _matted(picture: NDArray[np.uint8], ground: Mask, feather_px: float) -> Float:
    """The ground's share of each pixel, at full size, along the edges of the picture."""
    height, width = picture.shape[:2]
    share = np.asarray(cv2.resize(ground.astype(np.float32), (width, height)), np.float32)
    if feather_px >= 0.5:
        share = _guided(picture.astype(np.float32) / np.float32(255), share, max(1, round(feather_px)))
    low, high = _NARROWEST
    return np.asarray(np.clip((share - low) / (high - low), 0.0, 1.0), np.float32)


def _guided(guide: Float, mask: Float, radius: int) -> Float:
    """A mask that follows the edges of a colour picture (guided filter, He, Sun & Tang 2013)."""
    side = (2 * radius + 1, 2 * radius + 1)

    def mean(plane: Float) -> Float:
        return np.asarray(cv2.blur(plane, side, borderType=cv2.BORDER_REFLECT), np.float32)

    middle, own = mean(guide), mean(mask)
    along = mean(guide * mask[..., None]) - middle * own[..., None]
    spread = np.empty((len(_ABOVE), *mask.shape), np.float32)
    for plane, (i, j) in zip(spread, _ABOVE, strict=True):
        plane[:] = mean(guide[..., i] * guide[..., j]) - middle[..., i] * middle[..., j] + np.float32(_EDGE * (i == j))
    slope = np.ascontiguousarray(along)
    _solve(spread, slope)
    offset = own - (slope * middle).sum(axis=2)
    return np.asarray((mean(slope) * guide).sum(axis=2) + mean(offset), np.float32)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _solve(above: Float, right: Float) -> None:
    """Solve 3 × 3 equations of each pixel (LDLᵀ): ``above`` (6, H, W) as ``_ABOVE``, ``right`` (H, W, 3) in place."""
    for y in numba.prange(right.shape[0]):
        for x in range(right.shape[1]):
            d0, s01, s02 = above[0, y, x], above[1, y, x], above[2, y, x]
            l1, l2 = s01 / d0, s02 / d0
            d1, left = above[3, y, x] - l1 * s01, above[4, y, x] - l1 * s02
            l3 = left / d1
            d2 = above[5, y, x] - l2 * s02 - l3 * left
            b0, b1, b2 = right[y, x, 0], right[y, x, 1], right[y, x, 2]
            b1 -= l1 * b0
            b2 -= l2 * b0 + l3 * b1
            b2 /= d2
            b1 = b1 / d1 - l3 * b2
            right[y, x, 0], right[y, x, 1], right[y, x, 2] = b0 / d0 - l1 * b1 - l2 * b2, b1, b2
