"""A depth map as a surface of triangles."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring._instrument import Draws, Instrument

Double = NDArray[np.float64]

_STEEPEST = 8.0  # a quad that rises by more of its width spans an edge, behind which nothing was seen


@dataclass(frozen=True, slots=True)
class Relief:
    """``corners_um`` (N, 3): x to the right, y upwards, z towards the camera, about the middle of the picture; 0 is the

    nearest frame. ``triangles`` (M, 3) index them, counter-clockwise as the camera sees them. ``places`` (N, 2) are the
    corners' pixels (x, y), every ``every_px``.
    """

    corners_um: Double
    triangles: NDArray[np.int64]
    places: NDArray[np.int64]
    every_px: int


def relief(instrument: Instrument, *, most_corners: int, part: tuple[int, int, int, int] | None = None) -> Relief:
    """The surface of all that has a depth, holes and edges left open; of a ``part`` (x, y, width, height) px only.

    Every so many pixels, averaged over as many, so that about ``most_corners`` are left at most.
    """
    left, top, width, height = part or (0, 0, instrument.shape[1], instrument.shape[0])
    every = max(1, int(np.ceil(np.sqrt(height * width / most_corners))))
    y, x = np.mgrid[top : top + height : every, left : left + width : every]
    places = np.column_stack([x.ravel(), y.ravel()])
    z, _, _ = instrument.look(places.astype(np.float64), max(1.0, every / 2.0))
    known = np.isfinite(z) & instrument.knows(places.astype(np.float64))
    number = np.full(len(places), -1)
    number[known] = np.arange(known.sum())
    solid = Draws(instrument, 2).in_um(places[known][None].astype(np.float64), z[known][None])[0]
    triangles = _triangles(number.reshape(x.shape), np.where(known, z, np.nan).reshape(x.shape),
                           _STEEPEST * every * instrument.um_per_px)  # fmt: skip
    return Relief(solid * [1.0, -1.0, -1.0], triangles, places[known], every)


def _triangles(number: NDArray[np.int64], z: Double, most_um: float) -> NDArray[np.int64]:
    """Two of each square of neighbours, all of which are there and none of which spans an edge."""
    corners = np.stack([number[:-1, :-1], number[:-1, 1:], number[1:, :-1], number[1:, 1:]], axis=-1)
    depths = np.stack([z[:-1, :-1], z[:-1, 1:], z[1:, :-1], z[1:, 1:]], axis=-1)
    with np.errstate(invalid="ignore"):
        whole = (corners >= 0).all(-1) & (np.ptp(depths, axis=-1) <= most_um)
    a, b, c, d = corners[whole].T
    return np.concatenate([np.column_stack([a, c, b]), np.column_stack([b, c, d])])
