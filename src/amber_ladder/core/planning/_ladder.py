"""From what is wanted and a resolved rig to the rungs of a ladder.

Of a ladder's extent, spacing and count any two give the third: that is all the ways in. Extent is the far point;
spacing an overlap or a step; count a number of frames or a time budget.
"""

from dataclasses import dataclass
from math import ceil, floor, isfinite

from amber_ladder.core.optics import Optics
from amber_ladder.core.optics._formulas import rim_focus_ratio, rim_slope
from amber_ladder.errors import BadInput

MOST_RUNGS = 5000
"""More than this is a slip of the keyboard (µm for mm), not a plan."""

USUAL_OVERLAP = 0.3
DENSEST_OVERLAP = 0.6
"""Time to spare is not spent on more than this: further frames add noise, time and trouble, and no detail."""

_ROUNDING = 1e-9  # relative; keeps 12 µm / 4 µm from being counted as 3.0000000004 clicks


@dataclass(frozen=True, slots=True)
class Timing:
    """Seconds spent on each rung: settling after the move, exposing, waiting for the flash, moving the file."""

    settle_s: float = 1.0
    exposure_s: float = 0.1
    recycle_s: float = 0.0
    transfer_s: float = 0.0

    @property
    def rung_s(self) -> float:
        """Seconds for one rung: the file moves while the flash recycles."""
        return self.settle_s + self.exposure_s + max(self.recycle_s, self.transfer_s)


@dataclass(frozen=True, slots=True)
class Rail:
    """What moves the focus: its smallest move, its travel (readings in µm), and its backlash.

    A body that brackets by itself is a rail whose click is one of its units.
    """

    click_um: float | None = None
    min_um: float | None = None
    max_um: float | None = None
    backlash_um: float = 0.0


@dataclass(frozen=True, slots=True)
class Wanted:
    """What was set of a ladder. Exactly two of extent, spacing and count; with one of them, the usual overlap.

    ``near_um`` is a stage reading, always set. ``sharp_um`` is the depth in the medium that counts as sharp.
    """

    near_um: float
    sharp_um: float
    far_um: float | None = None
    overlap: float | None = None
    step_um: float | None = None
    frames: int | None = None
    budget_s: float | None = None
    spare_rungs: int = 2


@dataclass(frozen=True, slots=True)
class Ladder:
    """A planned stack. Positions and step are moves of the stage in µm, rising from near to far.

    ``step_near_axis_um`` and ``step_rim_um`` are how far focus really moves in what the specimen lies in, for rays
    near the axis and at the rim; ``step_in_medium_um`` is the larger, so that the overlap holds for both. ``overlap``
    is what results after rounding to clicks. ``far_um`` is the farthest point that is reached with spare rungs beyond.
    ``approach_from_um`` is where the rail starts, so that every rung is approached from the same side. ``faults`` are
    those of the ``warnings`` that spoil the picture or cannot be shot.
    """

    step_um: float
    step_in_medium_um: float
    step_near_axis_um: float
    step_rim_um: float
    frames: int
    positions_um: tuple[float, ...]
    far_um: float
    sharp_depth_um: float
    sharp_depth_stage_um: float
    overlap: float
    worst_blur_px: float
    travel_um: float
    approach_from_um: float
    seconds: float
    bytes: int
    warnings: tuple[str, ...]
    faults: tuple[str, ...]

    @property
    def medium_ratio(self) -> float:
        """How far focus moves in what the specimen lies in, for each µm of the stage."""
        return self.step_in_medium_um / self.step_um


