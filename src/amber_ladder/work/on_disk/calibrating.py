"""Scale from a picture of a ruling, focus travel from a series of a ramp: for the command line and the pages."""

from math import cos, radians, sin
from pathlib import Path
from typing import Any

from amber_ladder.core.frames import Progress, to_grey
from amber_ladder.core.measuring import (
    ASSUMED_SLOPE_TOLERANCE_DEG,
    ASSUMED_TOLERANCE,
    Ramp,
    Ruling,
    combined,
    find_ruling,
    measure_ramp,
    of_tolerance,
    rounded,
)
from amber_ladder.errors import BadInput
from amber_ladder.formats.pictures import StoredFrames, examine, frames_in, read_picture


def ruling_in(picture: Path, name: str | None = None) -> Ruling:
    """Find the ruling in a picture file. Raises BadInput."""
    if not picture.is_file():
        raise BadInput(f"{picture} is no file: name a picture of a ruling")
    examine(picture, name)
    return find_ruling(to_grey(read_picture(picture), 1))


def scale_json(ruling: Ruling, spacing_um: float, tolerance_percent: float | None = None) -> dict[str, Any]:
    """A ruling of known spacing as ``./ladder scale`` prints it. Raises BadInput for a spacing that is none.

    ``tolerance_percent`` is how true the ruling itself is; where nobody says, a usual one is assumed, and said to be.
    """
    if not 0.0 < spacing_um < 1e6:
        raise BadInput(f"a spacing of {spacing_um:g} µm is outside 0 to 1 m", field="spacing_um")
    return {
        **stated_scale(spacing_um / ruling.pitch_px, ruling.u_pitch_px / ruling.pitch_px, tolerance_percent),
        "pitch_px": ruling.pitch_px,
        "angle_deg": ruling.angle_deg,
        "lines": ruling.lines,
        "distortion": ruling.distortion,
    }


def stated_scale(um_per_px: float, relative: float, tolerance_percent: float | None) -> dict[str, Any]:
    """A scale with all of its uncertainty: that of reading it (``relative``), and the tolerance of what was read."""
    tolerance = ASSUMED_TOLERANCE if tolerance_percent is None else tolerance_percent / 100.0
    value, u = rounded(um_per_px, um_per_px * combined(relative, of_tolerance(tolerance)))
    return {
        "um_per_px": value,
        "u_um_per_px": u,
        "tolerance_percent": 100.0 * tolerance,
        "tolerance_assumed": tolerance_percent is None,
    }


def ramp_in(folder: Path, *, slope_deg: float, um_per_px: float, progress: Progress) -> tuple[Ramp, StoredFrames]:
    """Measure a folder of frames of a ramp. Raises BadInput."""
    frames, _ = frames_in(folder)
    return measure_ramp(frames, slope_deg=slope_deg, um_per_px=um_per_px, progress=progress), frames


def ramp_json(
    ramp: Ramp, names: tuple[str, ...], *, slope_deg: float, slope_tolerance_deg: float | None = None
) -> dict[str, Any]:
    """A measured ramp as ``./ladder ramp`` prints it, with the tolerance of its slope in the uncertainty.

    Where nobody says how true the slope is, a usual tolerance is assumed, and said to be.
    """
    tolerance = ASSUMED_SLOPE_TOLERANCE_DEG if slope_tolerance_deg is None else slope_tolerance_deg
    slope = radians(slope_deg)
    # Travel goes with the tangent: d(tan s) / tan s = ds / (sin s cos s).
    of_slope = of_tolerance(radians(tolerance)) / (sin(slope) * cos(slope))
    relative = combined(ramp.u_um_per_frame / ramp.um_per_frame, of_slope)
    value, u = rounded(ramp.um_per_frame, ramp.um_per_frame * relative)
    return {
        "um_per_frame": value,
        "u_um_per_frame": u,
        "slope_tolerance_deg": tolerance,
        "slope_tolerance_assumed": slope_tolerance_deg is None,
        "bend_um_per_frame2": ramp.bend_um_per_frame2,
        "bands": [{"file": names[band.frame], "position_px": band.position_px} for band in ramp.bands],
        "residuals_um": list(ramp.residuals_um),
        "residual_um": ramp.residual_um,
        "without_band": [names[i] for i in ramp.without_band],
    }
