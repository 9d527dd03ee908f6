"""Targets to calibrate with, on a simulated stand: a ruled slide, and a ramp of known slope."""

from collections.abc import Callable

from amber_ladder.errors import BadInput
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.simulated.clock import HurriedClock
from amber_ladder.simulated.specimens import SPECIMENS
from amber_ladder.work.practice.stand import shoot_hurried, simulated_stand
from amber_ladder.work.shoot.run import Rungs, Taken

_FEWEST, _MOST = 4, 400


def shoot_ruled_slide(rig: RigJson, *, seed: int) -> bytes:
    """One sharp frame of the ruled slide, as JPEG."""
    return simulated_stand(rig, "ruled-slide", near_um=0.0, seed=seed).expose().content


def shoot_ramp(
    rig: RigJson, step_um: float, *, seed: int, keep: Callable[[Taken], None], progress: Callable[[int, int], None]
) -> None:
    """A series over the whole ramp. Raises BadInput where that is too few frames, or too many."""
    depth_um = SPECIMENS["focus-ramp"].depth_um
    count = int(depth_um / step_um) + 1
    if not _FEWEST <= count <= _MOST:
        raise BadInput(
            f"{count} frames would be shot over the ramp's {depth_um:.0f} µm: choose units per frame so that it is "
            f"{_FEWEST} to {_MOST}"
        )
    clock = HurriedClock()
    stand = simulated_stand(rig, "focus-ramp", near_um=0.0, seed=seed, clock=clock)
    rungs = Rungs(tuple(i * step_um for i in range(count)), tuple((i, 0) for i in range(count)))
    shoot_hurried(stand, rungs, clock, keep=keep, told=lambda done: progress(done, count))
