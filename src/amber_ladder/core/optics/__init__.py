"""What an optical train does to a specimen: magnification, aperture, sharp depth, detail, field."""

from amber_ladder.core.optics._figures import Figure, FigureInput, explain
from amber_ladder.core.optics._formulas import (
    airy_disc_um,
    depth_of_circle_of_confusion_um,
    detector_depth_um,
    effective_f_number,
    effective_f_number_from_na,
    flash_stops,
    lens_light_lost_stops,
    numerical_aperture,
    objective_pupil_mm,
    paraxial_focus_ratio,
    rim_focus_ratio,
    smallest_detail_um,
    wave_depth_um,
)
from amber_ladder.core.optics._resolve import Optics, SharpDepth, resolve
from amber_ladder.core.optics._rig import (
    InfinityObjective,
    Lens,
    Measured,
    Rig,
    Sensor,
    Train,
)

__all__ = [
    "Figure",
    "FigureInput",
    "InfinityObjective",
    "Lens",
    "Measured",
    "Optics",
    "Rig",
    "Sensor",
    "SharpDepth",
    "Train",
    "airy_disc_um",
    "depth_of_circle_of_confusion_um",
    "detector_depth_um",
    "effective_f_number",
    "effective_f_number_from_na",
    "explain",
    "flash_stops",
    "lens_light_lost_stops",
    "numerical_aperture",
    "objective_pupil_mm",
    "paraxial_focus_ratio",
    "resolve",
    "rim_focus_ratio",
    "smallest_detail_um",
    "wave_depth_um",
]
