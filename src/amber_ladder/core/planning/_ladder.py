"""From two end points and a resolved rig to the rungs of a ladder."""

from dataclasses import dataclass
from math import ceil, floor

from amber_ladder.core.optics import Optics
from amber_ladder.core.optics._formulas import rim_focus_ratio, rim_slope
from amber_ladder.errors import BadInput

MOST_RUNGS = 5000
"""More than this is a slip of the keyboard (µm for mm), not a plan."""

_ROUNDING = 1e-9  # relative; keeps 12 µm / 4 µm from being counted as 3.0000000004 clicks


@dataclass(frozen=True, slots=True)
class Timing:
    """Seconds spent on each rung: settling after the move, exposing, and waiting for the flash."""

    settle_s: float = 1.0
    exposure_s: float = 0.1
    recycle_s: float = 0.0

    @property
    def rung_s(self) -> float:
        """Seconds for one rung."""
        return self.settle_s + self.exposure_s + self.recycle_s


@dataclass(frozen=True, slots=True)
class Ladder:
    """A planned stack. Positions and step are moves of the stage in µm, rising from near to far.

    ``step_in_medium_um`` is how far focus really moves in what the specimen lies in (the larger of rim and
    near-axis rays, so the overlap holds for both); ``overlap`` is what results after rounding to clicks.
    """

    step_um: float
    step_in_medium_um: float
    frames: int
    positions_um: tuple[float, ...]
    sharp_depth_um: float
    sharp_depth_stage_um: float
    overlap: float
    worst_blur_px: float
    travel_um: float
    seconds: float
    bytes: int
    warnings: tuple[str, ...]


def plan_ladder(
    optics: Optics,
    *,
    near_um: float,
    far_um: float,
    overlap: float = 0.3,
    spare_rungs: int = 2,
    click_um: float | None = None,
    timing: Timing | None = None,
    bytes_per_frame: int = 0,
) -> Ladder:
    """Plan a ladder from the nearest to the farthest wanted point (stage readings in µm).

    The step is the sharp depth times (1 − overlap), as a stage move, rounded down to whole rail clicks;
    the rungs are ceil(depth / step) + 1, and ``spare_rungs`` more at either end, where nothing is sharp any
    more. A step below one click becomes one click, with a warning that names the overlap left.

    Raises:
        BadInput: the far point is not beyond the near one, the overlap is outside 0 to 0.95, or the ladder
            would have more than 5000 rungs.
    """
    depth_um = far_um - near_um
    if not depth_um > 0.0:
        raise BadInput(
            f"the far point ({far_um:g} µm) must lie beyond the near point ({near_um:g} µm): "
            "swap them or set the far point again",
            field="far_um",
        )
    if not 0.0 <= overlap <= 0.95:
        raise BadInput(f"an overlap of {overlap:g} is outside 0 to 0.95", field="overlap")
    sharp_um = optics.sharp_depth_um.total
    ratio = _focus_ratio(optics)
    step_um = _whole_clicks(sharp_um * (1.0 - overlap) / ratio, click_um)
    frames = ceil(depth_um / step_um * (1.0 - _ROUNDING)) + 1 + 2 * spare_rungs
    if frames > MOST_RUNGS:
        raise BadInput(
            f"{frames} rungs of {step_um:.4g} µm are needed for {depth_um:g} µm of depth, more than "
            f"{MOST_RUNGS}: check the end points (they are in µm) and the rig",
            field="far_um",
        )
    in_medium_um = step_um * ratio
    resulting_overlap = 1.0 - in_medium_um / sharp_um
    blur_um = in_medium_um * rim_slope(optics.numerical_aperture, optics.medium_index)
    first_um = near_um - spare_rungs * step_um
    timing = timing or Timing()
    return Ladder(
        step_um=step_um,
        step_in_medium_um=in_medium_um,
        frames=frames,
        positions_um=tuple(round(first_um + i * step_um, 6) for i in range(frames)),
        sharp_depth_um=sharp_um,
        sharp_depth_stage_um=sharp_um / ratio,
        overlap=resulting_overlap,
        worst_blur_px=blur_um / optics.pixel_um,
        travel_um=(frames - 1) * step_um,
        seconds=frames * timing.rung_s,
        bytes=frames * bytes_per_frame,
        warnings=optics.warnings + _warnings(step_um, click_um, resulting_overlap, overlap),
    )


def _focus_ratio(optics: Optics) -> float:
    if optics.medium_index == 1.0:
        return 1.0
    # Oil and water objectives touch the medium (NA may pass 1): no surface bends their rays.
    if optics.numerical_aperture >= 1.0:
        return 1.0
    return max(optics.medium_index, rim_focus_ratio(optics.numerical_aperture, optics.medium_index))


def _whole_clicks(step_um: float, click_um: float | None) -> float:
    if click_um is None:
        return step_um
    clicks = floor(step_um / click_um * (1.0 + _ROUNDING))
    return max(clicks, 1) * click_um


def _warnings(step_um: float, click_um: float | None, resulting: float, wanted: float) -> tuple[str, ...]:
    if click_um is None or resulting >= wanted - _ROUNDING:
        return ()
    if resulting < 0.0:
        return (
            f"One click of the rail ({click_um:g} µm) is more than the sharp depth: bands of the specimen "
            "between the rungs stay soft. Use a finer rail or a smaller aperture.",
        )
    return (
        f"The step cannot be finer than one click ({step_um:g} µm): overlap is {resulting:.0%} "
        f"instead of {wanted:.0%}.",
    )
