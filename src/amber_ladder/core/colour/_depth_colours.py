"""Colours for depth: deep blue (far) over teal and amber to pale (near), even in lightness."""

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

# CIE L*a*b* from far to near; lightness rises evenly so that equal depths look equally far apart.
_STOPS_LAB = ((18, 14, -44), (34, -8, -28), (50, -26, -8), (66, 14, 62), (81, 8, 56), (95, 0, 12))


@cache
def depth_colours() -> NDArray[np.uint8]:
    """256 RGB colours, (256, 3), from far to near."""
    at = np.linspace(0.0, 1.0, 256)
    stops = np.asarray(_STOPS_LAB, np.float64)
    lab = np.stack([np.interp(at, np.linspace(0, 1, len(stops)), stops[:, c]) for c in range(3)], axis=-1)
    rgb = cv2.cvtColor(lab[None].astype(np.float32), cv2.COLOR_Lab2RGB)[0]
    return np.asarray(np.rint(np.clip(rgb, 0, 1) * 255), np.uint8)


_UNKNOWN = (42, 45, 44)  # the mat behind the pictures


def colour_depth(depth: NDArray[np.float32], near: float, far: float) -> NDArray[np.uint8]:
    """Colour a depth map (H, W), NaN where unknown, between two depths; returns RGB (H, W, 3).

    What lies outside takes the colour of the nearer end; the mat shows where depth is unknown.
    """
    known = np.isfinite(depth)
    nearness = np.clip(1.0 - (np.where(known, depth, far) - near) / max(far - near, 1e-9), 0.0, 1.0)
    coloured = depth_colours()[np.rint(nearness * 255).astype(np.uint8)]
    coloured[~known] = _UNKNOWN
    return coloured
