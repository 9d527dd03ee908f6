"""The focus measure: local energy of a modified Laplacian (Nayar & Nakagawa 1994)."""

from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_FINEST_PX = 0.8  # blur before the second derivative; below it there is noise but no optical detail
_WINDOW_PX = 2.2  # over which energy is averaged; smaller keeps hairs, larger is calmer
_FINE = np.asarray(cv2.getGaussianKernel(7, _FINEST_PX, cv2.CV_32F), np.float32).ravel()
_WIDE = np.asarray(cv2.getGaussianKernel(13, _WINDOW_PX, cv2.CV_32F), np.float32).ravel()  # farther: 1 % or less


def focus_energy(grey: Float) -> Float:
    """Energy of fine detail around each pixel of a grey picture (H, W), 0 to 1; same shape, never negative.

    The squares of both second derivatives are added, not their sum squared, so that detail in one direction
    does not cancel that in the other. The border is mirrored.
    """
    energy = np.empty_like(grey)
    _measure(np.ascontiguousarray(grey), _FINE, _WIDE, energy)
    return energy


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _measure(grey: Float, fine: Float, wide: Float, energy: Float) -> None:
    """Row by row, so that what lies between two steps stays within a processor's own memory.

    A mirrored picture has mirrored rows at every step: those beyond the border are computed like any other.
    """
    height, width = grey.shape
    calm, averaged = np.empty((3, width + 2), np.float32), np.empty((13, width), np.float32)
    line, square = np.empty(width + 6, np.float32), np.empty(width + 12, np.float32)
    for row in range(-7, height + 7):
        _seven_rows(grey, row, fine, line[3 : width + 3])
        _mirror(line, 3)
        ahead = calm[row % 3]
        _seven_along(line, fine, ahead[1 : width + 1])
        _mirror(ahead, 1)
        if row < -5:
            continue
        _bend(calm[(row - 2) % 3], calm[(row - 1) % 3], ahead, square[6 : width + 6])
        _mirror(square, 6)
        _thirteen(
            square, square[1:], square[2:], square[3:], square[4:], square[5:], square[6:], square[7:], square[8:],
            square[9:], square[10:], square[11:], square[12:], wide, averaged[(row - 1) % 13],
        )  # fmt: skip
        at = row - 7
        if at >= 0:
            _thirteen(
                averaged[(at - 6) % 13], averaged[(at - 5) % 13], averaged[(at - 4) % 13], averaged[(at - 3) % 13],
                averaged[(at - 2) % 13], averaged[(at - 1) % 13], averaged[at % 13], averaged[(at + 1) % 13],
                averaged[(at + 2) % 13], averaged[(at + 3) % 13], averaged[(at + 4) % 13], averaged[(at + 5) % 13],
                averaged[(at + 6) % 13], wide, energy[at],
            )  # fmt: skip


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _mirror(line: Float, beyond: int) -> None:
    """Fill so many pixels at either end from those within."""
    last = len(line) - 1
    for k in range(beyond):
        line[k], line[last - k] = line[2 * beyond - k], line[last - 2 * beyond + k]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _row(grey: Float, row: int) -> Any:
    last = len(grey) - 1
    row = abs(row)
    return grey[row if row <= last else 2 * last - row]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _seven_rows(grey: Float, row: int, weights: Float, out: Float) -> None:
    r0, r1, r2, r3 = _row(grey, row - 3), _row(grey, row - 2), _row(grey, row - 1), _row(grey, row)
    r4, r5, r6 = _row(grey, row + 1), _row(grey, row + 2), _row(grey, row + 3)
    w0, w1, w2, w3 = weights[0], weights[1], weights[2], weights[3]
    for x in range(len(out)):
        out[x] = w0 * (r0[x] + r6[x]) + w1 * (r1[x] + r5[x]) + w2 * (r2[x] + r4[x]) + w3 * r3[x]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _seven_along(line: Float, weights: Float, out: Float) -> None:
    # As parts of their own: numba is not sure that x + 1 is not negative, and would read pixels one by one.
    l0, l1, l2, l3, l4, l5, l6 = line, line[1:], line[2:], line[3:], line[4:], line[5:], line[6:]
    w0, w1, w2, w3 = weights[0], weights[1], weights[2], weights[3]
    for x in range(len(out)):
        out[x] = w0 * (l0[x] + l6[x]) + w1 * (l1[x] + l5[x]) + w2 * (l2[x] + l4[x]) + w3 * l3[x]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _bend(above: Float, own: Float, below: Float, out: Float) -> None:
    """Squares of both second derivatives, each smoothed across its direction (1, 2, 1)."""
    a1, a2, o1, o2, b1, b2 = above[1:], above[2:], own[1:], own[2:], below[1:], below[2:]
    quarter, half, two = np.float32(0.25), np.float32(0.5), np.float32(2)
    for x in range(len(out)):
        across = half * (own[x] - two * o1[x] + o2[x])
        out[x] = across + quarter * (above[x] - two * a1[x] + a2[x] + below[x] - two * b1[x] + b2[x])
    for x in range(len(out)):
        down = quarter * (above[x] + two * a1[x] + a2[x] + below[x] + two * b1[x] + b2[x])
        down -= half * (own[x] + two * o1[x] + o2[x])
        out[x] = out[x] * out[x] + down * down


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _thirteen(
    l0: Float, l1: Float, l2: Float, l3: Float, l4: Float, l5: Float, l6: Float, l7: Float, l8: Float, l9: Float,
    l10: Float, l11: Float, l12: Float, weights: Float, out: Float,
) -> None:  # fmt: skip
    # In three rounds: whether more lines than that overlap is not asked, and pixels would be computed one by one.
    w0, w1, w2, w3, w4, w5, w6 = weights[0], weights[1], weights[2], weights[3], weights[4], weights[5], weights[6]
    for x in range(len(out)):
        out[x] = w0 * (l0[x] + l12[x]) + w1 * (l1[x] + l11[x]) + w2 * (l2[x] + l10[x])
    for x in range(len(out)):
        out[x] += w3 * (l3[x] + l9[x]) + w4 * (l4[x] + l8[x])
    for x in range(len(out)):
        out[x] += w5 * (l5[x] + l7[x]) + w6 * l6[x]
