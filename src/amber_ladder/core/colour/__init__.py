"""Between light and the numbers in a picture, and the colours that stand for depth."""

from amber_ladder.core.colour._depth_colours import colour_depth, depth_colours
from amber_ladder.core.colour._srgb import decode_srgb, encode_srgb

__all__ = ["colour_depth", "decode_srgb", "depth_colours", "encode_srgb"]
