"""Shooting by hand: frames land anywhere in the depth, so chance decides how many are needed."""

from dataclasses import dataclass
from math import ceil, log

from amber_ladder.errors import BadInput


@dataclass(frozen=True, slots=True)
class ByHand:
    """A burst. ``frames`` make each point sharp in at least one of them with the given probability.

    ``sweeps`` is how often focus must rock through the depth, ``hold_s`` how long the shutter is held in all;
    ``kept`` how many remain once those that add nothing are thinned out. ``step_um`` is the distance between frames
    of one sweep. ``curve`` pairs numbers of frames with the coverage they give, beyond the wanted one.
    """

    frames: int
    kept: int
    hold_s: float
    sweeps: int
    step_um: float
    coverage: float
    curve: tuple[tuple[int, float], ...]


def frames_by_chance(*, depth_um: float, sharp_um: float, coverage: float) -> int:
    """How many frames at random over a depth make each point sharp in one of them with this probability."""
    share = min(sharp_um / depth_um, 1.0)
    return 1 if share >= 1.0 else ceil(log(1.0 - coverage) / log(1.0 - share))


def coverage_by_chance(frames: int, *, depth_um: float, sharp_um: float) -> float:
    """The probability that a point of the depth is sharp in one of so many frames at random over it."""
    return 1.0 - (1.0 - min(sharp_um / depth_um, 1.0)) ** frames


def plan_by_hand(
    *,
    depth_um: float,
    sharp_um: float,
    frames_per_second: float,
    sweep_um_per_s: float,
    coverage: float = 0.99,
    overlap: float = 0.3,
) -> ByHand:
    """K frames at random over a depth D, each sharp over d, miss a point with probability (1 − d/D)^K.

    Source: coverage probability. All lengths in µm of the medium; sweep speed likewise. Raises BadInput.
    """
    if not frames_per_second > 0.0:
        raise BadInput("a burst needs frames per second", field="frames_per_second")
    if not sweep_um_per_s > 0.0:
        raise BadInput("a sweep needs a speed", field="sweep_um_per_s")
    frames = frames_by_chance(depth_um=depth_um, sharp_um=sharp_um, coverage=coverage)
    hold_s = frames / frames_per_second
    step_um = sweep_um_per_s / frames_per_second
    kept = min(frames, ceil(depth_um / (sharp_um * (1.0 - overlap))) + 1)
    counts = sorted({round(frames * place / 30.0) for place in range(46)})
    curve = tuple((count, coverage_by_chance(count, depth_um=depth_um, sharp_um=sharp_um)) for count in counts)
    sweeps = max(1, ceil(hold_s * sweep_um_per_s / depth_um))
    return ByHand(frames, kept, hold_s, sweeps, step_um, coverage, curve)
