"""The ladder of one take: as planned, or what an earlier take lacks, with rungs added at its ends."""

from collections import Counter
from dataclasses import dataclass
from typing import Any

from amber_ladder.core.planning import Ladder
from amber_ladder.core.sorting import repair, usual_form
from amber_ladder.errors import BadInput
from amber_ladder.store.models import Stack, Take
from amber_ladder.work.shoot.orders import RunEntry
from amber_ladder.work.shoot.run import Rungs
from amber_ladder.work.stack.series import repairable, shots_of


@dataclass(frozen=True, slots=True)
class TakeLadder:
    """Positions (µm) of a take's rungs; those that are taken over from an earlier take, as rung and frame."""

    positions_um: tuple[float, ...]
    repair_of: int | None = None
    taken_over: tuple[tuple[int, int], ...] = ()

    def as_json(self) -> dict[str, Any]:
        """As it is kept with the take."""
        return {"positions_um": list(self.positions_um), "repair_of": self.repair_of}


def new_ladder(stack: Stack, ladder: Ladder, entry: RunEntry) -> TakeLadder:
    """The ladder of a new take. Raises BadInput for a repair of what is no take of this stack."""
    if entry.repair_of is None:
        return TakeLadder(ladder.positions_um)
    old = next((take for take in stack.takes if take.id == entry.repair_of), None)
    if old is None or not repairable(old):
        raise BadInput("only a take that was shot rung by rung on the bench can be repaired", field="repair_of")
    plan = repair(
        (old.run or {})["positions_um"], shots_of(old),
        step_um=ladder.step_um, again=set(entry.again), more_near=entry.more_near, more_far=entry.more_far,
    )  # fmt: skip
    return TakeLadder(
        plan.positions_um, old.number, tuple((rung, old.frames[number].id) for rung, number in plan.taken_over)
    )


def rungs_of(take: Take) -> Rungs:
    """What of a take is still to be shot."""
    positions = tuple((take.run or {})["positions_um"])
    kept = {frame.rung for frame in take.frames if frame.left_out is None}
    tried = Counter(frame.rung for frame in take.frames)
    todo = tuple((rung, tried[rung]) for rung in range(len(positions)) if rung not in kept)
    return Rungs(positions, todo, usual_form(shots_of(take)))
