"""What a frame, or another merge, shows where a stroke lies: cut out, laid there, matched in brightness."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.mending._align import Fitted, fitted
from amber_ladder.core.mending._brush import Box, Brush, Point
from amber_ladder.core.registration import Matrix, compose, inverse, warped_picture

_AROUND, _LEAST_AROUND_PX, _MOST_AROUND_PX = 1.0, 24, 160  # of the radius, beyond the brush, is what surrounds it
_MARGIN_PX = 8  # for interpolation, and for what a patch is moved by
_BELOW = 0.2  # of a stroke's strength: there its surroundings begin
_UNMOVED = Fitted((0.0, 0.0), float("nan"), (1.0, 1.0, 1.0), False)


@dataclass(frozen=True, slots=True)
class Source:
    """A picture RGB (H, W, 3) that paint is taken from; ``matrix`` maps its px to the composite's.

    ``gain`` brings it to the stack's brightness.
    """

    picture: NDArray[Any]
    matrix: Matrix
    gain: float = 1.0


@dataclass(frozen=True, slots=True)
class Patch:
    """What is painted: ``pixels`` (h, w, 3) of the composite's type over ``box``, and how it was laid there.

    ``covered`` (h, w) is False where the source shows nothing: there nothing is painted.
    """

    box: Box
    pixels: NDArray[Any]
    covered: NDArray[np.bool_]
    fitted: Fitted


def cut_patch(
    source: Source, composite: NDArray[Any], brush: Brush, *, align: bool = True, nudge: Point = (0.0, 0.0)
) -> Patch:
    """Cut out what ``source`` shows below a stroke on ``composite`` (H, W, 3).

    With ``align`` it is laid onto what surrounds the stroke in the composite, and matched in brightness; ``nudge``
    (x, y, px) moves it on by hand. Depends on the composite as it was merged, not on other steps.
    """
    whole = Box(0, 0, composite.shape[1], composite.shape[0])
    box = brush.box.within(whole)
    fit = _UNMOVED
    if align:
        around = int(np.clip(_AROUND * brush.radius_px, _LEAST_AROUND_PX, _MOST_AROUND_PX))
        wide = brush.box.wider(around).within(whole)
        patch, covered = shown_in(source, wide, (0.0, 0.0))
        weight = covered & (brush.covering(wide) <= _BELOW * brush.strength)
        largest = np.float32(np.iinfo(composite.dtype).max)
        fit = fitted(
            composite[whole.part(wide)].astype(np.float32) / largest, patch.astype(np.float32) / largest,
            weight.astype(np.float32),
        )  # fmt: skip
    moved = (fit.shift_px[0] + nudge[0], fit.shift_px[1] + nudge[1])
    pixels, covered = shown_in(source, box, moved)
    if fit.gains != (1.0, 1.0, 1.0):
        most = np.iinfo(pixels.dtype).max
        pixels = np.clip(np.rint(pixels * np.asarray(fit.gains, np.float32)), 0, most).astype(pixels.dtype)
    return Patch(box, pixels, covered, fit)


def shown_in(source: Source, box: Box, moved: Point = (0.0, 0.0)) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    """What the source shows of a box of the composite, and where it does."""
    shift = np.array([[1.0, 0.0, moved[0]], [0.0, 1.0, moved[1]]])
    matrix = compose(shift, source.matrix)
    back = inverse(matrix)
    height, width = source.picture.shape[:2]
    rows, columns = box.shape
    x, y = np.arange(box.left, box.right), np.arange(box.top, box.bottom)[:, None]
    covered = np.ones((rows, columns), np.bool_)
    for (along, aside, offset), side in zip(back, (width, height), strict=True):
        there = (along * x + offset).astype(np.float32) + (aside * y).astype(np.float32)
        covered &= (there >= 0) & (there <= side - 1)
    if not covered.any():
        return np.zeros((rows, columns, 3), source.picture.dtype), covered
    corners = np.array([[box.left, box.right, box.left, box.right], [box.top, box.top, box.bottom, box.bottom]])
    corners = back[:, :2] @ corners + back[:, 2:]
    low, high = np.floor(corners.min(axis=1)).astype(int), np.ceil(corners.max(axis=1)).astype(int)
    left, top = (max(int(edge) - _MARGIN_PX, 0) for edge in low)
    right, bottom = (min(int(edge) + _MARGIN_PX + 1, side) for edge, side in zip(high, (width, height), strict=True))
    cut = source.picture[top:bottom, left:right]
    # What comes out is as large as what goes in: at least as large as the box.
    missing = ((0, max(rows - cut.shape[0], 0)), (0, max(columns - cut.shape[1], 0)), (0, 0))
    cut = np.pad(cut, missing, mode="edge")
    own = matrix.copy()
    own[:, 2] += matrix[:, :2] @ np.array([left, top], np.float64) - np.array([box.left, box.top], np.float64)
    largest = int(np.iinfo(source.picture.dtype).max)
    return warped_picture(cut, own, source.gain, largest)[:rows, :columns], covered
