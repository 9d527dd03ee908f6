"""Lengths in the picture: scale, focus travel, scale bars, and how a measured value is stated."""

from amber_ladder.core.measuring._ramp import Band, Ramp, measure_ramp
from amber_ladder.core.measuring._ruling import Ruling, find_ruling
from amber_ladder.core.measuring._scale_bar import ScaleBar, scale_bar
from amber_ladder.core.measuring._stated import (
    ASSUMED_SLOPE_TOLERANCE_DEG,
    ASSUMED_TOLERANCE,
    combined,
    of_tolerance,
    rounded,
)

__all__ = [
    "ASSUMED_SLOPE_TOLERANCE_DEG",
    "ASSUMED_TOLERANCE",
    "Band",
    "Ramp",
    "Ruling",
    "ScaleBar",
    "combined",
    "find_ruling",
    "measure_ramp",
    "of_tolerance",
    "rounded",
    "scale_bar",
]
