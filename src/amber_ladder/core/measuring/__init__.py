"""Lengths in the picture: scale, focus travel, scale bars."""

from amber_ladder.core.measuring._ramp import Band, Ramp, measure_ramp
from amber_ladder.core.measuring._ruling import Ruling, find_ruling
from amber_ladder.core.measuring._scale_bar import ScaleBar, scale_bar

__all__ = ["Band", "Ramp", "Ruling", "ScaleBar", "find_ruling", "measure_ramp", "scale_bar"]
