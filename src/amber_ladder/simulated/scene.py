"""A specimen as sheets in depth, and how it looks focused at one depth."""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]


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
        """(n, H, W): premultiplied red, green and blue, one everywhere, and the cover unless that is the same."""
        planes = [self.rgb[..., c] * self.cover for c in range(3)] + [np.ones_like(self.cover)]
        return np.stack(planes if self.cover.min() >= 1.0 else [*planes, self.cover])

    @cached_property
    def covered(self) -> tuple[slice, slice] | None:
        """The rows and columns between which anything is covered; None where nothing is."""
        rows, columns = (np.flatnonzero((self.cover > 0.0).any(axis=axis)) for axis in (1, 0))
        if not rows.size:
            return None
        return slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)


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


def compose(sheets: list[Float]) -> Float:
    """Lay premultiplied sheets (H, W, 4) over each other, farthest first; returns linear RGB (H, W, 3)."""
    picture = sheets[0][..., :3] / np.maximum(sheets[0][..., 3:], 1e-3)
    for light in sheets[1:]:
        picture = picture * (1.0 - light[..., 3:]) + light[..., :3]
    return np.asarray(picture, np.float32)
