"""Shoot."""

from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import Field

from amber_ladder.api.bodies import BODY, streamed
from amber_ladder.api.problems import RESPONSES
from amber_ladder.formats.rig_json import Strict
from amber_ladder.work import shoot, tasks
from amber_ladder.work.practice import choices, takes
from amber_ladder.work.stack.views import FrameView, TakeView, TaskView

router = APIRouter(tags=["shoot"], responses=RESPONSES)


class PracticeEntry(Strict):
    """Which simulated specimen to shoot."""

    scene: Annotated[str, Field(max_length=60)]


@router.get("/scenes")
def scenes() -> list[choices.Scene]:
    """What can lie under the simulated camera."""
    return choices.scenes()


@router.post("/stacks/{stack_id}/practice-takes", status_code=201)
def practise(stack_id: int, entry: PracticeEntry) -> TakeView:
    """Let the worker shoot the ladder over a simulated specimen."""
    return takes.begin_take(stack_id, entry.scene)


@router.post("/stacks/{stack_id}/takes", status_code=201)
def begin_files(stack_id: int) -> TakeView:
    """Open a take for own files."""
    return shoot.begin_files(stack_id)


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
