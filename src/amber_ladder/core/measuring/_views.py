"""A merged picture as it would look from a little aside: for stereo pairs, and for a film that rocks to and fro."""

from math import radians, tan

import numba
import numpy as np
from numpy.typing import NDArray

Byte = NDArray[np.uint8]
Float = NDArray[np.float32]

_COMFORTABLE = 0.025
"""Of the picture's width: eyes fuse no more parallax on a screen without strain (Woods et al. 1993, SPIE 1915)."""
_MOST_DEG = 4.0
_TEARS_PX = 2.5  # neighbours that come to lie farther apart belong to different things


def view_from(picture: Byte, depth_um: Float, um_per_px: float, angle_deg: float, level_um: float) -> Byte:
    """RGB (H, W, 3) as seen from ``angle_deg`` to the right, what lies at ``level_um`` staying where it is.

    ``depth_um`` (H, W) is NaN where unknown: there the nearest known depth of the row is taken, for looks alone. What
    was hidden is filled from the farther side.
    """
    out = np.zeros_like(picture)
    whole = _whole(depth_um, level_um)
    shift = np.asarray((whole - level_um) * (tan(radians(angle_deg)) / um_per_px), np.float32)
    _moved(np.ascontiguousarray(picture), shift, whole, out)
    return out


def anaglyph(picture: Byte, depth_um: Float, um_per_px: float) -> tuple[Byte, float]:
    """Red for the left eye, green and blue for the right one, RGB (H, W, 3), and the angle between both views, degrees.

    The angle is as large as eyes bear; the left view is grey, so that coloured things do not flicker.
    """
    near, far = _span(depth_um)
    widest = _COMFORTABLE * picture.shape[1] * um_per_px / max(far - near, 1e-6)
    angle = min(_MOST_DEG, float(np.rad2deg(np.arctan(widest))))
    level = (near + far) / 2.0
    left, right = (view_from(picture, depth_um, um_per_px, side * angle / 2.0, level) for side in (-1.0, 1.0))
    grey = left.astype(np.float32) @ np.array([0.299, 0.587, 0.114], np.float32)
    return np.dstack([np.asarray(np.rint(grey), np.uint8), right[..., 1], right[..., 2]]), angle


def rocking(picture: Byte, depth_um: Float, um_per_px: float, *, frames: int, angle_deg: float) -> list[Byte]:
    """Views to and fro by ``angle_deg`` on either side, that go on where they began."""
    near, far = _span(depth_um)
    turns = np.sin(2.0 * np.pi * np.arange(frames) / frames)
    return [view_from(picture, depth_um, um_per_px, float(turn) * angle_deg, (near + far) / 2.0) for turn in turns]


def _span(depth_um: Float) -> tuple[float, float]:
    known = depth_um[np.isfinite(depth_um)]
    near, far = np.percentile(known, [1.0, 99.0])
    return float(near), float(far)


def _whole(depth_um: Float, level_um: float) -> Float:
    """Depth (H, W) with the nearest known one of the same row where none is known; ``level_um`` in rows without any."""
    known = np.isfinite(depth_um)
    column = np.arange(depth_um.shape[1])
    before = np.maximum.accumulate(np.where(known, column, -1), axis=1)
    after = np.minimum.accumulate(np.where(known, column, 1 << 30)[:, ::-1], axis=1)[:, ::-1]
    nearer = np.where((column - before <= after - column) & (before >= 0), before, after)
    nearer = np.where(nearer >= depth_um.shape[1], before, nearer)
    rows = np.arange(depth_um.shape[0])[:, None]
    return np.asarray(np.where(nearer < 0, level_um, depth_um[rows, np.maximum(nearer, 0)]), np.float32)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _moved(picture: Byte, shift: Float, depth: Float, out: Byte) -> None:
    height, width = shift.shape
    for y in numba.prange(height):
        nearest = np.full(width, np.inf, np.float32)
        for x in range(width):
            first, last = _covers(shift[y], x)
            for at in range(first, last + 1):
                if depth[y, x] < nearest[at]:
                    nearest[at] = depth[y, x]
                    for channel in range(3):
                        out[y, at, channel] = picture[y, x, channel]
        _fill(out[y], nearest)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _covers(shift: Float, x: int) -> tuple[int, int]:
    """The first and the last pixel that one comes to lie on: from half the way to its neighbour on either side."""
    width = shift.shape[0]
    here = x + shift[x]
    begin, end = here - 0.5, here + 0.5
    if x > 0 and abs(here - (x - 1 + shift[x - 1])) < _TEARS_PX:
        begin = min(begin, 0.5 * (here + x - 1 + shift[x - 1]))
    if x + 1 < width and abs(x + 1 + shift[x + 1] - here) < _TEARS_PX:
        end = max(end, 0.5 * (here + x + 1 + shift[x + 1]))
    return max(0, int(np.ceil(begin - 1e-6))), min(width - 1, int(np.floor(end)))


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _fill(row: Byte, nearest: Float) -> None:
    """What was hidden behind something shows what lies farther away beside it."""
    width = nearest.shape[0]
    at = 0
    while at < width:
        end = at
        while end < width and not np.isfinite(nearest[end]):
            end += 1
        source = at - 1
        if source < 0 or (end < width and nearest[end] > nearest[source]):
            source = end
        if source < width:
            for hole in range(at, end):
                for channel in range(3):
                    row[hole, channel] = row[source, channel]
        at = end + 1
