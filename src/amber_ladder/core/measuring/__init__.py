"""Scale, focus travel and scale bars; sizes on a merged picture with their uncertainty; how a value is stated."""

from amber_ladder.core.measuring._drift import Drift, drift_of
from amber_ladder.core.measuring._instrument import (
    NOMINAL_TOLERANCE,
    PARTS,
    PICK_PX,
    RAIL_TOLERANCE,
    TILT_TOLERANCE_DEG,
    Growth,
    Instrument,
)
from amber_ladder.core.measuring._kinds import KINDS
from amber_ladder.core.measuring._measure import COVERAGE, Measured, measure, measure_repeated
from amber_ladder.core.measuring._ramp import Band, Ramp, measure_ramp
from amber_ladder.core.measuring._reference import LEAST_PLACES, Reference, ReferenceKind, scale_from
from amber_ladder.core.measuring._relief import Relief, relief
from amber_ladder.core.measuring._rim import Rim
from amber_ladder.core.measuring._ruling import Ruling, find_ruling
from amber_ladder.core.measuring._rungs import Rungs
from amber_ladder.core.measuring._scale_bar import ScaleBar, bar_of, scale_bar
from amber_ladder.core.measuring._series import Summary, summarise
from amber_ladder.core.measuring._snap import snapped_to_edge
from amber_ladder.core.measuring._stated import (
    ASSUMED_SLOPE_TOLERANCE_DEG,
    ASSUMED_TOLERANCE,
    combined,
    of_tolerance,
    rounded,
)
from amber_ladder.core.measuring._tilt import rail_tilt
from amber_ladder.core.measuring._views import anaglyph, rocking, view_from

__all__ = [
    "ASSUMED_SLOPE_TOLERANCE_DEG",
    "ASSUMED_TOLERANCE",
    "COVERAGE",
    "KINDS",
    "LEAST_PLACES",
    "NOMINAL_TOLERANCE",
    "PARTS",
    "PICK_PX",
    "RAIL_TOLERANCE",
    "TILT_TOLERANCE_DEG",
    "Band",
    "Drift",
    "Growth",
    "Instrument",
    "Measured",
    "Ramp",
    "Reference",
    "ReferenceKind",
    "Relief",
    "Rim",
    "Ruling",
    "Rungs",
    "ScaleBar",
    "Summary",
    "anaglyph",
    "bar_of",
    "combined",
    "drift_of",
    "find_ruling",
    "measure",
    "measure_ramp",
    "measure_repeated",
    "of_tolerance",
    "rail_tilt",
    "relief",
    "rocking",
    "rounded",
    "scale_bar",
    "scale_from",
    "snapped_to_edge",
    "summarise",
    "view_from",
]
