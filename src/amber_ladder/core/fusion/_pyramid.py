"""Pyramid: at every scale the detail of the frame that has most of it (Burt & Kolczynski 1993)."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import FrameSource, Progress, ahead, is_large
from amber_ladder.core.fusion._levels import (
    average,
    brightness,
    expand_onto,
    halved,
    quiet,
    take,
    tiles_of,
    widen,
    window,
)
from amber_ladder.core.fusion._moved import barred
from amber_ladder.core.fusion._plain import HALF_AVERAGE, nothing_sharp
from amber_ladder.core.fusion._survey import Survey
from amber_ladder.core.registration import Matrix, warped_picture

Float = NDArray[np.float32]
Mask = NDArray[np.uint8]

_COARSEST_PX = 24
_SHARE_LEVEL = 2  # frames are credited with what they give at this scale, where noise no longer decides
USUAL_WINDOW_PX = 2.2  # standard deviation of what detail is averaged over; of coarser levels' px a little less
_COARSER_WINDOW = 0.73
_NOISY_LEVELS = 3
_PLAIN = 127  # of 255
_STANDS_OUT = 2.0  # times the mean of all frames, beyond which one is believed wholly
_EDGE_PX = 4  # of every level is not trusted at a frame's border
_PARTLY_LEVELS = 2  # hold nearly all pixels: the coarser ones are worked out everywhere
_AROUND_PX = 8  # of the surface: from there the window and the blur of the survey reach into a tile
_MOSTLY, _SPARE_FRAMES = 0.6, 2.0


class _Level:
    """The winning detail of one scale so far."""

    def __init__(
        self,
        shape: tuple[int, int],
        window_px: float,
        *,
        calmed: bool,
        credited: bool,
        wanted: Mask | None,
        seen: Survey | None,
    ) -> None:
        self.weights = window(window_px)
        self.tiles = tiles_of(shape, len(self.weights) - 1, wanted)
        # Of which used frames something may be sharpest in each tile: all, unless the survey tells.
        self.first, self.last = np.full(len(self.tiles), -np.inf), np.full(len(self.tiles), np.inf)
        if seen:
            self.first, self.last = _sharpest_in(self.tiles, shape, seen)
        self.detail = np.zeros((*shape, 3), np.float32)
        self.activity = np.full(shape, -1.0, np.float32)
        self.winner = np.zeros(shape if credited else (0, 0), np.int16)
        # What all frames together say, where noise shall be averaged away: detail, activity, and how many reach there.
        both = shape if calmed else (0, 0)
        self.together = (np.zeros((*both, 3), np.float32), np.zeros(both, np.float32), np.zeros(both, np.float32))

    def add(
        self, present: NDArray[Any], coarser: Float, coarser_grey: Float, covered: Mask, place: int, *, everywhere: bool
    ) -> None:
        tiles = self.tiles if everywhere else self.tiles[(self.first <= place) & (place <= self.last)]
        take(
            present, coarser, coarser_grey, covered, self.weights, tiles, np.int16(place),
            self.detail, self.activity, self.winner, *self.together,
        )  # fmt: skip


class Pyramid:
    """A composite that grows frame by frame.

    Detail is compared over ``window_px``: a smaller window keeps finer hairs, a larger one is calmer. ``calm`` (0 to 1)
    is how far detail in which no frame stands out gives way to the mean of all frames. Where ``wanted`` (H, W of the
    surface) is given, the finest detail is worked out only in tiles in which it is not 0, and averaged nowhere.
    """

    def __init__(
        self,
        found: Survey,
        shape: tuple[int, int],
        dtype: np.dtype[Any],
        window_px: float,
        calm: float,
        wanted: Mask | None = None,
    ) -> None:
        self._found, self._shape, self._calm = found, shape, calm
        shapes = _shapes(*shape)
        # Where nothing is sharp no frame has more than others but noise: there they are averaged.
        plain = (nothing_sharp(found) > _PLAIN).astype(np.uint8)
        averaged = shapes[: min(_NOISY_LEVELS, len(shapes) - 1)] if wanted is None and plain.any() else []
        self._plain = [_resized(plain, one) for one in averaged]
        chosen = [np.uint8(1) - one for one in self._plain]
        if wanted is not None:
            chosen = [_resized(wanted, one) for one in shapes[:_PARTLY_LEVELS]]
        self._levels = [
            _Level(
                one,
                window_px * (_COARSER_WINDOW if i else 1.0),
                calmed=calm > 0 and i < _NOISY_LEVELS,
                credited=i == min(_SHARE_LEVEL, len(shapes) - 2),
                wanted=chosen[i] if i < len(chosen) else None,
                seen=found if i < _PARTLY_LEVELS and calm == 0 else None,
            )
            for i, one in enumerate(shapes[:-1])
        ]
        self._base, self._weight = np.zeros((*shapes[-1], 3), np.float32), np.zeros(shapes[-1], np.float32)
        self._largest = int(np.iinfo(dtype).max)
        self._low, self._high = np.full((*shape, 3), self._largest, dtype), np.zeros((*shape, 3), dtype)
        # What is not wanted need not be cut back; a pixel more, for who fades it out between those of the surface.
        self._cut = (
            None
            if wanted is None
            else 255 * _resized(np.asarray(cv2.dilate(wanted, np.ones((3, 3), np.uint8)), np.uint8), shape)
        )

    def add(self, place: int, picture: NDArray[Any]) -> None:
        """The used frame at a place: RGB (H, W, 3)."""
        warped = warped_picture(picture, self._found.matrices[place], self._found.gains[place], self._largest)
        reach = _reach(self._found.matrices[place], self._shape)
        wrong = barred(self._found.moved, place, self._shape)
        shown = reach if wrong is None else reach & ~wrong
        widen(warped, shown if self._cut is None else shown & self._cut, self._low, self._high)
        present: NDArray[Any] = warped
        for depth, level in enumerate(self._levels):
            finer, coarser = present, halved(present)
            grey = brightness(coarser)
            trusted = _trusted(reach, wrong, present.shape[:2])
            if depth < len(self._plain):
                index = self._found.surface.index
                average(
                    present, coarser, trusted, self._plain[depth], index, index.shape[0] / present.shape[0],
                    np.int16(place), HALF_AVERAGE, level.detail, level.winner,
                )  # fmt: skip
                trusted[self._plain[depth] > 0] = 0
            # What the frames in question do not reach, the reference frame shows.
            level.add(
                present, coarser, grey, trusted, place, everywhere=self._found.used[place] == self._found.reference
            )
            present = coarser
        self._add_base(coarser, brightness(finer), grey, wrong)

    def _add_base(self, present: Float, finer: Float, grey: Float, wrong: Mask | None) -> None:
        """The coarsest level is the mean of all, each weighted by what it has just above."""
        size = (grey.shape[1], grey.shape[0])
        lost = finer - cv2.pyrUp(grey, dstsize=(finer.shape[1], finer.shape[0]))
        energy = cv2.resize(lost * lost, size, interpolation=cv2.INTER_AREA)
        strength = np.asarray(cv2.GaussianBlur(energy, (0, 0), 2.0), np.float32) + np.float32(1e-6)
        if wrong is not None:
            share = cv2.resize(wrong, size, interpolation=cv2.INTER_AREA)
            strength *= np.float32(1.0) - share.astype(np.float32) / np.float32(255)
        self._base += strength[..., None] * present
        self._weight += strength

    def picture(self) -> NDArray[Any]:
        """The composite (H, W, 3) in the frames' type; nothing can be added after that."""
        for level in self._levels:
            if level.together[2].size:
                quiet(level.detail, level.activity, *level.together, self._calm, _STANDS_OUT)
        picture = np.asarray(self._base / np.maximum(self._weight, 1e-12)[..., None], np.float32)
        for level in reversed(self._levels):
            expand_onto(picture, level.detail)
            picture = level.detail
        # No tone that no frame recorded: what the choice per scale overshoots is cut back.
        np.clip(picture, self._low, self._high, out=picture)
        return np.rint(picture, out=picture).astype(self._low.dtype)

    def shares(self) -> tuple[float, ...]:
        """Each used frame's share of the common area."""
        found, level = self._found, self._levels[min(_SHARE_LEVEL, len(self._levels) - 1)]
        scale = level.winner.shape[1] / found.surface.index.shape[1] / found.factor
        x, y, w, h = (round(edge * scale) for edge in found.crop)
        winner = level.winner[y : y + max(h, 1), x : x + max(w, 1)].astype(np.int64).ravel()
        return tuple((np.bincount(winner, minlength=len(found.used)) / winner.size).tolist())


