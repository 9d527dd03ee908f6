"""Shooting a ladder on a simulated stand: the run of the bench, on a clock that is hurried."""

from collections.abc import Callable, Sequence

from amber_ladder.core.optics import resolve
from amber_ladder.core.planning import Reach, Timing
from amber_ladder.errors import BadInput
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.simulated.clock import HurriedClock
from amber_ladder.simulated.dng import RawCamera
from amber_ladder.simulated.flaws import chosen_flaws
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.simulated.specimens.feeler import with_feeler
from amber_ladder.simulated.stand import SimulatedStand
from amber_ladder.simulated.wobble import Wobble
from amber_ladder.work.shoot.run import Controls, Pace, Run, Rungs, Taken

_FEELER_AT = 0.35  # of the specimen's depth
_RAW_NOISE = 6.0  # numbers of the file


def simulated_stand(
    rig: RigJson,
    specimen: str,
    *,
    near_um: float,
    seed: int,
    flaws: Sequence[str] = (),
    timing: Timing | None = None,
    clock: HurriedClock | None = None,
    raw: bool = False,
    feeler: bool = False,
    field_um: tuple[float, float] = (0.0, 0.0),
) -> SimulatedStand:
    """A simulated rail and camera over this specimen, under a rig. Raises BadInput for unknown names.

    With ``raw`` it writes DNG, for which the sensor's sides must be even. With a ``feeler`` one stands before it.
    ``field_um`` is where on the specimen the field's middle lies (right, down).
    """
    if raw and (rig.sensor.width_px % 2 or rig.sensor.height_px % 2):
        raise BadInput("a mosaic has even sides: give the sensor an even width and height for raw", field="raw")
    chosen = chosen_flaws(tuple(flaws))
    for flaw in chosen:
        if flaw.at_the_bench:
            raise BadInput(f"the flaw {flaw.key!r} shows in a run at the bench only: choose another", field="flaw")
    wobble = {key: value for flaw in chosen for key, value in flaw.wobble.items()}
    core = rig.to_core()
    lies = specimen_for(specimen)
    return SimulatedStand(
        with_feeler(lies, _FEELER_AT * lies.depth_um) if feeler else lies,
        resolve(core),
        core.sensor,
        near_um=near_um,
        seed=seed,
        wobble=Wobble(**wobble),  # type: ignore[arg-type]  # the flaws name its fields
        restless=frozenset(flaw.specimen for flaw in chosen if flaw.specimen),
        timing=timing,
        clock=clock,
        raw=RawCamera(read_noise=_RAW_NOISE) if raw else None,
        field_um=field_um,
    )


def shoot_hurried(
    stand: SimulatedStand,
    rungs: Rungs,
    clock: HurriedClock,
    *,
    settle_s: float = 0.0,
    keep: Callable[[Taken], None],
    told: Callable[[int], None],
) -> None:
    """Run these rungs. Every frame is kept: what is unfit is what a flaw was chosen for."""
    if rungs.todo:
        told(0)
        Run(
            rungs, stand, stand, None,
            pace=Pace(settle_s, 0.0), reach=Reach(), clock=clock, controls=Controls(), keep=keep, told=told,
        ).climb()  # fmt: skip
