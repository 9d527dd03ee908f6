"""The ladder of one take: as planned, or what an earlier take lacks, with rungs added at its ends."""

from collections import Counter
from dataclasses import dataclass
from typing import Any

from amber_ladder.errors import BadInput
from amber_ladder.store.models import Stack, Take
from amber_ladder.work.bench.devices import Setup
from amber_ladder.work.bench.running import Rungs
from amber_ladder.work.bench.views import RunEntry


@dataclass(frozen=True, slots=True)
class TakeLadder:
    """Positions (µm) of a take's rungs; those that are taken over from an earlier take, rung by rung."""

    positions_um: tuple[float, ...]
    repair_of: int | None = None
    taken_over: tuple[tuple[int, int], ...] = ()

    def as_json(self) -> dict[str, Any]:
        """As it is kept with the take."""
        return {"positions_um": list(self.positions_um), "repair_of": self.repair_of}


def new_ladder(stack: Stack, setup: Setup, entry: RunEntry) -> TakeLadder:
    """The ladder of a new take. Raises BadInput for a repair of what is no take of this stack."""
    if entry.repair_of is None:
        return TakeLadder(setup.ladder.positions_um)
    old = next((take for take in stack.takes if take.id == entry.repair_of), None)
    positions = old.run.get("positions_um") if old and old.run else None
    if old is None or not positions:
        raise BadInput("only a take that was shot rung by rung can be repaired", field="repair_of")
    step_um = setup.ladder.step_um
    more = entry.more_near
    first, last = positions[0], positions[-1]
    before = [round(first - (more - i) * step_um, 6) for i in range(more)]
    after = [round(last + (i + 1) * step_um, 6) for i in range(entry.more_far)]
    again = set(entry.again)
    good = {
        frame.rung: frame.id
        for frame in old.frames
        if frame.rung is not None and frame.left_out is None and frame.rung not in again and not frame.faults
    }
    taken_over = tuple((rung + more, frame_id) for rung, frame_id in sorted(good.items()))
    ladder = TakeLadder((*before, *positions, *after), old.number, taken_over)
    if len(taken_over) == len(ladder.positions_um):
        raise BadInput("nothing is missing and nothing is to be shot again: choose rungs, or add some at an end")
    return ladder


def rungs_of(take: Take) -> Rungs:
    """What of a take is still to be shot."""
    positions = tuple((take.run or {})["positions_um"])
    kept = {frame.rung for frame in take.frames if frame.left_out is None}
    tried = Counter(frame.rung for frame in take.frames)
    todo = tuple((rung, tried[rung]) for rung in range(len(positions)) if rung not in kept)
    return Rungs(positions, todo)