def plan_ladder(
    optics: Optics,
    wanted: Wanted,
    *,
    rail: Rail | None = None,
    timing: Timing | None = None,
    bytes_per_frame: int = 0,
) -> Ladder:
    """Plan a ladder: the third of extent, spacing and count from the two that were set.

    Spacing from an overlap is the sharp depth times (1 − overlap), as a stage move, rounded down to whole rail
    clicks; rungs are ceil(depth / step) + 1, and ``spare_rungs`` more at either end, where nothing is sharp any
    more. Where the count is set, the step is rounded up to whole clicks, so that both ends are reached.

    Raises:
        BadInput: contradicting or too few entries, a far point not beyond the near one, an overlap outside 0 to 0.95,
            too few frames, or more than 5000. ``field`` names the entry.
    """
    rail, timing = rail or Rail(), timing or Timing()
    _check(wanted)
    ratios = _focus_ratios(optics)
    ratio = max(ratios)
    count = _count(wanted, timing)
    step_um, frames, extra = _solve(wanted, count, rail, ratio)
    if frames > MOST_RUNGS:
        field = "frames" if wanted.frames else "far_um"
        raise BadInput(
            f"{frames} rungs of {step_um:.4g} µm are needed, more than {MOST_RUNGS}: check the end points (they are in "
            "µm) and the rig",
            field=field,
        )
    sharp_um = wanted.sharp_um
    in_medium_um = step_um * ratio
    blur_um = in_medium_um * rim_slope(optics.numerical_aperture, optics.medium_index)
    first_um = wanted.near_um - wanted.spare_rungs * step_um
    positions = tuple(round(first_um + i * step_um, 6) for i in range(frames))
    last_inner_um = positions[frames - 1 - wanted.spare_rungs]
    overlap = 1.0 - in_medium_um / sharp_um
    approach_um = positions[0] - rail.backlash_um
    faults = _soft_bands(rail, step_um, overlap) + _beyond_travel(rail, approach_um, positions[-1])
    return Ladder(
        step_um=step_um,
        step_in_medium_um=in_medium_um,
        step_near_axis_um=step_um * ratios[0],
        step_rim_um=step_um * ratios[1],
        frames=frames,
        positions_um=positions,
        far_um=wanted.far_um if wanted.far_um is not None else last_inner_um,
        sharp_depth_um=sharp_um,
        sharp_depth_stage_um=sharp_um / ratio,
        overlap=overlap,
        worst_blur_px=blur_um / optics.pixel_um,
        travel_um=(frames - 1) * step_um,
        approach_from_um=approach_um,
        seconds=frames * timing.rung_s,
        bytes=frames * bytes_per_frame,
        warnings=optics.warnings + extra + _coarse_click(wanted, step_um, overlap) + faults,
        faults=faults,
    )


def _check(wanted: Wanted) -> None:
    if wanted.far_um is not None and not wanted.far_um > wanted.near_um:
        raise BadInput(
            f"the far point ({wanted.far_um:g} µm) must lie beyond the near point ({wanted.near_um:g} µm): "
            "swap them or set the far point again",
            field="far_um",
        )
    if wanted.overlap is not None and not 0.0 <= wanted.overlap <= 0.95:
        raise BadInput(f"an overlap of {wanted.overlap:g} is outside 0 to 0.95", field="overlap")
    if wanted.overlap is not None and wanted.step_um is not None:
        raise BadInput("overlap and step contradict each other: set one of them and leave the other", field="step_um")
    if wanted.frames is not None and wanted.budget_s is not None:
        raise BadInput("frames and time contradict each other: set one of them and leave the other", field="budget_s")
    counted = "frames" if wanted.frames is not None else "budget_s" if wanted.budget_s is not None else None
    spaced = wanted.overlap is not None or wanted.step_um is not None
    if wanted.far_um is not None and spaced and counted:
        raise BadInput(
            "near, far and spacing give the number of frames by themselves: leave one of far point, spacing and "
            f"{'frames' if counted == 'frames' else 'time'} to be computed",
            field=counted,
        )
    if wanted.far_um is None and not counted:
        raise BadInput("set a far point, a number of frames, or a time budget", field="far_um")


def _count(wanted: Wanted, timing: Timing) -> int | None:
    """How many frames may be shot, or None where their number follows."""
    least = 2 + 2 * wanted.spare_rungs
    if wanted.frames is not None:
        if wanted.frames < least:
            raise BadInput(
                f"{wanted.frames} frames are too few: {least} at least, with {wanted.spare_rungs} spare at each end",
                field="frames",
            )
        return wanted.frames
    if wanted.budget_s is None:
        return None
    if timing.rung_s <= 0.0:
        raise BadInput("a time budget needs the time that each rung takes", field="timing.settle_s")
    count = floor(wanted.budget_s / timing.rung_s * (1.0 + _ROUNDING))
    if count < least:
        raise BadInput(
            f"the time is enough for {count} frames, {least} at least are needed: settle or recycle faster, spare "
            "fewer rungs, or shoot by hand",
            field="budget_s",
        )
    return count


