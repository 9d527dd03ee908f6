"""Sort."""

from fastapi import APIRouter
from fastapi.responses import Response

from amber_ladder.api.bodies import KEEP
from amber_ladder.api.problems import RESPONSES
from amber_ladder.formats.development_json import DevelopmentJson
from amber_ladder.work import sort
from amber_ladder.work.stack.views import StackView, TakeView

router = APIRouter(tags=["sort"], responses=RESPONSES)


@router.put("/frames/{frame_id}/left-out")
def leave_out(frame_id: int, entry: sort.LeaveOutEntry) -> TakeView:
    """Leave a frame out, with the reason."""
    return sort.leave_out(frame_id, entry)


@router.delete("/frames/{frame_id}/left-out")
def take_back(frame_id: int) -> TakeView:
    """Take a frame back that was left out."""
    return sort.take_back(frame_id)


@router.put("/takes/{take_id}/development")
def set_development(take_id: int, entry: sort.DevelopmentEntry) -> TakeView:
    """Set how all frames of a take are developed."""
    return sort.set_development(take_id, entry)


@router.get("/takes/{take_id}/beside")
def beside(take_id: int) -> list[sort.BesideView]:
    """Files of the take's card that lie nearest to it: one of them may show a grey card."""
    return sort.beside(take_id)


@router.post("/takes/{take_id}/frames/{frame_id}/developed", response_class=Response)
def preview(take_id: int, frame_id: int, entry: DevelopmentJson) -> Response:
    """One frame, developed so."""
    return Response(sort.preview(take_id, frame_id, entry), media_type="image/jpeg")


@router.post("/takes/{take_id}/repair-plan", status_code=201)
def plan_repair(take_id: int, entry: sort.RepairEntry) -> StackView:
    """Plan a ladder for the frames that are missing behind one."""
    return sort.plan_repair(take_id, entry)


@router.get("/pictures/frame/{number}/sharp.jpg", response_class=Response)
def sharp(number: int) -> Response:
    """A frame, small, with what is not sharp in it darkened."""
    return Response(sort.sharp_of(number), media_type="image/jpeg", headers=KEEP)
