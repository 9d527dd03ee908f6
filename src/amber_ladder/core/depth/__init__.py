"""From the sharpest frame of every pixel to a surface."""

from amber_ladder.core.depth._surface import Surface, surface

__all__ = ["Surface", "surface"]
