"""How sheets look out of focus: every point spreads its light by its own defocus."""

from collections.abc import Callable
from functools import partial
from math import floor, log2, sqrt

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.optics import Optics, wave_depth_um
from amber_ladder.core.optics._formulas import rim_slope
from amber_ladder.simulated.psf import half_width_px, kernel
from amber_ladder.simulated.scene import Float, Sheet

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
        defocus = np.abs(sheet.depth_um - np.float32(focus_um))
        return self._spread(sheet, np.interp(defocus, self._defocus_um, np.arange(len(self._levels))))

    def sharp(self, sheet: Sheet) -> Float:
        """The whole sheet in focus at once, blurred by diffraction alone."""
        return self._spread(sheet, np.zeros_like(sheet.depth_um))

    def _spread(self, sheet: Sheet, place: NDArray[np.floating]) -> Float:
        """With each point between two levels, ``place`` (H, W) in steps of them."""
        place = place.astype(np.float32)
        low, high = float(place.min()), float(place.max())
        planes = sheet.light
        out = [np.zeros_like(plane) for plane in planes]
        for factor in sorted({level.factor for level in self._levels}):
            levels = {i: one for i, one in enumerate(self._levels) if one.factor == factor and low - 1 < i < high + 1}
            if levels and factor == 1:
                _add_blurred(partial(_weighed, planes, place), levels, out)
            elif levels:
                _add_from_coarse(planes, place, levels, factor, out)
        evenly = np.maximum(out[3], np.float32(1e-3))
        return np.dstack([plane / evenly for plane in (*out[:3], out[-1])])


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
        self._transfer = dict[int, tuple[Float, ...]]()

    def transfer(self, size: int) -> tuple[Float, ...]:
        """Of red, green and blue, for spectra packed as `cv2.dft` packs them; a patch of one depth needs few levels."""
        made = self._transfer.get(size)
        return made or self._transfer.setdefault(size, tuple(self._made(size, um) for um in CHANNEL_UM))

    def _made(self, size: int, wavelength_um: float) -> Float:
        spread = kernel(self._defocus_um, self._pixel_um, wavelength_um=wavelength_um, **self._aperture)
        half, plane = spread.shape[0] // 2, np.zeros((size, size), np.float32)
        plane[: spread.shape[0], : spread.shape[1]] = spread
        transfer = np.fft.rfft2(np.roll(plane, (-half, -half), (0, 1))).real  # real, for it is the same to all sides
        frequency = (np.arange(size) + 1) // 2  # one entry for 0, then two for each: real and imaginary part
        packed = transfer[:, frequency]
        packed[:, 0] = transfer[frequency, 0]
        if size % 2 == 0:
            packed[:, -1] = transfer[frequency, -1]
        return np.asarray(packed, np.float32)


def _steps(optics: Optics, deepest_um: float, coarser: float) -> NDArray[np.float64]:
    quarter = coarser * wave_depth_um(optics.numerical_aperture, 550.0, optics.medium_index) / 4.0
    steps = [0.0]
    while steps[-1] < deepest_um:
        steps.append(steps[-1] + max(quarter, 0.3 * coarser * steps[-1]))
    return np.asarray(steps)


def _add_from_coarse(
    planes: list[Float], place: Float, levels: dict[int, _Level], factor: int, out: list[Float]
) -> None:
    """Add the light of levels that are blurred on pixels ``factor`` times as wide."""
    coarse = {index: made for index in levels if (made := _coarse(planes, place, index, factor))}
    if not coarse:
        return
    grid = [np.zeros_like(plane) for plane in next(iter(coarse.values()))]
    _add_blurred(partial(_part, coarse), {index: levels[index] for index in coarse}, grid)
    for plane, part in zip(out, grid, strict=True):
        size = (part.shape[1] * factor, part.shape[0] * factor)
        full = cv2.resize(part, size, interpolation=cv2.INTER_LINEAR)
        np.add(plane, full[: plane.shape[0], : plane.shape[1]], out=plane)


def _add_blurred(
    part_of: Callable[[int, slice, slice], list[Float]], levels: dict[int, _Level], out: list[Float]
) -> None:
    """Add the light of these levels, blurred, to ``out`` (planes of (H, W)); ``part_of`` gives a level's at a place.

    Block by block (overlap-save), the levels' spectra summed before they are turned back: a block that holds few
    depths costs little, and a sheet's many levels cost one inverse transform.
    """
    height, width = out[0].shape
    reach = max(level.reach_px for level in levels.values())
    size = cv2.getOptimalDFTSize(min(max(_BLOCK_PX, 6 * reach), max(height, width) + 2 * reach))
    inner = size - 2 * reach
    for top in range(0, height, inner):
        rows, above = slice(max(top - reach, 0), top - reach + size), max(reach - top, 0)
        for left in range(0, width, inner):
            columns, before = slice(max(left - reach, 0), left - reach + size), max(reach - left, 0)
            total = [np.zeros((size, size), np.float32) for _ in out]
            for index, level in levels.items():
                part = part_of(index, rows, columns)
                if not part:
                    continue
                below, after = size - above - part[0].shape[0], size - before - part[0].shape[1]
                for c, plane in enumerate(part):
                    whole = cv2.copyMakeBorder(plane, above, below, before, after, cv2.BORDER_REFLECT)
                    cv2.accumulateProduct(cv2.dft(whole), level.transfer(size)[_CHANNEL[c]], total[c])
            for plane, spectrum in zip(out, total, strict=True):
                blurred = cv2.dft(spectrum, flags=cv2.DFT_INVERSE | cv2.DFT_SCALE | cv2.DFT_REAL_OUTPUT)
                here = plane[top : top + inner, left : left + inner]
                here += blurred[reach : reach + here.shape[0], reach : reach + here.shape[1]]


def _weighed(planes: list[Float], place: Float, index: int, rows: slice, columns: slice) -> list[Float]:
    """What of a part of the light belongs to a level; empty if nothing does."""
    away = np.abs(place[rows, columns] - np.float32(index))
    if away.min() >= 1.0:
        return []
    weight = np.maximum(np.float32(1) - away, np.float32(0))
    return [plane[rows, columns] * weight for plane in planes]


def _part(planes: dict[int, list[Float]], index: int, rows: slice, columns: slice) -> list[Float]:
    return [plane[rows, columns] for plane in planes[index]]


def _coarse(planes: list[Float], place: Float, index: int, factor: int) -> list[Float]:
    """What of the light belongs to a level, on pixels ``factor`` times as wide; empty if nothing does."""
    height, width = place.shape
    below, after = -height % factor, -width % factor
    size = ((width + after) // factor, (height + below) // factor)
    coarse = list[Float]()
    for plane in _weighed(planes, place, index, slice(None), slice(None)):
        whole = cv2.copyMakeBorder(plane, 0, below, 0, after, cv2.BORDER_REFLECT)
        coarse.append(np.asarray(cv2.resize(whole, size, interpolation=cv2.INTER_AREA), np.float32))
    return coarse
