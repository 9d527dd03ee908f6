"""A specimen as sheets in depth, and how it looks focused at one depth."""

from dataclasses import dataclass
from functools import cached_property
from math import floor, log2, sqrt

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.optics import Optics, wave_depth_um
from amber_ladder.core.optics._formulas import rim_slope
from amber_ladder.simulated.psf import kernel

Float = NDArray[np.float32]

CHANNEL_UM = (0.61, 0.55, 0.46)
"""Mean wavelengths of a camera's red, green and blue, in µm, for a rig planned at 0.55 µm."""

_COARSE_FROM_PX = 3.0
"""Radius of the cone, in coarse pixels, from which it is computed on them: it holds no finer detail."""


@dataclass(frozen=True, slots=True)
class Grid:
    """Where the pixels lie on the specimen: ``x_um`` and ``y_um`` of shape (height, width).

    Its middle lies at ``aside_um`` (right, down), which is 0 but for a stage that has moved the field aside.
    """

    x_um: Float
    y_um: Float
    pixel_um: float
    aside_um: tuple[float, float] = (0.0, 0.0)

    @classmethod
    def centred(
        cls, width_px: int, height_px: int, pixel_um: float, aside_um: tuple[float, float] = (0.0, 0.0)
    ) -> "Grid":
        """A grid of square pixels around the optical axis."""
        x = (np.arange(width_px, dtype=np.float32) - (width_px - 1) / 2) * np.float32(pixel_um)
        y = (np.arange(height_px, dtype=np.float32) - (height_px - 1) / 2) * np.float32(pixel_um)
        x_um, y_um = np.meshgrid(x + np.float32(aside_um[0]), y + np.float32(aside_um[1]))
        return cls(x_um, y_um, pixel_um, aside_um)

    def px(self, x_um: float, y_um: float) -> tuple[float, float]:
        """The pixel (x, y) at a place on the specimen."""
        height, width = self.x_um.shape
        return (
            (x_um - self.aside_um[0]) / self.pixel_um + (width - 1) / 2,
            (y_um - self.aside_um[1]) / self.pixel_um + (height - 1) / 2,
        )


@dataclass(frozen=True)
class Sheet:
    """One surface: linear RGB (H, W, 3), cover (H, W) from 0 to 1, depth (H, W) in µm below the nearest point.

    Where the cover is 0 the depth must be that of the nearest covered place, for its blur reaches there.
    """

    rgb: Float
    cover: Float
    depth_um: Float

    @cached_property
    def light(self) -> Float:
        """Premultiplied RGB, one everywhere, and the cover unless that is the same, (H, W, 4 or 5)."""
        planes = [self.rgb * self.cover[..., None], np.ones_like(self.cover)]
        if self.cover.min() < 1.0:
            planes.append(self.cover)
        return np.dstack(planes).astype(np.float32)


@dataclass(frozen=True, slots=True)
class Scene:
    """Sheets from the farthest to the nearest; the first covers everything."""

    sheets: tuple[Sheet, ...]

    def sharp_depth_um(self) -> Float:
        """Depth of what is seen at each pixel, (H, W) in µm: of the nearest sheet that mostly covers it."""
        depth = self.sheets[0].depth_um.copy()
        for sheet in self.sheets[1:]:
            np.copyto(depth, sheet.depth_um, where=sheet.cover > 0.5)
        return depth


def in_perspective(scene: Scene, growth_per_um: float) -> Scene:
    """The scene as a camera sees it whose picture grows by this share for each µm that it comes nearer (centre fixed).

    On a rail that is one and the same: what lies deeper is farther away, and as much smaller as the picture grows when
    focus follows it there. In focus every depth has the same scale.
    """
    return Scene(tuple(_in_perspective(sheet, growth_per_um) for sheet in scene.sheets))


def _in_perspective(sheet: Sheet, growth_per_um: float) -> Sheet:
    height, width = sheet.cover.shape
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    x -= np.float32((width - 1) / 2)
    y -= np.float32((height - 1) / 2)

    def seen(plane: Float, depth_um: Float, border: int, way: int = cv2.INTER_LINEAR) -> Float:
        grown = 1 + np.float32(growth_per_um) * depth_um
        at = (x * grown + np.float32((width - 1) / 2), y * grown + np.float32((height - 1) / 2))
        return np.asarray(cv2.remap(plane, *at, way, borderMode=border), np.float32)

    depth = sheet.depth_um
    for _ in range(4):  # which depth is seen at a pixel depends on where it is looked up: settles at once
        depth = seen(sheet.depth_um, depth, cv2.BORDER_REPLICATE)
    return Sheet(
        seen(sheet.rgb, depth, cv2.BORDER_REFLECT, cv2.INTER_LANCZOS4),
        seen(sheet.cover, depth, cv2.BORDER_REPLICATE),
        depth,
    )


@dataclass(frozen=True, slots=True)
class _Level:
    """One step of defocus: its kernels for red, green, blue, all and cover, on pixels ``factor`` times as wide."""

    factor: int
    kernels: tuple[Float, ...]


