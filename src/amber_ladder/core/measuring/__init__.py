"""Scale, focus travel and scale bars; sizes on a merged picture with their uncertainty; how a value is stated."""

from amber_ladder.core.measuring._instrument import (
    NOMINAL_TOLERANCE,
    PARTS,
    PICK_PX,
    RAIL_TOLERANCE,
    Growth,
    Instrument,
)
from amber_ladder.core.measuring._kinds import KINDS
from amber_ladder.core.measuring._measure import COVERAGE, Measured, measure, measure_repeated
from amber_ladder.core.measuring._ramp import Band, Ramp, measure_ramp
from amber_ladder.core.measuring._relief import Relief, relief
from amber_ladder.core.measuring._ruling import Ruling, find_ruling
from amber_ladder.core.measuring._rungs import Rungs
from amber_ladder.core.measuring._scale_bar import ScaleBar, scale_bar
from amber_ladder.core.measuring._snap import snapped_to_edge
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
    "COVERAGE",
    "KINDS",
    "NOMINAL_TOLERANCE",
    "PARTS",
    "PICK_PX",
    "RAIL_TOLERANCE",
    "Band",
    "Growth",
    "Instrument",
    "Measured",
    "Ramp",
    "Relief",
    "Ruling",
    "Rungs",
    "ScaleBar",
    "combined",
    "find_ruling",
    "measure",
    "measure_ramp",
    "measure_repeated",
    "of_tolerance",
    "relief",
    "rounded",
    "scale_bar",
    "snapped_to_edge",
]
