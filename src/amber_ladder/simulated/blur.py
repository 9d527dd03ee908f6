"""How sheets look out of focus: every point spreads its light by its own defocus."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import partial
from math import floor, log2, sqrt

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.optics import Optics, wave_depth_um
from amber_ladder.core.optics._formulas import rim_slope
from amber_ladder.simulated.psf import half_width_px, kernel
from amber_ladder.simulated.scene import Float, Sheet

Window = tuple[slice, slice]

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
        levels = np.arange(len(self._levels))
        return self._spread(sheet, lambda um: np.interp(np.abs(um - np.float32(focus_um)), self._defocus_um, levels))

    def sharp(self, sheet: Sheet) -> Float:
        """The whole sheet in focus at once, blurred by diffraction alone."""
        return self._spread(sheet, np.zeros_like)

    def _spread(self, sheet: Sheet, place_of: Callable[[Float], NDArray[np.floating]]) -> Float:
        """With each point between two levels, the ``place_of`` its depth in steps of them; only where light reaches."""
        whole = np.zeros((*sheet.cover.shape, 4), np.float32)
        covered = sheet.covered
        if covered is None:
            return whole
        near = self._between(place_of(sheet.depth_um[covered])).values()
        reach = max(level.factor * (level.reach_px + 2) for level in near)
        widest = max(level.factor for level in self._levels)
        window = _grown(covered, 2 * reach, widest, sheet.cover.shape)  # out to there, and what lights that evenly
        place = place_of(sheet.depth_um[window]).astype(np.float32)
        planes = [plane[window] for plane in sheet.light]
        out = [np.zeros_like(plane) for plane in planes]
        met = self._between(place)
        for factor in sorted({level.factor for level in met.values()}):
            levels = {index: level for index, level in met.items() if level.factor == factor}
            if factor == 1:
                blocks = _Blocks.of(levels, place.shape)
                padded, padded_place = [blocks.padded(plane) for plane in planes], blocks.padded(place)
                _add_blurred(partial(_weighed, padded, padded_place, levels), levels, blocks, out)
            else:
                _add_from_coarse(planes, place, levels, factor, out)
        evenly = np.maximum(out[3], np.float32(1e-3))
        for channel, plane in enumerate((*out[:3], out[-1])):
            np.divide(plane, evenly, out=whole[(*window, channel)])
        return whole

    def _between(self, place: NDArray[np.floating]) -> "dict[int, _Level]":
        """The levels on either side of any of these places."""
        low, high = float(place.min()), float(place.max())
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


def _add_from_coarse(
    planes: list[Float], place: Float, levels: dict[int, _Level], factor: int, out: list[Float]
) -> None:
    """Add the light of levels that are blurred on pixels ``factor`` times as wide."""
    coarse = {index: made for index in levels if (made := _coarse(planes, place, index, factor))}
    if not coarse:
        return
    grid = [np.zeros_like(plane) for plane in next(iter(coarse.values()))]
    blocks = _Blocks.of(levels, grid[0].shape)
    padded = {index: [blocks.padded(plane) for plane in made] for index, made in coarse.items()}
    _add_blurred(lambda at: ((i, [plane[at] for plane in made]) for i, made in padded.items()), levels, blocks, grid)
    for plane, part in zip(out, grid, strict=True):
        size = (part.shape[1] * factor, part.shape[0] * factor)
        full = cv2.resize(part, size, interpolation=cv2.INTER_LINEAR)
        np.add(plane, full[: plane.shape[0], : plane.shape[1]], out=plane)


@dataclass(frozen=True, slots=True)
class _Blocks:
    """Squares of ``size`` over a picture of ``shape``, each without its border of ``reach`` beside the next, px."""

    shape: tuple[int, ...]
    reach: int
    size: int

    @classmethod
    def of(cls, levels: dict[int, _Level], shape: tuple[int, ...]) -> "_Blocks":
        """As wide as light of these levels reaches."""
        reach = max(level.reach_px for level in levels.values())
        size = min(max(_BLOCK_PX, 6 * reach), max(shape) + 2 * reach)
        return cls(shape, reach, cv2.getOptimalDFTSize(size))

    @property
    def inner(self) -> int:
        """Side of what a block is right in."""
        return self.size - 2 * self.reach

    def padded(self, plane: Float) -> Float:
        """A plane, mirrored at its edges, as far as blocks go."""
        below, after = (-side % self.inner + self.reach for side in self.shape)
        whole = cv2.copyMakeBorder(plane, self.reach, below, self.reach, after, cv2.BORDER_REFLECT)
        return np.asarray(whole, np.float32)


def _add_blurred(
    parts: Callable[[Window], Iterable[tuple[int, list[Float]]]],
    levels: dict[int, _Level],
    blocks: _Blocks,
    out: list[Float],
) -> None:
    """Add the light of these levels, blurred, to ``out`` (planes of (H, W)); ``parts`` gives a block's, by level.

    Block by block (overlap-save), the levels' spectra summed before they are turned back: a block that holds few
    depths costs little, and a sheet's many levels cost one inverse transform.
    """
    size, reach, inner = blocks.size, blocks.reach, blocks.inner
    for top in range(0, blocks.shape[0], inner):
        for left in range(0, blocks.shape[1], inner):
            total = [np.zeros((size, size), np.float32) for _ in out]
            for index, part in parts((slice(top, top + size), slice(left, left + size))):
                transfer = levels[index].transfer(size)
                for c, plane in enumerate(part):
                    cv2.accumulateProduct(cv2.dft(plane), transfer[_CHANNEL[c]], total[c])
            for plane, spectrum in zip(out, total, strict=True):
                blurred = cv2.dft(spectrum, flags=cv2.DFT_INVERSE | cv2.DFT_SCALE | cv2.DFT_REAL_OUTPUT)
                here = plane[top : top + inner, left : left + inner]
                here += blurred[reach : reach + here.shape[0], reach : reach + here.shape[1]]


def _weighed(
    planes: list[Float], place: Float, levels: Iterable[int], at: Window = (slice(None), slice(None))
) -> Iterator[tuple[int, list[Float]]]:
    """What of a part of the light belongs to each level; those to which nothing does are left out."""
    here = place[at]
    low, high = float(here.min()), float(here.max())
    for index in levels:
        if not low - 1 < index < high + 1:
            continue
        weight = np.abs(here - np.float32(index))
        if weight.min() < 1.0:
            np.maximum(np.subtract(np.float32(1), weight, out=weight), np.float32(0), out=weight)
            yield index, [plane[at] * weight for plane in planes]


def _coarse(planes: list[Float], place: Float, index: int, factor: int) -> list[Float]:
    """What of the light belongs to a level, on pixels ``factor`` times as wide; empty if nothing does."""
    height, width = place.shape
    below, after = -height % factor, -width % factor
    size = ((width + after) // factor, (height + below) // factor)
    coarse = list[Float]()
    for _, part in _weighed(planes, place, [index]):
        for plane in part:
            whole = cv2.copyMakeBorder(plane, 0, below, 0, after, cv2.BORDER_REFLECT)
            coarse.append(np.asarray(cv2.resize(whole, size, interpolation=cv2.INTER_AREA), np.float32))
    return coarse
