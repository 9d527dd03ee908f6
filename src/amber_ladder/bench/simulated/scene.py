"""A specimen as sheets in depth, and how it looks focused at one depth."""

from dataclasses import dataclass
from math import ceil, log2

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.bench.simulated.psf import blur_radius_um, kernel
from amber_ladder.core.optics import Optics, wave_depth_um

Float = NDArray[np.float32]

CHANNEL_UM = (0.61, 0.55, 0.46)
"""Mean wavelengths of a camera's red, green and blue, in µm, for a rig planned at 0.55 µm."""

_SHARPEST_KERNEL_PX = 7  # wider blurs are computed on a coarser grid: they hold no finer detail


@dataclass(frozen=True, slots=True)
class Grid:
    """Where the pixels lie on the specimen: ``x_um`` and ``y_um`` of shape (height, width), centre at 0."""

    x_um: Float
    y_um: Float
    pixel_um: float

    @classmethod
    def centred(cls, width_px: int, height_px: int, pixel_um: float) -> "Grid":
        """A grid of square pixels around the optical axis."""
        x = (np.arange(width_px, dtype=np.float32) - (width_px - 1) / 2) * np.float32(pixel_um)
        y = (np.arange(height_px, dtype=np.float32) - (height_px - 1) / 2) * np.float32(pixel_um)
        x_um, y_um = np.meshgrid(x, y)
        return cls(x_um, y_um, pixel_um)


@dataclass(frozen=True, slots=True)
class Sheet:
    """One surface: linear RGB (H, W, 3), cover (H, W) from 0 to 1, depth (H, W) in µm below the nearest point.

    Where the cover is 0 the depth must be that of the nearest covered place, for its blur reaches there.
    """

    rgb: Float
    cover: Float
    depth_um: Float


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


@dataclass(frozen=True, slots=True)
class _Level:
    """One step of defocus: its kernels for red, green, blue and cover, on pixels ``factor`` times as wide."""

    factor: int
    kernels: tuple[Float, ...]


class Blur:
    """Defocus of a rig, in steps fine enough that blends of two neighbours are indistinguishable from truth."""

    def __init__(self, optics: Optics, deepest_um: float) -> None:
        self._defocus_um = _steps(optics, deepest_um)
        self._levels = tuple(_level(optics, defocus) for defocus in self._defocus_um)

    def focused_at(self, sheet: Sheet, focus_um: float) -> Float:
        """Premultiplied RGB and cover, (H, W, 4), with focus at this depth (µm in the medium).

        Every point spreads its own light by its own defocus; a pixel that gathered with the defocus of its
        own depth would shift whatever lies on a slope.
        """
        light = _light(sheet)
        if sheet.cover.min() < 1.0:
            # Light comes from covered places only; elsewhere the depth is a filler.
            light[sheet.cover <= 0] = 0
        place = np.interp(np.abs(sheet.depth_um - np.float32(focus_um)), self._defocus_um, range(len(self._levels)))
        out = np.zeros_like(light)
        for i, level in enumerate(self._levels):
            weight = np.maximum(1.0 - np.abs(place - i), 0.0).astype(np.float32)
            _spread(light, weight, level, out)
        return out

    def sharp(self, sheet: Sheet) -> Float:
        """The whole sheet in focus at once, blurred by diffraction alone."""
        light = _light(sheet)
        out = np.zeros_like(light)
        _spread(light, np.ones(light.shape[:2], np.float32), self._levels[0], out)
        return out


def _light(sheet: Sheet) -> Float:
    return np.dstack([sheet.rgb * sheet.cover[..., None], sheet.cover]).astype(np.float32)


def _steps(optics: Optics, deepest_um: float) -> NDArray[np.float64]:
    quarter = wave_depth_um(optics.numerical_aperture, 550.0, optics.medium_index) / 4.0
    steps = [0.0]
    while steps[-1] < deepest_um:
        steps.append(steps[-1] + max(quarter, 0.3 * steps[-1]))
    return np.asarray(steps)


def _level(optics: Optics, defocus_um: float) -> _Level:
    aperture = {"na": optics.numerical_aperture, "medium_index": optics.medium_index}
    reach_px = blur_radius_um(defocus_um, wavelength_um=0.55, **aperture) / optics.pixel_um
    factor = 2 ** max(0, ceil(log2(max(reach_px / _SHARPEST_KERNEL_PX, 1e-9))))
    kernels = [kernel(defocus_um, optics.pixel_um * factor, wavelength_um=um, **aperture) for um in CHANNEL_UM]
    return _Level(factor, (*kernels, kernels[1]))


def _spread(light: Float, weight: Float, level: _Level, out: Float) -> None:
    """Add the weighted part of ``light`` (H, W, 4), blurred, to ``out``; works on the part that has weight."""
    rows, columns = np.flatnonzero(weight.any(axis=1)), np.flatnonzero(weight.any(axis=0))
    if rows.size == 0:
        return
    factor, height, width = level.factor, *weight.shape
    pad = (level.kernels[0].shape[0] // 2 + 2) * factor
    # On whole coarse pixels, so that the coarse grid lies the same wherever the part begins.
    top, left = max(rows[0] - pad, 0) // factor * factor, max(columns[0] - pad, 0) // factor * factor
    bottom = top + -(-(min(rows[-1] + pad, height) - top) // factor) * factor
    right = left + -(-(min(columns[-1] + pad, width) - left) // factor) * factor
    part = light[top:bottom, left:right] * weight[top:bottom, left:right, None]
    missing = (bottom - top - part.shape[0], right - left - part.shape[1])
    if any(missing):
        part = cv2.copyMakeBorder(part, 0, missing[0], 0, missing[1], cv2.BORDER_REFLECT)
    if factor > 1:
        size = (part.shape[1] // factor, part.shape[0] // factor)
        part = cv2.resize(part, size, interpolation=cv2.INTER_AREA)
    planes = [
        cv2.filter2D(plane, -1, level.kernels[c], borderType=cv2.BORDER_REFLECT)
        for c, plane in enumerate(cv2.split(part))
    ]
    blurred = cv2.merge(planes)
    if factor > 1:
        blurred = cv2.resize(blurred, (right - left, bottom - top), interpolation=cv2.INTER_LINEAR)
    out[top:bottom, left:right] += blurred[: min(bottom, height) - top, : min(right, width) - left]


def compose(sheets: list[Float]) -> Float:
    """Lay premultiplied sheets (H, W, 4) over each other, farthest first; returns linear RGB (H, W, 3)."""
    picture = sheets[0][..., :3] / np.maximum(sheets[0][..., 3:], 1e-3)
    for light in sheets[1:]:
        picture = picture * (1.0 - light[..., 3:]) + light[..., :3]
    return picture
