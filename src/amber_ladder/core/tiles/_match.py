"""What two pictures that overlap show alike: points of one and the same points of the other."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Double = NDArray[np.float64]
Float = NDArray[np.float32]
Box = tuple[int, int, int, int]
"""x, y, width, height in px."""

_COARSE_PX = 320  # of a picture's longer side, where the shift is looked for first
_STRIP = 0.7  # of the overlap: what is looked for in the other picture
_ALIKE = 0.3  # correlation from which a coarse shift is believed
_PATCHES_PX = (128, 96, 64, 48, 32)  # the largest of which the overlap holds more than one
_MOST_PATCHES = 80
_RETURNS_PX = 0.2
_UNTIL = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 0.005)
_DETAIL = 0.6  # of the median patch's detail: flatter ones tell nothing
_TUKEY = 4.0
_FEWEST = 6
_TELLING_PX = 2.0  # what patches of a true match agree to, at least


@dataclass(frozen=True, slots=True)
class Match:
    """Points (N, 2) of one picture, px (x, y), and where the other shows the same."""

    first: Double
    second: Double


def match(
    first: NDArray[np.uint8],
    second: NDArray[np.uint8],
    shift_px: Double,
    off_px: float,
    depth_at: Callable[[Double], Double] | None = None,
) -> Match | None:
    """What two grey pictures (H, W) have in common; None where they show nothing alike.

    ``shift_px`` (x, y) is where the second one's corner lies in the first, as far as that is known; it may be
    ``off_px`` from that. The shift is found coarsely by correlation of the strip in which they overlap, then patch by
    patch to parts of a pixel, and patches that disagree with the rest are left out. What lies deeper is shifted against
    what lies near, as each picture has a view point of its own: ``depth_at`` gives depths (N,) for points (N, 2) of the
    first, NaN where unknown.
    """
    shift = _coarse(first, second, shift_px, off_px)
    if shift is None:
        return None
    box = _overlap(first.shape, second.shape, shift)
    patch_px = next((one for one in _PATCHES_PX if min(box[2:]) >= 1.5 * one), None)
    if patch_px is None:
        return None
    # Only what both show is looked at closely.
    starts = [_cut_start(corner, patch_px) for corner in (np.array(box[:2]), np.array(box[:2]) - np.rint(shift))]
    both = list(zip((first, second), starts, strict=True))
    size = [
        min(length + 2 * patch_px, *(picture.shape[1 - n] - int(start[n]) for picture, start in both))
        for n, length in enumerate(box[2:])
    ]
    one, other = (
        np.ascontiguousarray(picture[start[1] : start[1] + size[1], start[0] : start[0] + size[0]])
        for picture, start in both
    )
    found = []
    # Large patches are found surely; small ones lie at one depth, where large ones hold several.
    for side in {patch_px, max(patch_px // 2, _PATCHES_PX[-1])}:
        at = [(x - int(starts[0][0]), y - int(starts[0][1])) for x, y in _centres(first, box, side)]
        found.append(_fine(one, other, at, shift + starts[1] - starts[0], side))
    points, same = (np.asarray(np.concatenate([pair[n] for pair in found]) + starts[n], np.float64) for n in range(2))
    if len(points) < _FEWEST:
        return None
    agreed = _agreeing(points, same, depth_at(points) if depth_at else None)
    return Match(points[agreed], same[agreed]) if np.count_nonzero(agreed) >= _FEWEST else None


def _cut_start(corner: NDArray[Any], patch_px: int) -> NDArray[np.int64]:
    return np.maximum(np.asarray(corner, np.int64) - patch_px, 0)


def _coarse(first: NDArray[np.uint8], second: NDArray[np.uint8], shift_px: Double, off_px: float) -> Double | None:
    factor = max(first.shape[1], first.shape[0]) / _COARSE_PX
    shrunk = {"fx": 1 / factor, "fy": 1 / factor, "interpolation": cv2.INTER_AREA}
    small = [_band(np.asarray(cv2.resize(one, None, **shrunk), np.uint8), 0.8, 6.0) for one in (first, second)]
    near = shift_px / factor
    x, y, width, height = _overlap(small[1].shape, small[0].shape, -near)  # of the second, where the first lies
    inset_x, inset_y = (round(0.5 * (1 - _STRIP) * side) for side in (width, height))
    strip = small[1][y + inset_y : y + height - inset_y, x + inset_x : x + width - inset_x]
    if min(strip.shape) < 8:
        return None
    off = off_px / factor + 2
    left, top = (round(near[n] + start - off) for n, start in ((0, x + inset_x), (1, y + inset_y)))
    wide = small[0][
        max(top, 0) : round(top + strip.shape[0] + 2 * off), max(left, 0) : round(left + strip.shape[1] + 2 * off)
    ]
    if wide.shape[0] < strip.shape[0] or wide.shape[1] < strip.shape[1]:
        return None
    alike = cv2.matchTemplate(wide, strip, cv2.TM_CCOEFF_NORMED)
    _, best, _, (at_x, at_y) = cv2.minMaxLoc(alike)
    if best < _ALIKE:
        return None
    at = np.array([at_x + max(left, 0) - x - inset_x, at_y + max(top, 0) - y - inset_y], np.float64)
    return np.asarray(at * factor, np.float64)


def _overlap(first: tuple[int, ...], second: tuple[int, ...], shift: Double) -> Box:
    """The box of the first picture that the second one covers."""
    left, top = (max(round(float(one)), 0) for one in shift)
    right = min(first[1], round(float(shift[0])) + second[1])
    bottom = min(first[0], round(float(shift[1])) + second[0])
    return left, top, max(right - left, 0), max(bottom - top, 0)


def _centres(first: NDArray[np.uint8], box: Box, patch_px: int) -> list[tuple[int, int]]:
    """Where patches are compared: spread over the overlap, where there is detail."""
    x, y, width, height = box
    half = patch_px // 2 + 2
    room = max((width - 2 * half) * (height - 2 * half), 1)
    pitch = max(round((room / _MOST_PATCHES) ** 0.5), patch_px // 2)
    at = [
        (column, row)
        for row in range(y + half, y + height - half + 1, pitch)
        for column in range(x + half, x + width - half + 1, pitch)
    ]
    told = [float(_band(_patch(first, one, patch_px), 1.0, 8.0).std()) for one in at]
    enough = _DETAIL * float(np.median(told)) if told else 0.0
    return [one for one, detail in zip(at, told, strict=True) if detail >= enough]


def _fine(
    first: NDArray[np.uint8], second: NDArray[np.uint8], at: list[tuple[int, int]], shift: Double, patch_px: int
) -> tuple[Double, Double]:
    """Places (N, 2) of the first picture, and where the second shows the same around them (Lucas and Kanade).

    Each is followed there and back again, and taken where it returns.
    """
    if not at:
        return np.zeros((0, 2)), np.zeros((0, 2))
    start = np.asarray(at, np.float32)
    how = {"winSize": (patch_px, patch_px), "maxLevel": 2, "flags": cv2.OPTFLOW_USE_INITIAL_FLOW, "criteria": _UNTIL}
    one, other = _detail(first), _detail(second)
    there, found, _ = cv2.calcOpticalFlowPyrLK(one, other, start, (start - shift).astype(np.float32), **how)  # type: ignore[call-overload]
    back, returned, _ = cv2.calcOpticalFlowPyrLK(other, one, there, start.copy(), **how)  # type: ignore[call-overload]
    good = (found.ravel() > 0) & (returned.ravel() > 0) & (np.linalg.norm(back - start, axis=1) < _RETURNS_PX)
    half = patch_px // 2
    for axis, length in ((0, second.shape[1]), (1, second.shape[0])):
        good &= (there[:, axis] >= half) & (there[:, axis] <= length - half)
    return start[good].astype(np.float64), there[good].astype(np.float64)


def _detail(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """What two tiles show alike though one is brighter: detail about a mid grey, as strong as the picture allows."""
    band = _band(picture, 1.0, 8.0)
    return np.asarray(np.clip(128.0 + band * (40.0 / max(float(band.std()), 0.5)), 0, 255), np.uint8)


def _patch(picture: NDArray[np.uint8], at: tuple[int, int], patch_px: int) -> NDArray[np.uint8]:
    half = patch_px // 2
    return picture[at[1] - half : at[1] + half, at[0] - half : at[0] + half]


def _band(picture: NDArray[np.uint8], fine_px: float, coarse_px: float) -> Float:
    """Detail between two sizes: neither noise nor shading."""
    grey = picture.astype(np.float32)
    return np.asarray(cv2.GaussianBlur(grey, (0, 0), fine_px) - cv2.GaussianBlur(grey, (0, 0), coarse_px), np.float32)


def _agreeing(first: Double, second: Double, depth: Double | None) -> NDArray[np.bool_]:
    """Which points one shift, turn and scale explains, with a shift that grows with depth; found robustly (Tukey)."""
    kept = np.ones(len(first), bool)
    for _ in range(8):
        if np.count_nonzero(kept) < 3:
            return np.zeros(len(first), bool)
        off = np.linalg.norm(_left(first, second, depth, kept), axis=1)
        spread = 1.4826 * float(np.median(off[kept]))
        now = off <= max(_TUKEY * spread, 0.3)
        if (now == kept).all():
            break
        kept = now
    centre = np.median(off[kept]) if kept.any() else np.inf
    return kept if centre < _TELLING_PX else np.zeros(len(first), bool)


def _left(first: Double, second: Double, depth: Double | None, kept: NDArray[np.bool_]) -> Double:
    """What the model of the points that are kept leaves over at all of them (N, 2)."""
    left = second - similar(first[kept], second[kept])(first)
    if depth is None:
        return left
    told = kept & np.isfinite(depth)
    if np.count_nonzero(told) < _FEWEST:
        return left
    # Depth, shift and turn are told apart together: what goes along with depth is taken out of all three.
    x, y = (first - first[told].mean(axis=0)).T
    z = np.where(np.isfinite(depth), depth - depth[told].mean(), 0.0) / max(float(depth[told].std()), 1e-9)
    zero, one = np.zeros_like(x), np.ones_like(x)
    columns = np.stack([
        np.stack([x, -y, one, zero, z, zero], axis=1), np.stack([y, x, zero, one, zero, z], axis=1),
    ], axis=1)  # fmt: skip
    found = np.linalg.lstsq(columns[told].reshape(-1, 6), second[told].ravel(), rcond=None)[0]
    return np.asarray(second - columns @ found, np.float64)


class similar:  # noqa: N801 - reads as the function that it makes
    """The shift, turn and scale that brings points (N, 2) nearest to others, as a function (least squares)."""

    def __init__(self, points: Double, others: Double) -> None:
        self._from, self._to = points.mean(axis=0), others.mean(axis=0)
        p, q = points - self._from, others - self._to
        square = max(float((p * p).sum()), 1e-9)
        a = float((p * q).sum()) / square
        b = float((p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0]).sum()) / square
        self._turn = np.array([[a, -b], [b, a]])

    def __call__(self, points: Double) -> Double:
        return np.asarray((points - self._from) @ self._turn.T + self._to, np.float64)