class Blur:
    """Defocus of a rig, in steps fine enough that blends of two neighbours are indistinguishable from truth.

    ``coarser`` times wider steps, on coarse grids so much sooner, are quicker: for a live view, where the eye judges.
    """

    def __init__(self, optics: Optics, deepest_um: float, *, coarser: float = 1.0) -> None:
        self._optics, self._defocus_um = optics, _steps(optics, deepest_um, coarser)
        self._coarse_from_px = _COARSE_FROM_PX / coarser
        self._levels: dict[int, _Level] = {}

    def focused_at(self, sheet: Sheet, focus_um: float) -> Float:
        """Premultiplied RGB and cover, (H, W, 4), with focus at this depth (µm in the medium).

        Every point spreads its own light by its own defocus; a pixel that gathered with the defocus of its
        own depth would shift whatever lies on a slope. What many points bring together is shared out evenly,
        for a surface of one brightness stays so however it is bent.
        """
        defocus = np.abs(sheet.depth_um - np.float32(focus_um))
        place = np.interp(defocus, self._defocus_um, np.arange(len(self._defocus_um))).astype(np.float32)
        out = np.zeros_like(sheet.light)
        by_row, by_column = (place.min(axis=1), place.max(axis=1)), (place.min(axis=0), place.max(axis=0))
        for i in range(len(self._defocus_um)):
            rows = np.flatnonzero((by_row[0] < i + 1) & (by_row[1] > i - 1))
            columns = np.flatnonzero((by_column[0] < i + 1) & (by_column[1] > i - 1))
            if rows.size and columns.size:
                bounds = (rows[0], rows[-1], columns[0], columns[-1])
                _spread(sheet.light, place, i, bounds, self._level(i), out)
        return _shared_out(out)

    def sharp(self, sheet: Sheet) -> Float:
        """The whole sheet in focus at once, blurred by diffraction alone."""
        out = np.zeros_like(sheet.light)
        height, width = sheet.cover.shape
        place = np.zeros((height, width), np.float32)
        _spread(sheet.light, place, 0, (0, height - 1, 0, width - 1), self._level(0), out)
        return _shared_out(out)

    def _level(self, index: int) -> _Level:
        """The kernels of a step, made when they are first wanted: a patch of one depth needs few."""
        made = self._levels.get(index)
        return made or self._levels.setdefault(index, self._made(float(self._defocus_um[index])))

    def _made(self, defocus_um: float) -> _Level:
        optics = self._optics
        cone_px = defocus_um * rim_slope(optics.numerical_aperture, optics.medium_index) / optics.pixel_um
        factor = 2 ** max(0, floor(log2(max(cone_px / self._coarse_from_px, 1.0))))
        if factor > 1:
            # A coarse grid blurs by itself: averaging n × n pixels, the kernel's wider pixels and linear interpolation
            # back together by (2 n² - 1) / 6 px², which the cone (a quarter of its radius squared) brings along less.
            defocus_um *= sqrt(max(1.0 - (2 * factor**2 - 1) * 4.0 / (6.0 * cone_px**2), 0.0))
        aperture = {"na": optics.numerical_aperture, "medium_index": optics.medium_index}
        kernels = [kernel(defocus_um, optics.pixel_um * factor, wavelength_um=um, **aperture) for um in CHANNEL_UM]
        return _Level(factor, (*kernels, kernels[1], kernels[1]))


def _shared_out(light: Float) -> Float:
    shared = light / np.maximum(light[..., 3:4], np.float32(1e-3))
    shared[..., 3] = shared[..., -1]
    return np.asarray(shared[..., :4], np.float32)


def _steps(optics: Optics, deepest_um: float, coarser: float) -> NDArray[np.float64]:
    quarter = coarser * wave_depth_um(optics.numerical_aperture, 550.0, optics.medium_index) / 4.0
    steps = [0.0]
    while steps[-1] < deepest_um:
        steps.append(steps[-1] + max(quarter, 0.3 * coarser * steps[-1]))
    return np.asarray(steps)


def _spread(
    light: Float, place: Float, index: int, bounds: tuple[int, int, int, int], level: _Level, out: Float
) -> None:
    """Add what of ``light`` (H, W, planes) belongs to this level, blurred, to ``out``; works within ``bounds`` only."""
    factor, height, width = level.factor, *place.shape
    pad = (level.kernels[0].shape[0] // 2 + 2) * factor
    # On whole coarse pixels, so that the coarse grid lies the same wherever the part begins.
    top, left = max(bounds[0] - pad, 0) // factor * factor, max(bounds[2] - pad, 0) // factor * factor
    bottom = top + -(-(min(bounds[1] + pad, height) - top) // factor) * factor
    right = left + -(-(min(bounds[3] + pad, width) - left) // factor) * factor
    part = np.empty_like(light[top:bottom, left:right])
    _weigh(light[top:bottom, left:right], place[top:bottom, left:right], np.float32(index), part)
    missing = (bottom - top - part.shape[0], right - left - part.shape[1])
    if any(missing):
        part = np.asarray(cv2.copyMakeBorder(part, 0, missing[0], 0, missing[1], cv2.BORDER_REFLECT), np.float32)
    if factor > 1:
        size = (part.shape[1] // factor, part.shape[0] // factor)
        part = np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_AREA), np.float32)
    planes = [
        cv2.filter2D(plane, -1, level.kernels[c], borderType=cv2.BORDER_REFLECT)
        for c, plane in enumerate(cv2.split(part))
    ]
    blurred = cv2.merge(planes)
    if factor > 1:
        blurred = cv2.resize(blurred, (right - left, bottom - top), interpolation=cv2.INTER_LINEAR)
    out[top:bottom, left:right] += blurred[: min(bottom, height) - top, : min(right, width) - left]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _weigh(light: Float, place: Float, index: np.float32, part: Float) -> None:
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            weight = max(np.float32(1) - abs(place[y, x] - index), np.float32(0))
            for c in range(light.shape[2]):
                part[y, x, c] = weight * light[y, x, c]


def compose(sheets: list[Float]) -> Float:
    """Lay premultiplied sheets (H, W, 4) over each other, farthest first; returns linear RGB (H, W, 3)."""
    picture = sheets[0][..., :3] / np.maximum(sheets[0][..., 3:], 1e-3)
    for light in sheets[1:]:
        picture = picture * (1.0 - light[..., 3:]) + light[..., :3]
    return np.asarray(picture, np.float32)
