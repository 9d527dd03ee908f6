"""Scale from a picture of a ruling, focus travel from a series of a ramp: for the command line and the pages."""

from pathlib import Path
from typing import Any

from amber_ladder.core.frames import Progress, to_grey
from amber_ladder.core.measuring import Ramp, Ruling, find_ruling, measure_ramp
from amber_ladder.errors import BadInput
from amber_ladder.formats.pictures import StoredFrames, examine, frames_in, read_picture


def ruling_in(picture: Path, name: str | None = None) -> Ruling:
    """Find the ruling in a picture file. Raises BadInput."""
    if not picture.is_file():
        raise BadInput(f"{picture} is no file: name a picture of a ruling")
    examine(picture, name)
    return find_ruling(to_grey(read_picture(picture), 1))


def scale_json(ruling: Ruling, spacing_um: float) -> dict[str, Any]:
    """A ruling of known spacing as ``./ladder scale`` prints it. Raises BadInput for a spacing that is none."""
    if not 0.0 < spacing_um < 1e6:
        raise BadInput(f"a spacing of {spacing_um:g} µm is outside 0 to 1 m", field="spacing_um")
    um_per_px = spacing_um / ruling.pitch_px
    return {
        "um_per_px": um_per_px,
        "u_um_per_px": um_per_px * ruling.u_pitch_px / ruling.pitch_px,
        "pitch_px": ruling.pitch_px,
        "angle_deg": ruling.angle_deg,
        "lines": ruling.lines,
        "distortion": ruling.distortion,
    }


def ramp_in(folder: Path, *, slope_deg: float, um_per_px: float, progress: Progress) -> tuple[Ramp, StoredFrames]:
    """Measure a folder of frames of a ramp. Raises BadInput."""
    frames, _ = frames_in(folder)
    return measure_ramp(frames, slope_deg=slope_deg, um_per_px=um_per_px, progress=progress), frames


def ramp_json(ramp: Ramp, names: tuple[str, ...]) -> dict[str, Any]:
    """A measured ramp as ``./ladder ramp`` prints it."""
    return {
        "um_per_frame": ramp.um_per_frame,
        "u_um_per_frame": ramp.u_um_per_frame,
        "bend_um_per_frame2": ramp.bend_um_per_frame2,
        "bands": [{"file": names[band.frame], "position_px": band.position_px} for band in ramp.bands],
        "residuals_um": list(ramp.residuals_um),
        "residual_um": ramp.residual_um,
        "without_band": [names[i] for i in ramp.without_band],
    }
