"""Sort."""

from fastapi import APIRouter

from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import sort
from amber_ladder.work.stack.views import TakeView

router = APIRouter(tags=["sort"], responses=RESPONSES)


@router.put("/frames/{frame_id}/left-out")
def leave_out(frame_id: int, entry: sort.LeaveOutEntry) -> TakeView:
    """Leave a frame out, with the reason."""
    return sort.leave_out(frame_id, entry)


@router.delete("/frames/{frame_id}/left-out")
def take_back(frame_id: int) -> TakeView:
    """Take a frame back that was left out."""
    return sort.take_back(frame_id)
