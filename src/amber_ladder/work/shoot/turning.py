"""Frames that are put on another rung while a take is being shot: what is written down of it."""

from collections.abc import Sequence
from dataclasses import dataclass

from amber_ladder.store import history, stacks
from amber_ladder.store.database import transaction
from amber_ladder.work.journal import did


@dataclass(frozen=True, slots=True)
class OnRung:
    """A frame of the take, its rung, and where that lies (µm)."""

    frame_id: int
    rung: int
    position_um: float


@dataclass(frozen=True, slots=True)
class Corrected:
    """A frame as it is from now on: its rung, what the knob read there, why it takes no part, where it was called."""

    frame_id: int
    rung: int
    reported_um: float | None
    left_out: str | None
    planned_um: float | None = None


def put_on_rungs(take_id: int, corrected: Sequence[Corrected], words: str) -> None:
    """Write it down, all or nothing; ``words`` stand in the history, with {name} for that of the first frame."""
    with transaction() as session:
        take = stacks.get_take(session, take_id, locked=True)
        frames = {frame.id: frame for frame in take.frames}
        for one in corrected:
            frame = frames[one.frame_id]
            frame.rung, frame.reported_um = one.rung, one.reported_um
            frame.left_out = one.left_out or frame.left_out
            frame.planned_um = frame.planned_um if one.planned_um is None else one.planned_um
        first = frames[corrected[0].frame_id].name
        if words:
            history.note(session, take.stack_id, "corrected", words.replace("{name}", first), {"take": take.number})
        did(session, words.replace("{name}", first) or f"{first}: {corrected[0].left_out}", take.stack)


def noted(take_id: int, **what: object) -> None:
    """Write down what has become of a take's ladder."""
    with transaction() as session:
        take = stacks.get_take(session, take_id, locked=True)
        take.run = {**(take.run or {}), **what}
