"""Long work: its state, its progress, the wish to stop it, and the notices that pages listen to."""

import json
from collections.abc import AsyncIterator
from typing import Any

import psycopg
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from amber_ladder.settings import settings
from amber_ladder.store.models import Task, now

CHANNEL = "amber_ladder"
RUN = "run"
"""Kind of the tasks that the bench does itself; all others are the worker's."""
ENDED = ("done", "failed", "stopped")


def set_progress(
    session: Session, task: Task, *, phase: str, done: int, total: int, seconds_left: float | None
) -> bool:
    """Note how far the work has come; returns whether it should stop."""
    task.state, task.phase, task.done, task.total, task.seconds_left = (
        "running",
        phase,
        done,
        total,
        seconds_left,
    )
    session.flush()
    _notify(session, task)
    return task.stop_requested


def end(session: Session, task: Task, state: str, message: str = "") -> None:
    """Note that the work is over: done, failed or stopped."""
    task.state, task.message, task.ended_at, task.seconds_left = state, message[:2000], now(), None
    session.flush()
    _notify(session, task)


def announce(session: Session, task: Task) -> None:
    """Tell listening pages of a new or changed task once the transaction commits."""
    _notify(session, task)


def unfinished(session: Session, *, of_bench: bool = False) -> list[int]:
    """Tasks that wait or were running, oldest first: the worker's, or those of the bench."""
    whose = Task.kind == RUN if of_bench else Task.kind != RUN
    return list(session.scalars(select(Task.id).where(Task.state.not_in(ENDED), whose).order_by(Task.id)))


def _notify(session: Session, task: Task) -> None:
    tell(session, "task", {"stack_id": task.stack_id, "task": as_json(task)})


def tell(session: Session, event: str, payload: dict[str, Any]) -> None:
    """Tell listening pages something once the transaction commits; at most 8000 bytes."""
    words = f"{event} {json.dumps(payload)}"
    session.execute(text("select pg_notify(:channel, :words)"), {"channel": CHANNEL, "words": words})


def as_json(task: Task) -> dict[str, Any]:
    """A task as the pages see it."""
    return {
        "id": task.id,
        "kind": task.kind,
        "state": task.state,
        "phase": task.phase,
        "done": task.done,
        "total": task.total,
        "seconds_left": task.seconds_left,
        "message": task.message[:1000],
    }


async def notices(quiet_s: float) -> AsyncIterator[str | None]:
    """Events as they are announced, a name and JSON each; None once listening has begun, and after silence.

    Ends with psycopg.OperationalError when the database does.
    """
    connection = await psycopg.AsyncConnection.connect(settings().database_url, autocommit=True, connect_timeout=3)
    async with connection:
        await connection.execute(f"listen {CHANNEL}")
        yield None
        while True:
            heard = False
            async for notice in connection.notifies(timeout=quiet_s, stop_after=1):
                heard = True
                yield notice.payload
            if not heard:
                yield None
