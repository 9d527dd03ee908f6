"""The bench: live view, rail, ends, light, runs."""

import asyncio
import json
import time
from collections.abc import AsyncIterator, Callable
from dataclasses import asdict
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import StreamingResponse
from pydantic_core import to_jsonable_python

from amber_ladder.api.problems import RESPONSES
from amber_ladder.work.practice.choices import FlawView, flaws
from amber_ladder.work.shoot import (
    BenchChange,
    BenchView,
    BurstEntry,
    ClaimEntry,
    FlashEntry,
    HoldView,
    LiveFrame,
    MoveEntry,
    PreflightItem,
    RunEntry,
    TurnOrder,
    station_bench,
)
from amber_ladder.work.shoot.orders import Hold, MeterEntry, NoteEntry, PlaceEntry, StageEntry, StageHere
from amber_ladder.work.shoot.views import MeteredView
from amber_ladder.work.stack.views import TakeView

router = APIRouter(tags=["bench"], responses=RESPONSES)
_LIVE_S = 1.0 / 15.0


def _own() -> None:
    station_bench().claim.check()


_OWN = [Depends(_own)]
"""Orders are given by whoever has the bench. Everybody may look, and everybody may stop."""
Share = Annotated[float, Query(ge=0, le=1)]


@router.get("/bench")
def see() -> BenchView:
    """The bench as it is now."""
    return station_bench().view()


@router.patch("/bench", dependencies=_OWN)
def change(entry: BenchChange) -> BenchView:
    """Change what stands on it."""
    return station_bench().change(entry)


@router.get("/bench/flaws")
def all_flaws() -> list[FlawView]:
    """The faults that can be switched on for practice."""
    return flaws()


@router.put("/bench/stack/{stack_id}")
def set_up(stack_id: int) -> BenchView:
    """Set it up for a stack. A page does so when it opens: that is no order yet, and claims nothing."""
    station_bench().claim.refuse_others()
    return station_bench().set_up(stack_id)


@router.post("/bench/connect", dependencies=_OWN)
def connect() -> BenchView:
    """Connect to the rail anew."""
    return station_bench().connect()


@router.post("/bench/move", dependencies=_OWN)
def move(entry: MoveEntry) -> BenchView:
    """Begin to move the rail."""
    return station_bench().move(entry)


@router.post("/bench/holds/{hold}", dependencies=_OWN)
def hold(hold: Hold) -> HoldView:
    """The key of a held move is still down: said a few times a second, or the move ends."""
    return station_bench().hold(hold)


@router.delete("/bench/holds/{hold}")
def release(hold: Hold) -> BenchView:
    """The key of a held move was let go."""
    return station_bench().release(hold)


@router.post("/bench/halt")
def halt() -> BenchView:
    """Stop at once whatever moves."""
    return station_bench().halt()


@router.post("/bench/ends", dependencies=_OWN)
def find_ends() -> BenchView:
    """Begin to look for the ends."""
    return station_bench().find_ends()


@router.post("/bench/flash", dependencies=_OWN)
def set_flash(entry: FlashEntry) -> BenchView:
    """Set the flash and its heads."""
    return _after(station_bench().light.set_flash, entry)


@router.post("/bench/test-frame", dependencies=_OWN)
def test_frame() -> BenchView:
    """Shoot a test frame and judge it."""
    return _after(station_bench().light.test_frame)


@router.post("/bench/test-frame/keep", dependencies=_OWN)
def keep_before() -> BenchView:
    """Keep the last test frame: the next one is compared with it."""
    return _after(station_bench().light.keep_before)


@router.post("/bench/room-frame", dependencies=_OWN)
def room_frame() -> BenchView:
    """Shoot with the flash off and judge the room's light."""
    return _after(station_bench().light.room_frame)


@router.post("/bench/heads", dependencies=_OWN)
def weigh_heads() -> BenchView:
    """Shoot with each head of the flash alone, and tell how they are balanced."""
    return _after(station_bench().light.weigh_heads)


@router.post("/bench/meter")
def metered(entry: MeterEntry) -> MeteredView:
    """What a flash meter's reading asks of the flash through this stack's rig."""
    return station_bench().light.metered(entry)


@router.put("/bench/place", dependencies=_OWN)
def mark_place(entry: PlaceEntry) -> BenchView:
    """Follow the light of a place in the live view; the best of another place is forgotten."""
    return _after(station_bench().light.mark, entry)


@router.delete("/bench/place", dependencies=_OWN)
def unmark_place() -> BenchView:
    """Follow no place any more."""
    return _after(station_bench().light.mark, None)


@router.put("/bench/place/note", dependencies=_OWN)
def note_best(entry: NoteEntry) -> BenchView:
    """Note where lamp, specimen or camera stood at the brightest."""
    return _after(station_bench().light.note_best, entry)


