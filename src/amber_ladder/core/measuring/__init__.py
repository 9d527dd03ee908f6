"""Lengths in the picture."""

from amber_ladder.core.measuring._scale_bar import ScaleBar, scale_bar

__all__ = ["ScaleBar", "scale_bar"]
