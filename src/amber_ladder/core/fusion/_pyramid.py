"""Pyramid: at every scale the detail of the frame that has most of it (Burt & Kolczynski 1993)."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import FrameSource, Progress, ahead, is_large
from amber_ladder.core.fusion._activity import window
from amber_ladder.core.fusion._levels import expand_onto, finished, halve, split
from amber_ladder.core.fusion._moved import barred
from amber_ladder.core.fusion._plain import HALF_AVERAGE, nothing_sharp
from amber_ladder.core.fusion._strips import held_by, strips_of, tiles_of
from amber_ladder.core.fusion._survey import Survey
from amber_ladder.core.fusion._taking import Asked, Shown, Won, quiet, take
from amber_ladder.core.registration import Matrix, inverse, warp

Float = NDArray[np.float32]
Mask = NDArray[np.uint8]

_COARSEST_PX = 24
_SHARE_LEVEL = 2  # frames are credited with what they give at this scale, where noise no longer decides
USUAL_WINDOW_PX = 2.2  # standard deviation of what detail is averaged over; of coarser levels' px a little less
_COARSER_WINDOW = 0.73
_NOISY_LEVELS = 3
_PLAIN = 127  # of 255
_STANDS_OUT = 2.0  # times the mean of all frames, beyond which one is believed wholly
_NOWHERE = np.zeros((0, 0), np.uint8)
_EDGE_PX = 4  # of every level is not trusted at a frame's border
_PARTLY_LEVELS = 3  # hold nearly all pixels: the coarser ones are worked out everywhere
_AROUND_PX = 2  # of the surface: from there the window and the blur of the survey reach into a tile
_MOSTLY, _SPARE_FRAMES = 0.6, 0.6


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
        plain: Mask,
        found: Survey,
        missed: NDArray[np.bool_],
        sharpest: bool,
    ) -> None:
        self.window = window(window_px)
        self.tiles = tiles_of(shape, self.window.reach, wanted)
        self.first, self.last = _asked_in(self.tiles, shape, found, plain, sharpest=sharpest)
        self.beside = held_by(self.tiles, shape, missed, _AROUND_PX)[:, 1] > 0
        # What all frames together say, where noise shall be averaged away.
        both = shape if calmed else (0, 0)
        self.won = Won(
            np.zeros((3, *shape), np.float32),
            np.full(shape, -1.0, np.float32),
            np.zeros(shape if credited else (0, 0), np.int16),
            np.zeros((3, *both), np.float32),
            np.zeros(both, np.float32),
            np.zeros(both, np.float32),
        )

    def strips(self, place: int, *, reference: bool) -> NDArray[np.int64]:
        """Where the frame at a place may be sharpest; the reference frame also where those may not reach."""
        asked = (self.first <= place) & (place <= self.last)
        return strips_of(self.tiles[asked | self.beside if reference else asked])


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
        self._found, self._shape, self._dtype, self._calm = found, shape, dtype, calm
        shapes = _shapes(*shape)
        # Where nothing is sharp no frame has more than others but noise: there they are averaged.
        plain = (nothing_sharp(found) > _PLAIN).astype(np.uint8)
        averaged = shapes[: min(_NOISY_LEVELS, len(shapes) - 1)] if wanted is None and plain.any() else []
        self._plain = [_resized(plain, one) for one in averaged]
        chosen = [] if wanted is None else [_resized(wanted, one) for one in shapes[:_PARTLY_LEVELS]]
        missed = _not_reached(found)
        self._levels = [
            _Level(
                one,
                window_px * (_COARSER_WINDOW if i else 1.0),
                calmed=calm > 0 and i < _NOISY_LEVELS,
                credited=i == min(_SHARE_LEVEL, len(shapes) - 2),
                wanted=chosen[i] if i < len(chosen) else None,
                plain=self._plain[i] if i < len(self._plain) else _NOWHERE,
                found=found,
                missed=missed,
                sharpest=i < _PARTLY_LEVELS and calm == 0,
            )
            for i, one in enumerate(shapes[:-1])
        ]
        # A frame as it was shot, at every scale; the next one takes its place.
        self._planes = [np.empty((4, *one), np.uint16 if i else dtype) for i, one in enumerate(shapes)]
        # Halved, a tone of 8 bits has 256 parts.
        self._units = [np.float32(1 / 256 if i and dtype == np.uint8 else 1) for i in range(len(shapes))]
        self._base, self._weight = np.zeros((3, *shapes[-1]), np.float32), np.zeros(shapes[-1], np.float32)

    def add(self, place: int, picture: NDArray[Any]) -> None:
        """The used frame at a place: RGB (H, W, 3)."""
        found = self._found
        matrix, gain = found.matrices[place], np.float32(found.gains[place])
        spans = _spans(matrix, self._shape)
        wrong = barred(found.moved, place, self._shape)
        # What the frames in question do not reach, the reference frame shows.
        reference = found.used[place] == found.reference
        back = inverse(matrix)
        split(picture, self._planes[0])
        for depth, level in enumerate(self._levels):
            planes, coarser, coarser_back = self._planes[depth], self._planes[depth + 1], _halved_map(back)
            halve(planes, coarser)
            shape = level.won.best.shape
            shown = Shown(planes, coarser, back, coarser_back, gain * self._units[depth], gain * self._units[depth + 1])
            asked = Asked(
                np.int16(place),
                _trusted(spans, depth, shape),
                _NOWHERE if wrong is None else _resized(wrong, shape),
                self._plain[depth] if depth < len(self._plain) else _NOWHERE,
                found.surface.index,
                HALF_AVERAGE,
            )
            take(shown, asked, level.strips(place, reference=reference), level.window, level.won)
            back = coarser_back
        self._add_base(inverse(back), gain, wrong)

    def _add_base(self, matrix: Matrix, gain: np.float32, wrong: Mask | None) -> None:
        """The coarsest level is the mean of all, each weighted by what it has just above."""
        above, planes = self._planes[-2][3] * self._units[-2], self._planes[-1] * self._units[-1]
        lost = gain * (above - cv2.pyrUp(planes[3], dstsize=(above.shape[1], above.shape[0])))
        size = (planes.shape[2], planes.shape[1])
        energy = np.asarray(cv2.resize(lost * lost, size, interpolation=cv2.INTER_AREA), np.float32)
        strength = np.maximum(cv2.GaussianBlur(warp(energy, matrix), (0, 0), 2.0), np.float32(0)) + np.float32(1e-6)
        if wrong is not None:
            share = cv2.resize(wrong, size, interpolation=cv2.INTER_AREA)
            strength *= np.float32(1.0) - share.astype(np.float32) / np.float32(255)
        self._base += strength * gain * np.stack([warp(plane, matrix) for plane in planes[:3]])
        self._weight += strength

    def picture(self) -> NDArray[Any]:
        """The composite (H, W, 3) in the frames' type; nothing can be added after that."""
        picture = np.asarray(self._base / np.maximum(self._weight, 1e-12), np.float32)
        for level in reversed(self._levels):
            if level.won.seen.size:
                quiet(level.won, self._calm, _STANDS_OUT)
            expand_onto(picture, level.won.detail)
            picture = level.won.detail
        return finished(picture, self._dtype)

    def shares(self) -> tuple[float, ...]:
        """Each used frame's share of the common area."""
        found, level = self._found, self._levels[min(_SHARE_LEVEL, len(self._levels) - 1)]
        scale = level.won.winner.shape[1] / found.surface.index.shape[1] / found.factor
        x, y, w, h = (round(edge * scale) for edge in found.crop)
        winner = level.won.winner[y : y + max(h, 1), x : x + max(w, 1)].astype(np.int64).ravel()
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


