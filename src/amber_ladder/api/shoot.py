"""Shoot."""

from dataclasses import dataclass
from tempfile import SpooledTemporaryFile

from fastapi import APIRouter, Request
from fastapi.concurrency import run_in_threadpool

from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import shoot, tasks
from amber_ladder.work.views import FrameView, TakeView, TaskView

_CHUNK = 1 << 20
_IN_MEMORY = 64 << 20

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


@router.put(
    "/takes/{take_id}/frames/{name}",
    status_code=201,
    openapi_extra={
        "requestBody": {"content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}}
    },
)
async def add_file(take_id: int, name: str, request: Request) -> FrameView:
    """Store one original; the body is the file."""
    # Spooled first: a slow or broken sender must not hold a thread, and memory stays small.
    with SpooledTemporaryFile(max_size=_IN_MEMORY) as spool:
        async for chunk in request.stream():
            await run_in_threadpool(spool.write, chunk)
        spool.seek(0)
        return await run_in_threadpool(shoot.add_file, take_id, name, iter(lambda: spool.read(_CHUNK), b""))


@router.post("/takes/{take_id}/finish")
def finish_take(take_id: int) -> TakeView:
    """Close a take of own files."""
    return shoot.finish_take(take_id)


@router.post("/tasks/{task_id}/stop")
def stop(task_id: int) -> TaskView:
    """Stop long work."""
    return tasks.stop(task_id)