def merge_pyramid(
    frames: FrameSource, found: Survey, window_px: float, calm: float, progress: Progress
) -> tuple[NDArray[Any], tuple[float, ...]]:
    """Composite (H, W, 3) in the frames' type and each used frame's share of the common area (see Pyramid)."""
    pyramid = Pyramid(found, frames.shape, frames.dtype, window_px, calm)
    # One ahead: decoding is by far the quicker.
    most = 0 if is_large(frames) else 1
    for place, picture in ahead(lambda at: frames.picture(found.used[at]), range(len(found.used)), most=most):
        progress("merge", place, len(found.used))
        pyramid.add(place, picture)
        del picture  # before the next one is loaded
    progress("merge", len(found.used), len(found.used))
    return pyramid.picture(), pyramid.shares()


def _sharpest_in(
    tiles: NDArray[np.int64], shape: tuple[int, int], found: Survey
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The first and last place (N,) at which something in each tile of a level may be sharp, with some to spare.

    All of them where the survey knows little.
    """
    index, known = found.surface.index, found.surface.known
    smaller = index.shape[0] / shape[0]
    first, last = np.full(len(tiles), -np.inf), np.full(len(tiles), np.inf)
    for i, (top, bottom, left, right) in enumerate(tiles.tolist()):
        rows = slice(max(int(top * smaller) - _AROUND_PX, 0), int(bottom * smaller) + _AROUND_PX + 1)
        columns = slice(max(int(left * smaller) - _AROUND_PX, 0), int(right * smaller) + _AROUND_PX + 1)
        if known[rows, columns].mean() > _MOSTLY:
            own = index[rows, columns]
            first[i], last[i] = own.min() - _SPARE_FRAMES, own.max() + _SPARE_FRAMES
    return first, last


def _shapes(height: int, width: int) -> list[tuple[int, int]]:
    shapes = [(height, width)]
    while min(shapes[-1]) >= 2 * _COARSEST_PX:
        shapes.append(((shapes[-1][0] + 1) // 2, (shapes[-1][1] + 1) // 2))
    return shapes


def _reach(matrix: Matrix, shape: tuple[int, int]) -> Mask:
    """255 where the frame covers the reference frame's pixel."""
    height, width = shape
    corners = np.array([[0, 0], [width - 1, 0], [width - 1, height - 1], [0, height - 1]], np.float64)
    quad = corners @ matrix[:, :2].T + matrix[:, 2]
    mask = np.zeros(shape, np.uint8)
    cv2.fillConvexPoly(mask, np.rint(quad * 16).astype(np.int32), 255, cv2.LINE_8, 4)
    return mask


def _trusted(reach: Mask, wrong: Mask | None, shape: tuple[int, ...]) -> Mask:
    """Where a frame may speak at a level of this shape.

    Beyond a frame's own border the pixels are mirrored: only the reference frame may speak there.
    """
    near = np.ones((2 * _EDGE_PX + 1,) * 2, np.uint8)
    covered = cv2.erode(_resized(reach, shape), near, borderType=cv2.BORDER_CONSTANT, borderValue=255)
    if wrong is not None:
        # Not widened: what moved is told with a rim of its own.
        covered = np.where(_resized(wrong, shape) > 0, np.uint8(0), covered)
    return np.asarray(covered, np.uint8)


def _resized(mask: Mask, shape: tuple[int, ...]) -> Mask:
    return np.asarray(cv2.resize(mask, (shape[1], shape[0]), interpolation=cv2.INTER_NEAREST), np.uint8)
