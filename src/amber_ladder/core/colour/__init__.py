"""Between light and the numbers in a picture, and the colours that stand for depth."""

from amber_ladder.core.colour._depth_colours import DEPTH_COLOURS, colour_depth
from amber_ladder.core.colour._srgb import decode_srgb, encode_srgb

__all__ = ["DEPTH_COLOURS", "colour_depth", "decode_srgb", "encode_srgb"]