def _solve(wanted: Wanted, count: int | None, rail: Rail, ratio: float) -> tuple[float, int, tuple[str, ...]]:
    """Step, frames, and what is to be said about them."""
    spare = wanted.spare_rungs
    asked = wanted.overlap is None and wanted.step_um is None
    overlap = USUAL_OVERLAP if wanted.overlap is None else wanted.overlap
    spaced = wanted.sharp_um * (1.0 - overlap) / ratio if wanted.step_um is None else wanted.step_um
    if not (isfinite(spaced) and spaced > 0.0):
        raise BadInput("everything is sharp at once with this rig: no stack is needed", field="overlap")
    if wanted.far_um is None:
        assert count is not None
        return _whole_clicks(spaced, rail.click_um), count, ()
    depth_um = wanted.far_um - wanted.near_um
    if count is None or not asked:
        step = _whole_clicks(spaced, rail.click_um)
        return step, ceil(depth_um / step * (1.0 - _ROUNDING)) + 1 + 2 * spare, ()
    inner = count - 1 - 2 * spare
    step = _whole_clicks(depth_um / inner, rail.click_um, up=True)
    if wanted.budget_s is None:
        return step, count, ()
    densest = _whole_clicks(wanted.sharp_um * (1.0 - DENSEST_OVERLAP) / ratio, rail.click_um)
    extra: tuple[str, ...] = ()
    if densest > step:
        step = densest
        extra = (f"There is time for more, but beyond {DENSEST_OVERLAP:.0%} overlap frames add noise, not detail.",)
    return step, ceil(depth_um / step * (1.0 - _ROUNDING)) + 1 + 2 * spare, extra


def _focus_ratios(optics: Optics) -> tuple[float, float]:
    """How far focus moves in the medium for each µm of stage: near the axis, and at the rim."""
    # Oil and water objectives touch the medium (NA may pass 1): no surface bends their rays.
    if optics.medium_index == 1.0 or optics.numerical_aperture >= 1.0:
        return 1.0, 1.0
    return optics.medium_index, rim_focus_ratio(optics.numerical_aperture, optics.medium_index)


def _whole_clicks(step_um: float, click_um: float | None, *, up: bool = False) -> float:
    if click_um is None:
        return step_um
    clicks = step_um / click_um
    whole = ceil(clicks * (1.0 - _ROUNDING)) if up else floor(clicks * (1.0 + _ROUNDING))
    return max(whole, 1) * click_um


def _soft_bands(rail: Rail, step_um: float, overlap: float) -> tuple[str, ...]:
    if overlap >= -_ROUNDING:
        return ()
    if rail.click_um is not None and step_um <= rail.click_um * (1.0 + _ROUNDING):
        return (
            f"One click of the rail ({rail.click_um:g} µm) is more than the sharp depth: bands of the specimen "
            "between the rungs stay soft. Use a finer rail or a smaller aperture.",
        )
    return (
        f"The step ({step_um:.4g} µm) is larger than the sharp depth: bands of the specimen between the rungs stay "
        "soft. More frames, a smaller aperture or less depth would close them.",
    )


def _coarse_click(wanted: Wanted, step_um: float, overlap: float) -> tuple[str, ...]:
    if wanted.overlap is not None and 0.0 <= overlap < wanted.overlap - 1e-6:
        return (
            f"The step cannot be finer than one click ({step_um:g} µm): overlap is {overlap:.0%} "
            f"instead of {wanted.overlap:.0%}.",
        )
    return ()


def _beyond_travel(rail: Rail, first_um: float, last_um: float) -> tuple[str, ...]:
    low, high = rail.min_um, rail.max_um
    found: tuple[str, ...] = ()
    if low is not None and first_um < low - 1e-6:
        found += (
            f"The rail ends at {low:g} µm; this ladder begins at {first_um:g} µm: mount the specimen farther out.",
        )
    if high is not None and last_um > high + 1e-6:
        found += (f"The rail ends at {high:g} µm; this ladder goes to {last_um:g} µm: mount the specimen closer.",)
    return found
