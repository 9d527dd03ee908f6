"""A part of a frame's planes, moved to its place."""

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration._similarity import Matrix
from amber_ladder.core.registration._warp import CUBIC, cubic_weights, mirrored, rows_under, steady_run

Float = NDArray[np.float32]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def window_of(
    planes: NDArray[Any], back: Matrix, gain: np.float32, top: int, left: int, pixel: Float, out: Float
) -> None:
    """A window (3, rows, columns), from ``top``, ``left`` on, of the first three planes (N, H, W) moved to their place.

    Catmull–Rom as in ``warped_picture``, by ``gain``, neither rounded nor cut back; ``back`` leads to the planes. They
    are mirrored beyond their border; ``pixel`` counts from 0, at least as far as the window is wide.
    """
    _, height, width = planes.shape
    _, rows, columns = out.shape
    a, b, c = back[0]
    d, e, f = back[1]
    wider, right = a - b * d / e, left + columns
    low, count = rows_under(back, (top, top + rows), (left, right))
    between = np.empty((3, count, columns), np.float32)
    for q in range(count):
        row, x = mirrored(low + q, height), left
        while x < right:
            u = wider * x + b * (low + q - f) / e + c
            i = int(np.floor(u))
            run = min(steady_run(u - i, wider - 1.0), right - x)
            if 1 <= i < width - 2:
                run = min(run, width - 2 - i)
                _run_along(
                    planes, (row, i - 1), np.float32(u - i), np.float32(wider - 1.0), pixel, between, (q, x - left), run
                )
            else:
                run = 1
                for k in range(3):
                    between[k, q, x - left] = _one_near(planes[k, row], i, np.float32(u - i))
            x += run
    for y in range(rows):
        x = left
        while x < right:
            v = d * x + e * (top + y) + f
            j = int(np.floor(v))
            run = min(steady_run(v - j, d), right - x)
            _run_down(between, j - 1 - low, np.float32(v - j), np.float32(d), gain, pixel, out, (y, x - left), run)
            x += run


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _run_along(
    planes: NDArray[Any], first: tuple[int, int], beyond: np.float32, change: np.float32, pixel: Float, out: Float,
    start: tuple[int, int], count: int,
) -> None:  # fmt: skip
    """A run of points of three planes, each between four pixels of a row, of which the ``first`` is row, column.

    The first point lies ``beyond`` the second pixel, the next one ``change`` more; they go where ``start`` is. Places
    count without sign: then they need no check for being negative, and neighbours are computed at once.
    """
    half, more, most = np.float32(0.5), np.float32(1.5), np.float32(2.5)
    one, two, three, red, green, blue = (
        np.uint64(1),
        np.uint64(2),
        np.uint64(3),
        np.uint64(0),
        np.uint64(1),
        np.uint64(2),
    )
    j, i, q, k = np.uint64(first[0]), np.uint64(first[1]), np.uint64(start[0]), np.uint64(start[1])
    for m in range(np.uint64(count)):
        t = beyond + pixel[m] * change
        s = np.float32(1) - t
        w0, w3 = -half * t * s * s, -half * s * t * t
        w1, w2 = np.float32(1) + t * t * (more * t - most), np.float32(1) + s * s * (more * s - most)
        at = i + m
        out[red, q, k + m] = (
            w0 * np.float32(planes[red, j, at])
            + w1 * np.float32(planes[red, j, at + one])
            + w2 * np.float32(planes[red, j, at + two])
            + w3 * np.float32(planes[red, j, at + three])
        )
        out[green, q, k + m] = (
            w0 * np.float32(planes[green, j, at])
            + w1 * np.float32(planes[green, j, at + one])
            + w2 * np.float32(planes[green, j, at + two])
            + w3 * np.float32(planes[green, j, at + three])
        )
        out[blue, q, k + m] = (
            w0 * np.float32(planes[blue, j, at])
            + w1 * np.float32(planes[blue, j, at + one])
            + w2 * np.float32(planes[blue, j, at + two])
            + w3 * np.float32(planes[blue, j, at + three])
        )


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _run_down(
    planes: Float, first: int, beyond: np.float32, change: np.float32, gain: np.float32, pixel: Float, out: Float,
    start: tuple[int, int], count: int,
) -> None:  # fmt: skip
    """The same between four rows, from the ``first`` on, by ``gain``."""
    half, more, most = np.float32(0.5), np.float32(1.5), np.float32(2.5)
    red, green, blue = np.uint64(0), np.uint64(1), np.uint64(2)
    j0, j1, j2, j3 = np.uint64(first), np.uint64(first + 1), np.uint64(first + 2), np.uint64(first + 3)
    q, k = np.uint64(start[0]), np.uint64(start[1])
    for m in range(np.uint64(count)):
        t = beyond + pixel[m] * change
        s = np.float32(1) - t
        w0, w3 = -half * gain * t * s * s, -half * gain * s * t * t
        w1, w2 = gain + gain * t * t * (more * t - most), gain + gain * s * s * (more * s - most)
        at = k + m
        out[red, q, at] = (
            w0 * planes[red, j0, at] + w1 * planes[red, j1, at] + w2 * planes[red, j2, at] + w3 * planes[red, j3, at]
        )
        out[green, q, at] = (
            w0 * planes[green, j0, at]
            + w1 * planes[green, j1, at]
            + w2 * planes[green, j2, at]
            + w3 * planes[green, j3, at]
        )
        out[blue, q, at] = (
            w0 * planes[blue, j0, at]
            + w1 * planes[blue, j1, at]
            + w2 * planes[blue, j2, at]
            + w3 * planes[blue, j3, at]
        )


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _one_near(row: NDArray[Any], i: int, t: np.float32) -> np.float32:
    """A pixel near the border."""
    weights = np.empty(CUBIC, np.float32)
    cubic_weights(t, weights)
    total = np.float32(0)
    for p in range(CUBIC):
        total += weights[p] * np.float32(row[mirrored(i - 1 + p, len(row))])
    return total
