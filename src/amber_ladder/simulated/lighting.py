"""How a specimen is lit: by two flash heads, diffused or bare, or by one lamp on an arm that makes its faces mirror."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.simulated.scene import Sheet

Float = NDArray[np.float32]

BARE_GAIN = 2.0
"""How much more light bare heads give than diffused ones: a diffuser takes a stop."""
_HEAD_DEG = 50.0  # to either side of the axis
_HAZE, _DIFFUSED = 0.05, 0.6  # share of light that comes from everywhere: beside bare heads, and through a diffuser
_LOBE_DEG, _HOT = 5.0, 3.0  # how far around the mirror angle a face gleams, and how strongly beside white
_LAMP_HAZE, _GLEAM = 0.45, 1.0


@dataclass(frozen=True, slots=True)
class Lighting:
    """``left`` and ``right`` are the shares of its set power that each head gives. ``lamp_deg`` is there when a lamp

    lights instead, turned so far from the optical axis towards the right of the picture.
    """

    left: float = 1.0
    right: float = 1.0
    diffused: bool = True
    lamp_deg: float | None = None

    @property
    def gain(self) -> float:
        """How much more light there is than with two diffused heads, on a face that looks at the camera."""
        if self.lamp_deg is not None:
            return 1.0
        return 0.5 * (self.left + self.right) * (1.0 if self.diffused else BARE_GAIN)


def lit_by(sheet: Sheet, pixel_um: float, lighting: Lighting) -> Sheet:
    """A sheet as it looks in this light, at the same exposure of a face that looks at the camera."""
    if lighting == Lighting():
        return sheet
    normal = _normals(sheet.depth_um, pixel_um)
    if lighting.lamp_deg is not None:
        shade = np.full(normal.shape[:2], _LAMP_HAZE, np.float32)
        gleam = np.asarray(_GLEAM * _lobe(normal, lighting.lamp_deg / 2.0), np.float32)
    else:
        shade, gleam = _from_heads(normal, lighting)
    # Dark grounds are matt: what is bright mirrors too.
    gleam = gleam * np.clip(2.0 * sheet.rgb.max(axis=2), 0, 1)
    rgb = sheet.rgb * shade[..., None] + gleam[..., None]
    return Sheet(np.asarray(rgb, np.float32), sheet.cover, sheet.depth_um)


def _from_heads(normal: Float, lighting: Lighting) -> tuple[Float, Float]:
    """What two heads make of surfaces: a factor, and their mirrored light beside it."""
    together = lighting.left + lighting.right
    haze = _DIFFUSED if lighting.diffused else _HAZE
    shade, flat = np.zeros(normal.shape[:2], np.float32), np.zeros(normal.shape[:2], np.float32)
    gleam = np.zeros(normal.shape[:2], np.float32)
    for share, deg in ((lighting.left, -_HEAD_DEG), (lighting.right, _HEAD_DEG)):
        facing = np.clip(normal @ _towards(deg), 0, None) / np.float32(np.cos(np.deg2rad(_HEAD_DEG)))
        given = haze + (1 - haze) * facing
        shade += np.float32(2.0 * share / max(together, 1e-6)) * given
        flat += given
        if not lighting.diffused:
            gleam += np.float32(_HOT * share / max(together, 1e-6)) * _lobe(normal, deg / 2.0)
    # Specimens are made as two diffused heads light them: only what differs from that is put on.
    return np.asarray(shade / (flat if lighting.diffused else np.float32(2.0)), np.float32), gleam


def _normals(depth_um: Float, pixel_um: float) -> Float:
    """Unit normals (H, W, 3): right, down, towards the camera."""
    dy, dx = np.gradient(cv2.GaussianBlur(depth_um, (0, 0), 2.0) / np.float32(pixel_um))
    normal = np.dstack([dx, dy, np.ones_like(dx)])
    return np.asarray(normal / np.linalg.norm(normal, axis=2, keepdims=True), np.float32)


def _towards(deg: float) -> Float:
    return np.asarray([np.sin(np.deg2rad(deg)), 0.0, np.cos(np.deg2rad(deg))], np.float32)


def _lobe(normal: Float, mirror_deg: float) -> Float:
    """1 where a surface's normal lies at this angle towards the right, less around it."""
    off = np.degrees(np.arccos(np.clip(normal @ _towards(mirror_deg), -1, 1)))
    return np.asarray(np.exp(-0.5 * (off / _LOBE_DEG) ** 2), np.float32)
