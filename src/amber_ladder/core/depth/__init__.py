"""From the sharpest frame of every pixel to a surface."""

from amber_ladder.core.depth._surface import Surface, depth_spread, surface

__all__ = ["Surface", "depth_spread", "surface"]
