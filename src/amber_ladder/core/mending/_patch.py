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
    across, down = np.meshgrid(
        np.arange(box.left, box.right, dtype=np.float64), np.arange(box.top, box.bottom, dtype=np.float64)
    )
    there_x = back[0, 0] * across + back[0, 1] * down + back[0, 2]
    there_y = back[1, 0] * across + back[1, 1] * down + back[1, 2]
    covered = (there_x >= 0) & (there_x <= width - 1) & (there_y >= 0) & (there_y <= height - 1)
    if not covered.any():
        return np.zeros((rows, columns, 3), source.picture.dtype), covered
    left, top = (max(int(np.floor(one.min())) - _MARGIN_PX, 0) for one in (there_x, there_y))
    right, bottom = (
        min(int(np.ceil(one.max())) + _MARGIN_PX + 1, side) for one, side in ((there_x, width), (there_y, height))
    )
    cut = source.picture[top:bottom, left:right]
    # What comes out is as large as what goes in: at least as large as the box.
    missing = ((0, max(rows - cut.shape[0], 0)), (0, max(columns - cut.shape[1], 0)), (0, 0))
    cut = np.pad(cut, missing, mode="edge")
    own = matrix.copy()
    own[:, 2] += matrix[:, :2] @ np.array([left, top], np.float64) - np.array([box.left, box.top], np.float64)
    largest = int(np.iinfo(source.picture.dtype).max)
    return warped_picture(cut, own, source.gain, largest)[:rows, :columns], covered