@router.get("/bench/light/{which}.jpg", response_class=Response)
def light_picture(which: Literal["last", "before", "best"]) -> Response:
    """The last test frame, the one kept before it, or the live view where the marked place was brightest."""
    return Response(
        station_bench().light.picture(which), media_type="image/jpeg", headers={"Cache-Control": "no-store"}
    )


@router.post("/bench/stage/move", dependencies=_OWN)
def move_stage(entry: StageEntry) -> BenchView:
    """Begin to move the stage, to the tile that is set up or by a distance; the focus goes to the near side first."""
    return _after(station_bench().stage.move, entry)


@router.post("/bench/stage/here", dependencies=_OWN)
def stage_is_here(entry: StageHere) -> BenchView:
    """Say what the field lies on where the stage stands: all tiles are placed from there."""
    return _after(station_bench().stage.here, entry)


@router.get("/stacks/{stack_id}/preflight")
def preflight(stack_id: int) -> list[PreflightItem]:
    """What must be so before a run."""
    return station_bench().preflight(stack_id)


@router.post("/stacks/{stack_id}/runs", status_code=201, dependencies=_OWN)
def begin_run(stack_id: int, entry: RunEntry) -> TakeView:
    """Begin a take and run its ladder."""
    return station_bench().begin_run(stack_id, entry)


@router.post("/stacks/{stack_id}/bursts", status_code=201, dependencies=_OWN)
def begin_burst(stack_id: int, entry: BurstEntry) -> TakeView:
    """Begin a take of what comes into the watched folder."""
    return station_bench().begin_burst(stack_id, entry)


@router.post("/takes/{take_id}/resume", dependencies=_OWN)
def resume(take_id: int) -> TakeView:
    """Go on with a run that was cut off."""
    return station_bench().resume(take_id)


@router.post("/bench/run/{order}")
def order(order: Literal["pause", "go-on", "stop-after-rung"]) -> BenchView:
    """Pause a run, go on, or end it after the rung."""
    if order == "go-on":
        station_bench().claim.check()
    return station_bench().stop_after_rung() if order == "stop-after-rung" else station_bench().pause(order == "pause")


@router.post("/bench/turn", dependencies=_OWN)
def turn(entry: TurnOrder) -> BenchView:
    """What a person at the knob says of the rungs: call one, read another, one was passed over or not turned to."""
    return station_bench().turn(entry)


@router.post("/bench/fire", dependencies=_OWN)
def fire() -> BenchView:
    """The rung that is called: the simulated camera exposes, or it was shot by a camera that keeps its frames."""
    return station_bench().fire()


@router.put("/bench/claim")
def take_over(entry: ClaimEntry) -> BenchView:
    """Take the bench, from somebody else with a word."""
    station_bench().claim.take_over(entry)
    return station_bench().view()


@router.post("/bench/claim/ask")
def ask_for_it() -> BenchView:
    """Ask the one who has it for the bench."""
    station_bench().claim.ask()
    return station_bench().view()


@router.delete("/bench/claim")
def give_up() -> BenchView:
    """Let others have the bench."""
    station_bench().claim.give_up()
    return station_bench().view()


@router.get("/takes/{take_id}/growing/{what}.jpg", response_class=Response)
def growing(take_id: int, what: Literal["picture", "depth"]) -> Response:
    """The growing picture of the take that is being shot."""
    return Response(
        station_bench().growing(take_id, what), media_type="image/jpeg", headers={"Cache-Control": "no-store"}
    )


@router.get("/bench/live", response_class=StreamingResponse)
async def live(request: Request, x: Share | None = None, y: Share | None = None) -> StreamingResponse:
    """Live view until the reader leaves: for each moment the lengths of four parts (big-endian, 4 bytes each), then

    the parts: figures as JSON, the field as JPEG, edges in focus as PNG, the loupe around (x, y) as JPEG.
    """
    loupe = (x, y) if x is not None and y is not None else None

    async def moments() -> AsyncIterator[bytes]:
        while not await request.is_disconnected():
            began = time.monotonic()
            yield _packed(await run_in_threadpool(station_bench().live_frame, loupe))
            await asyncio.sleep(max(0.0, _LIVE_S - (time.monotonic() - began)))

    return StreamingResponse(moments(), media_type="application/octet-stream", headers={"Cache-Control": "no-store"})


def _packed(frame: LiveFrame) -> bytes:
    figures = {
        "sharpness": frame.pictures.sharpness,
        "position_um": frame.position_um,
        "moving": frame.moving,
        "ready_in_s": frame.ready_in_s,
        "search": asdict(frame.search) if frame.search else None,
        "run": asdict(frame.run) if frame.run else None,
        "growth": asdict(frame.growth) if frame.growth else None,
        "place": to_jsonable_python(frame.pictures.place) if frame.pictures.place else None,
    }
    parts = (json.dumps(figures).encode(), frame.pictures.picture, frame.pictures.edges, frame.pictures.loupe)
    return b"".join(len(part).to_bytes(4, "big") for part in parts) + b"".join(parts)


def _after(order: Callable[..., None], *given: object) -> BenchView:
    order(*given)
    return station_bench().view()
