"""From the sharpest frame of every pixel to a surface."""

from amber_ladder.core.depth._breaks import breaks
from amber_ladder.core.depth._contours import Contour, contour_step, contours
from amber_ladder.core.depth._in_um import depth_between
from amber_ladder.core.depth._surface import Surface, depth_spread, noise_peak, surface
from amber_ladder.core.depth._uncertainty import depth_uncertainty

__all__ = [
    "Contour",
    "Surface",
    "breaks",
    "contour_step",
    "contours",
    "depth_between",
    "depth_spread",
    "depth_uncertainty",
    "noise_peak",
    "surface",
]
