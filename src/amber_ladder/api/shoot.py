"""Shoot."""

from dataclasses import dataclass

from fastapi import APIRouter, Request

from amber_ladder.api.bodies import BODY, streamed
from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import shoot, tasks
from amber_ladder.work.views import FrameView, TakeView, TaskView

router = APIRouter(tags=["shoot"], responses=RESPONSES)


@dataclass(frozen=True, slots=True)
class Scene:
    """A specimen of the simulated bench."""

    key: str
    name: str
    kind: str
    width_um: float
    depth_um: float


@router.get("/scenes")
def scenes() -> list[Scene]:
    """What can lie on the simulated bench."""
    return [Scene(s.key, s.name, s.kind, s.width_um, s.depth_um) for s in shoot.scenes()]


@router.post("/stacks/{stack_id}/takes", status_code=201)
def begin_take(stack_id: int, entry: shoot.TakeEntry) -> TakeView:
    """Shoot on the bench, or open a take for own files."""
    return shoot.begin_take(stack_id, entry)


@router.put("/takes/{take_id}/frames/{name}", status_code=201, openapi_extra=BODY)
async def add_file(take_id: int, name: str, request: Request) -> FrameView:
    """Store one original; the body is the file."""
    return await streamed(request, lambda chunks: shoot.add_file(take_id, name, chunks))


@router.post("/takes/{take_id}/finish")
def finish_take(take_id: int) -> TakeView:
    """Close a take of own files."""
    return shoot.finish_take(take_id)


@router.post("/tasks/{task_id}/stop")
def stop(task_id: int) -> TaskView:
    """Stop long work."""
    return tasks.stop(task_id)
