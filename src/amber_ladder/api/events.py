"""Live progress: server-sent events from the database's notices."""

from collections.abc import AsyncIterator

import psycopg
from fastapi import APIRouter, Request
from fastapi.responses import StreamingResponse

from amber_ladder.store.tasks import notices

router = APIRouter(tags=["events"])
_QUIET_S = 10.0


@router.get("/events", response_class=StreamingResponse)
async def events(request: Request) -> StreamingResponse:
    """Tasks, frames and the bench as they change; a comment now and then keeps the line open."""

    async def lines() -> AsyncIterator[str]:
        yield "retry: 1500\n\n"
        try:
            async for payload in notices(_QUIET_S):
                if await request.is_disconnected():
                    return
                event, _, data = (payload or "").partition(" ")
                yield f"event: {event}\ndata: {data}\n\n" if payload else ": still here\n\n"
        except psycopg.OperationalError:
            return  # the browser connects again by itself until the database is back

    return StreamingResponse(lines(), media_type="text/event-stream", headers={"Cache-Control": "no-cache"})
