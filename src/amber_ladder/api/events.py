"""Long work: the queue, and live progress as server-sent events from the database's notices."""

from collections.abc import AsyncIterator

from fastapi import APIRouter, Request
from fastapi.responses import StreamingResponse

from amber_ladder.api.problems import RESPONSES
from amber_ladder.store.tasks import Notices
from amber_ladder.work import holding, waiting
from amber_ladder.work.presence import elsewhere_now
from amber_ladder.work.waiting import QueuedView

router = APIRouter(tags=["events"])
_QUIET_S = 10.0


@router.get("/queue", responses=RESPONSES)
def queue() -> list[QueuedView]:
    """Long work, in the order in which it will be taken up."""
    return waiting.waiting()


@router.put("/queue/order", responses=RESPONSES)
def order(entry: waiting.OrderEntry) -> list[QueuedView]:
    """Take work up in another order."""
    return waiting.order(entry)


@router.get("/queue/hold", responses=RESPONSES)
def held() -> holding.HoldView | None:
    """Whether merges wait, and for what."""
    return holding.held()


@router.put("/queue/hold", responses=RESPONSES)
def hold(entry: holding.HoldEntry) -> holding.HoldView:
    """Let merges wait."""
    return holding.hold(entry)


@router.delete("/queue/hold", status_code=204, responses=RESPONSES)
def let_go() -> None:
    """Let merges go on."""
    holding.let_go()


@router.get("/workers", responses=RESPONSES)
def workers() -> list[str]:
    """The workers on other machines that are there, by name."""
    return elsewhere_now()


@router.get("/events", response_class=StreamingResponse)
async def events(request: Request) -> StreamingResponse:
    """Tasks, frames and the bench as they change; a comment now and then keeps the line open.

    The first event is ``listening``: what happened before it is told to nobody.
    """

    notices: Notices = request.app.state.notices

    async def lines() -> AsyncIterator[str]:
        yield "retry: 1500\n\n"
        quiet = "event: listening\ndata: {}\n\n"
        async for payload in notices.read(_QUIET_S):
            if await request.is_disconnected():
                return
            event, _, data = (payload or "").partition(" ")
            yield f"event: {event}\ndata: {data}\n\n" if payload else quiet
            quiet = ": still here\n\n"
        # When that ends the database is away: the browser connects again by itself until it is back.

    return StreamingResponse(lines(), media_type="text/event-stream", headers={"Cache-Control": "no-cache"})
