"""Frames that a person leaves out of a take, or takes back. Originals and earlier merges stay as they are."""

from typing import Annotated

from pydantic import StringConstraints

from amber_ladder.core.sorting import usual_form, why_unlike
from amber_ladder.errors import Conflict
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Frame
from amber_ladder.work.journal import changing
from amber_ladder.work.stack.series import shots_of
from amber_ladder.work.stack.views import TakeView, take_view


class LeaveOutEntry(Strict):
    """Why a frame takes no part."""

    reason: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=300)] = "left out by hand"


def leave_out(frame_id: int, entry: LeaveOutEntry) -> TakeView:
    """Leave a frame out of every merge to come. Raises NotFound, and Conflict while the take is being shot."""
    with transaction() as session:
        frame = _closed(stacks.get_frame(session, frame_id))
        with changing(session, f"{frame.name} left out: {entry.reason}", frame):
            frame.left_out = frame.left_out or entry.reason
        return take_view(frame.take)


def take_back(frame_id: int) -> TakeView:
    """Let a frame take part again.

    Raises NotFound, and Conflict for one that cannot be merged with the others, or whose rung has another frame.
    """
    with transaction() as session:
        frame = _closed(stacks.get_frame(session, frame_id))
        refuse_to_take_back(frame)
        with changing(session, f"{frame.name} taken back", frame):
            frame.left_out = None
        return take_view(frame.take)


def refuse_to_take_back(frame: Frame) -> None:
    """Raises Conflict for a frame that cannot be merged with the others of its take, or whose rung has another."""
    shots = {shot.name: shot for shot in shots_of(frame.take)}
    unlike = why_unlike(shots[frame.name], usual_form(list(shots.values())))
    if unlike:
        raise Conflict(f"{frame.name} {unlike}: it cannot be merged with them")
    for other in frame.take.frames:
        if other is not frame and other.left_out is None and other.rung is not None and other.rung == frame.rung:
            raise Conflict(f"{other.name} stands for rung {other.rung + 1} already: leave that out first")


def _closed(frame: Frame) -> Frame:
    if not frame.take.complete:
        raise Conflict("this take is not complete: finish shooting or adding files first")
    return frame
