"""How sheets look out of focus: every point spreads its light by its own defocus."""

from collections.abc import Callable
from dataclasses import dataclass
from itertools import product
from math import floor, log2, sqrt

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.optics import Optics, wave_depth_um
from amber_ladder.core.optics._formulas import rim_slope
from amber_ladder.simulated.psf import half_width_px, kernel
from amber_ladder.simulated.scene import Float, Sheet

Window = tuple[slice, slice]
Size = tuple[int, int]  # rows, columns

CHANNEL_UM = (0.61, 0.55, 0.46)
"""Mean wavelengths of a camera's red, green and blue, in µm, for a rig planned at 0.55 µm."""

_CHANNEL = (0, 1, 2, 1, 1)
"""Which of these wavelengths spreads each plane of a sheet's light: what is one everywhere and cover go with green."""

_COARSE_FROM_PX = 3.0
"""Radius of the cone, in coarse pixels, from which it is computed on them: it holds no finer detail."""

_BLOCK_PX = 256
"""Side of the blocks that are transformed: smaller ones meet fewer levels, larger ones overlap less."""


class Blur:
    """Defocus of a rig, in steps fine enough that blends of two neighbours are indistinguishable from truth.

    ``coarser`` times wider steps are quicker: for a live view, where the eye judges.
    """

    def __init__(self, optics: Optics, deepest_um: float, *, coarser: float = 1.0) -> None:
        self._defocus_um = _steps(optics, deepest_um, coarser)
        self._levels = [_Level(optics, float(um)) for um in self._defocus_um]

    def focused_at(self, sheet: Sheet, focus_um: float) -> Float:
        """Premultiplied RGB and cover, (H, W, 4), with focus at this depth (µm in the medium).

        Every point spreads its own light by its own defocus; a pixel that gathered with the defocus of its
        own depth would shift whatever lies on a slope. What many points bring together is shared out evenly,
        for a surface of one brightness stays so however it is bent.
        """
        return self._spread(sheet, lambda um: np.abs(um - np.float32(focus_um)))

    def sharp(self, sheet: Sheet) -> Float:
        """The whole sheet in focus at once, blurred by diffraction alone."""
        return self._spread(sheet, np.zeros_like)

    def _spread(self, sheet: Sheet, defocus_of: Callable[[Float], Float]) -> Float:
        """With each point by the defocus that its depth has (µm); only where light reaches."""
        whole = np.zeros((*sheet.cover.shape, 4), np.float32)
        covered = sheet.covered
        if covered is None:
            return whole
        near = self._between(defocus_of(sheet.depth_um[covered])).values()
        reach = max(level.factor * (level.reach_px + 2) for level in near)
        widest = max(level.factor for level in self._levels)
        window = _grown(covered, 2 * reach, widest, sheet.cover.shape)  # out to there, and what lights that evenly
        defocus_um = defocus_of(sheet.depth_um[window])
        place = np.interp(defocus_um, self._defocus_um, np.arange(len(self._levels))).astype(np.float32)
        lit = _Lit(sheet.light, (window[0].start, window[1].start), place)
        met = self._between(defocus_um)
        out = [np.zeros_like(place) for _ in sheet.light]
        for factor in sorted({level.factor for level in met.values()}):
            _add_blurred(lit, {index: level for index, level in met.items() if level.factor == factor}, factor, out)
        evenly = np.maximum(out[3], np.float32(1e-3))
        for channel, plane in enumerate((*out[:3], out[-1])):
            np.divide(plane, evenly, out=whole[(*window, channel)])
        return whole

    def _between(self, defocus_um: Float) -> "dict[int, _Level]":
        """The levels on either side of any of these."""
        ends = (float(defocus_um.min()), float(defocus_um.max()))
        low, high = np.interp(ends, self._defocus_um, np.arange(len(self._levels)))
        return {index: level for index, level in enumerate(self._levels) if low - 1 < index < high + 1}


