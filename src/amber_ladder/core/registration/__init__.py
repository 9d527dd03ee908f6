"""Bringing frames into one coordinate system: shift, turn, scale, and brightness."""

from amber_ladder.core.registration._pair import Pair, register_pair
from amber_ladder.core.registration._similarity import (
    IDENTITY,
    compose,
    inverse,
    inverse_scaled,
    rescaled,
    scale_of,
    shared_rectangle,
    warped_picture,
)

__all__ = [
    "IDENTITY",
    "Pair",
    "compose",
    "inverse",
    "inverse_scaled",
    "register_pair",
    "rescaled",
    "scale_of",
    "shared_rectangle",
    "warped_picture",
]
