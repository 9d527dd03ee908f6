"""What is to be shot again: the ladder of a take that takes over what was good in another."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from amber_ladder.core.sorting._shot import Shot
from amber_ladder.errors import BadInput


@dataclass(frozen=True, slots=True)
class Repair:
    """A new take's ladder. ``positions_um`` rise from near to far; ``taken_over`` pairs its rungs with shots."""

    positions_um: tuple[float, ...]
    taken_over: tuple[tuple[int, int], ...]


def repair(
    positions_um: Sequence[float],
    shots: Sequence[Shot],
    *,
    step_um: float,
    again: Collection[int] = (),
    more_near: int = 0,
    more_far: int = 0,
) -> Repair:
    """Plan the repair of a take that was shot rung by rung at ``positions_um``.

    Taken over is what was kept and has no fault, but for the rungs to be shot ``again``; ``more_near`` and
    ``more_far`` rungs of ``step_um`` are added at the ends. Raises BadInput when nothing is left to be shot.
    """
    first, last = positions_um[0], positions_um[-1]
    nearer = [round(first - (more_near - i) * step_um, 6) for i in range(more_near)]
    farther = [round(last + (i + 1) * step_um, 6) for i in range(more_far)]
    good = {
        shot.rung: number
        for number, shot in enumerate(shots)
        if shot.rung is not None and shot.left_out is None and shot.rung not in again and not shot.faults
    }
    taken_over = tuple((rung + more_near, number) for rung, number in sorted(good.items()))
    ladder = (*nearer, *positions_um, *farther)
    if len(taken_over) == len(ladder):
        raise BadInput("nothing is missing and nothing is to be shot again: choose rungs, or add some at an end")
    return Repair(ladder, taken_over)