class _Level:
    """One step of defocus, on pixels ``factor`` times as wide; light reaches ``reach_px`` of them far."""

    def __init__(self, optics: Optics, defocus_um: float) -> None:
        cone_px = defocus_um * rim_slope(optics.numerical_aperture, optics.medium_index) / optics.pixel_um
        self.factor = 2 ** max(0, floor(log2(max(cone_px / _COARSE_FROM_PX, 1.0))))
        if self.factor > 1:
            # A coarse grid blurs by itself: averaging n × n pixels, the kernel's wider pixels and linear interpolation
            # back together by (2 n² - 1) / 6 px², which the cone (a quarter of its radius squared) brings along less.
            defocus_um *= sqrt(max(1.0 - (2 * self.factor**2 - 1) * 4.0 / (6.0 * cone_px**2), 0.0))
        self._defocus_um, self._pixel_um = defocus_um, optics.pixel_um * self.factor
        self._aperture = {"na": optics.numerical_aperture, "medium_index": optics.medium_index}
        self.reach_px = half_width_px(defocus_um, self._pixel_um, wavelength_um=max(CHANNEL_UM), **self._aperture)
        self._transfer = dict[Size, tuple[Float, ...]]()

    def transfer(self, size: Size) -> tuple[Float, ...]:
        """Of red, green and blue, for spectra packed as `cv2.dft` packs them; a patch of one depth needs few levels."""
        made = self._transfer.get(size)
        return made or self._transfer.setdefault(size, tuple(self._made(size, um) for um in CHANNEL_UM))

    def _made(self, size: Size, wavelength_um: float) -> Float:
        spread = kernel(self._defocus_um, self._pixel_um, wavelength_um=wavelength_um, **self._aperture)
        half, plane = spread.shape[0] // 2, np.zeros(size, np.float32)
        plane[: spread.shape[0], : spread.shape[1]] = spread
        transfer = np.fft.rfft2(np.roll(plane, (-half, -half), (0, 1))).real  # real, for it is the same to all sides
        # One entry for 0, then two for each: real and imaginary part.
        rows, columns = ((np.arange(side) + 1) // 2 for side in size)
        packed = transfer[:, columns]
        packed[:, 0] = transfer[rows, 0]
        if size[1] % 2 == 0:
            packed[:, -1] = transfer[rows, -1]
        return np.ascontiguousarray(packed, np.float32)  # else copied each time that it is applied


def _steps(optics: Optics, deepest_um: float, coarser: float) -> NDArray[np.float64]:
    quarter = coarser * wave_depth_um(optics.numerical_aperture, 550.0, optics.medium_index) / 4.0
    steps = [0.0]
    while steps[-1] < deepest_um:
        steps.append(steps[-1] + max(quarter, 0.3 * coarser * steps[-1]))
    return np.asarray(steps)


def _grown(window: Window, by_px: int, step_px: int, shape: tuple[int, ...]) -> Window:
    """A window (rows, columns) grown to all sides, onto whole coarse pixels, as far as the picture goes."""
    rows, columns = (
        slice(max(one.start - by_px, 0) // step_px * step_px, min(-(-(one.stop + by_px) // step_px) * step_px, side))
        for one, side in zip(window, shape, strict=True)
    )
    return rows, columns


@dataclass(frozen=True, slots=True)
class _Lit:
    """Planes of light, and where in them (row, column) the part begins whose points lie between these levels."""

    planes: Float  # (planes, H, W)
    at: tuple[int, int]
    place: Float  # (h, w), in steps of levels


def _add_blurred(lit: _Lit, levels: dict[int, _Level], factor: int, out: list[Float]) -> None:
    """Add the light that belongs to these levels, blurred on pixels ``factor`` times as wide, to ``out`` (h, w).

    Block by block (overlap-save), the levels' spectra summed before they are turned back: a block that holds few
    depths costs little, and a sheet's many levels cost one inverse transform.
    """
    shape = tuple(-(-side // factor) for side in lit.place.shape)
    reach, first = max(level.reach_px for level in levels.values()), min(levels)
    # As far as light of these levels reaches, a block is right without its border of that beside the next.
    inner = [_shared_evenly(side, max(_BLOCK_PX - 2 * reach, 4 * reach)) for side in shape]
    size = cv2.getOptimalDFTSize(inner[0] + 2 * reach), cv2.getOptimalDFTSize(inner[1] + 2 * reach)
    grid = out if factor == 1 else [np.zeros(shape, np.float32) for _ in out]
    parts = np.empty((len(levels), size[0], len(out), size[1]), np.float32)
    spectrum = np.empty(size, np.float32)
    for top, left in product(*(range(0, side, step) for side, step in zip(shape, inner, strict=True))):
        begin = max(top - reach, 0), max(left - reach, 0)
        end = min(top + inner[0] + reach, shape[0]), min(left + inner[1] + reach, shape[1])
        met = _share_out(lit.planes, lit.at, lit.place, begin, end, factor, first, parts)
        total = [np.zeros(size, np.float32) for _ in out]
        for index in np.flatnonzero(met):
            transfer = levels[first + int(index)].transfer(size)
            for c in range(len(out)):
                part = parts[index, : end[0] - begin[0], c, : end[1] - begin[1]]
                block = _mirrored(part, begin[0] - top + reach, begin[1] - left + reach, size)
                cv2.accumulateProduct(cv2.dft(block, spectrum), transfer[_CHANNEL[c]], total[c])
        for plane, summed in zip(grid, total, strict=True):
            blurred = cv2.dft(summed, flags=cv2.DFT_INVERSE | cv2.DFT_SCALE | cv2.DFT_REAL_OUTPUT)
            here = plane[top : top + inner[0], left : left + inner[1]]
            here += blurred[reach : reach + here.shape[0], reach : reach + here.shape[1]]
    if factor > 1:
        for plane, part in zip(out, grid, strict=True):
            full = cv2.resize(part, (shape[1] * factor, shape[0] * factor), interpolation=cv2.INTER_LINEAR)
            np.add(plane, full[: plane.shape[0], : plane.shape[1]], out=plane)


def _shared_evenly(side: int, most: int) -> int:
    """The side of blocks that are all about as large, and none larger than this."""
    return -(-side // -(-side // most))


def _mirrored(part: Float, above: int, before: int, size: Size) -> Float:
    """A block that holds this from there on, and beyond it its mirror image."""
    below, after = size[0] - above - part.shape[0], size[1] - before - part.shape[1]
    return np.asarray(cv2.copyMakeBorder(part, above, below, before, after, cv2.BORDER_REFLECT), np.float32)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _share_out(
    planes: Float,
    at: tuple[int, int],
    place: Float,
    begin: tuple[int, int],
    end: tuple[int, int],
    factor: int,
    first: int,
    parts: Float,
) -> NDArray[np.bool_]:
    """Write what of the light belongs to each level, from the ``first``, to ``parts`` (level, row, plane, column).

    On pixels ``factor`` times as wide, from ``begin`` to ``end`` (row, column); tells which levels got any. Row by row:
    in a row lie few depths, and what is weighed and summed along it stays in the processor's cache.
    """
    met = np.zeros(len(parts), np.bool_)
    height, width = place.shape
    left, right = begin[1] * factor, min(end[1] * factor, width)
    weight = np.empty(right - left, np.float32)
    sums = np.empty((len(planes), (end[1] - begin[1]) * factor), np.float32)
    even = np.float32(1.0) / np.float32(factor * factor)
    for r in range(end[0] - begin[0]):
        above = (begin[0] + r) * factor
        low, high = place[above, left], place[above, left]
        for y in range(above, min(above + factor, height)):
            low, high = _widened(place[y, left:right], low, high)
        for index in range(len(parts)):
            if not low - 1 < first + index < high + 1:
                if met[index]:
                    parts[index, r, :, : end[1] - begin[1]] = 0
                continue
            if not met[index]:
                parts[index, :r, :, : end[1] - begin[1]] = 0
                met[index] = True
            sums[:] = 0
            for fine in range(above, above + factor):
                y = min(fine, 2 * height - 1 - fine)  # mirrored where the picture ends within a coarse pixel
                _weigh(place[y, left:right], np.float32(first + index), even, weight)
                for plane in range(len(planes)):
                    _add_weighed(planes[plane, at[0] + y, at[1] + left : at[1] + right], weight, sums[plane])
            for plane in range(len(planes)):
                for x in range(right - left, sums.shape[1]):
                    sums[plane, x] = sums[plane, 2 * (right - left) - 1 - x]
                _gathered(sums[plane], factor, parts[index, r, plane])
    return met


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _widened(line: Float, low: np.float32, high: np.float32) -> tuple[np.float32, np.float32]:
    for one in line:
        low, high = min(low, one), max(high, one)
    return low, high


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _weigh(place: Float, level: np.float32, even: np.float32, out: Float) -> None:
    for x in range(len(out)):
        out[x] = even * max(np.float32(1.0) - abs(place[x] - level), np.float32(0.0))


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add_weighed(line: Float, weight: Float, out: Float) -> None:
    for x in range(len(weight)):
        out[x] += weight[x] * line[x]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _gathered(line: Float, factor: int, out: Float) -> None:
    """Sums of so many neighbours."""
    if factor == 1:
        out[: len(line)] = line
        return
    for x in range(len(line) // factor):
        total = np.float32(0.0)
        for one in range(factor):
            total += line[x * factor + one]
        out[x] = total