def _asked_in(
    tiles: NDArray[np.int64], shape: tuple[int, int], found: Survey, plain: Mask = _NOWHERE, *, sharpest: bool = True
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The first and last place (N,) of the frames that each tile of a level needs.

    They are those at which something in it may be ``sharpest``, with some to spare, or that have a share in the mean
    where all of it is ``plain`` (H, W, or empty); all of them where the survey knows little, or is not to decide.
    """
    everything = np.full(len(tiles), -np.inf), np.full(len(tiles), np.inf)
    if not (sharpest or plain.size):
        return everything
    calm = held_by(tiles, shape, plain, 0)[:, 2] if plain.size else np.zeros(len(tiles))
    some = calm == 1
    if sharpest:
        some |= held_by(tiles, shape, found.surface.known, _AROUND_PX)[:, 2] > _MOSTLY
    low, high, _ = held_by(tiles, shape, found.surface.index, _AROUND_PX).T
    spare = np.where(calm > 0, float(HALF_AVERAGE), _SPARE_FRAMES)
    return np.where(some, low - spare, everything[0]), np.where(some, high + spare, everything[1])


def _not_reached(found: Survey) -> NDArray[np.bool_]:
    """Where, (H, W of the surface), some frame shows nothing, or not what it should."""
    missed = np.ones(found.surface.index.shape, bool)
    x, y, width, height = found.crop
    margin, factor = _EDGE_PX << (_PARTLY_LEVELS - 1), found.factor
    missed[
        (y + margin) // factor + 1 : max((y + height - margin) // factor, 0),
        (x + margin) // factor + 1 : max((x + width - margin) // factor, 0),
    ] = False
    return np.asarray(np.logical_or.reduce([missed, *(one.mask for one in found.moved)]), bool)


def _shapes(height: int, width: int) -> list[tuple[int, int]]:
    shapes = [(height, width)]
    while len(shapes) < 2 or min(shapes[-1]) >= 2 * _COARSEST_PX:
        shapes.append(((shapes[-1][0] + 1) // 2, (shapes[-1][1] + 1) // 2))
    return shapes


def _halved_map(matrix: Matrix) -> Matrix:
    """The same map between pictures of half the size, whose pixels are those at even places."""
    return np.column_stack([matrix[:, :2], matrix[:, 2] / 2.0])


def _spans(matrix: Matrix, shape: tuple[int, int]) -> NDArray[np.float64]:
    """From where to where (H, 2) a frame covers each row of the reference frame, in px; nowhere: from inf to -inf."""
    height, width = shape
    back, rows = inverse(matrix), np.arange(height)
    low, high = np.full(height, -np.inf), np.full(height, np.inf)
    # Each coordinate of the frame lies between 0 and its last pixel, which is a line across the reference frame.
    for (a, b, c), last in zip(back, (width - 1, height - 1), strict=True):
        start = b * rows + c
        if abs(a) < 1e-12:
            low[(start < 0) | (start > last)] = np.inf
        else:
            ends = np.sort([-start / a, (last - start) / a], axis=0)
            low, high = np.maximum(low, ends[0]), np.minimum(high, ends[1])
    return np.where((low <= high)[:, None], np.column_stack([low, high]), (np.inf, -np.inf))


def _trusted(spans: NDArray[np.float64], depth: int, shape: tuple[int, ...]) -> NDArray[np.int32]:
    """Where (H, 2: from, to) a frame may speak in each row of a level of this shape.

    Beyond a frame's own border the pixels are mirrored, which shows in some more: only the reference frame may speak
    there.
    """
    height, width = shape
    rows, size = np.arange(height), 2.0**depth
    low, high = np.zeros(height), np.full(height, np.inf)
    for beside in (-_EDGE_PX, _EDGE_PX):
        own = spans[np.clip((rows + beside) << depth, 0, len(spans) - 1)] / size
        low, high = np.maximum(low, own[:, 0]), np.minimum(high, own[:, 1])
    first = np.where(low <= 0, 0, np.ceil(low) + _EDGE_PX)
    end = np.where(high >= width - 1, width, np.floor(high) + 1 - _EDGE_PX)
    return np.asarray(np.clip(np.nan_to_num(np.column_stack([first, end]), posinf=width, neginf=0), 0, width), np.int32)


def _resized(mask: Mask, shape: tuple[int, ...]) -> Mask:
    return np.asarray(cv2.resize(mask, (shape[1], shape[0]), interpolation=cv2.INTER_NEAREST), np.uint8)
