"""Long work: its state, its progress, the wish to stop it, and the notices that pages listen to."""

import asyncio
import json
from collections.abc import AsyncIterator
from contextlib import suppress
from typing import Any

import psycopg
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from amber_ladder.errors import TakenOver
from amber_ladder.settings import settings
from amber_ladder.store.base import CHANGING, now
from amber_ladder.store.models import Task

CHANNEL = "amber_ladder"
_MOST_WAITING = 2000
RUN = "run"
"""Kind of the tasks that the bench does itself; all others are the worker's."""
ENDED = ("done", "failed", "stopped")


def take_up(session: Session, task: Task, worker: str) -> int:
    """Let a worker have the work from now on; returns which attempt this is."""
    task.worker, task.attempt = worker, task.attempt + 1
    return task.attempt


def held(session: Session, task_id: int, attempt: int) -> Task:
    """The task, locked, for the one who has it in hand. Raises TakenOver when that is somebody else by now."""
    task = session.get(Task, task_id, with_for_update=CHANGING)
    if task is None or task.attempt != attempt or task.state in ENDED:
        raise TakenOver("somebody else has this in hand by now")
    return task


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
    task.handed_over = None
    session.flush()
    _notify(session, task)


def announce(session: Session, task: Task) -> None:
    """Tell listening pages of a new or changed task once the transaction commits."""
    _notify(session, task)


def unfinished(session: Session, *, of_bench: bool = False) -> list[int]:
    """Tasks that wait or were running, oldest first: the workers', or those of the bench."""
    whose = Task.kind == RUN if of_bench else Task.kind != RUN
    return list(session.scalars(select(Task.id).where(Task.state.not_in(ENDED), whose).order_by(Task.id)))


def handed_over(session: Session) -> list[Task]:
    """What workers elsewhere have finished, and the station has still to fetch."""
    return list(session.scalars(select(Task).where(Task.handed_over.is_not(None)).order_by(Task.id)))


def abandon(session: Session, task: Task) -> None:
    """Nobody has it in hand any more; it waits anew."""
    task.worker, task.attempt, task.handed_over = None, task.attempt + 1, None
    task.state, task.phase, task.done, task.seconds_left = "waiting", "", 0, None
    session.flush()
    _notify(session, task)


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
        "worker": task.worker,
    }


class Notices:
    """What is announced, for any number of readers over one connection to the database."""

    def __init__(self) -> None:
        self._readers = set[asyncio.Queue[str | None]]()
        self._listening: asyncio.Task[None] | None = None
        self._heard: asyncio.Future[None] | None = None

    async def read(self, quiet_s: float) -> AsyncIterator[str | None]:
        """Events as they are announced, a name and JSON each; None once listening has begun, and after silence.

        Ends when the database does, and for a reader who is too slow: both connect again and fetch what they missed.
        """
        queue = asyncio.Queue[str | None](_MOST_WAITING)
        self._readers.add(queue)
        try:
            if self._listening is None or self._listening.done():
                self._heard = asyncio.get_running_loop().create_future()
                self._listening = asyncio.create_task(self._listen(self._heard))
            assert self._heard is not None
            await asyncio.wait({self._heard, self._listening}, return_when=asyncio.FIRST_COMPLETED)
            if not self._heard.done():
                return
            yield None
            while queue in self._readers or not queue.empty():
                try:
                    words = await asyncio.wait_for(queue.get(), quiet_s)
                except TimeoutError:
                    yield None
                    continue
                if words is None:
                    return
                yield words
        finally:
            self._readers.discard(queue)
            if not self._readers and self._listening is not None:
                self._listening.cancel()
                self._listening = None

    async def _listen(self, heard: asyncio.Future[None]) -> None:
        try:
            url = settings().database_url
            async with await psycopg.AsyncConnection.connect(url, autocommit=True, connect_timeout=3) as connection:
                await connection.execute(f"listen {CHANNEL}")
                heard.set_result(None)
                async for notice in connection.notifies():
                    self._pass_on(notice.payload)
        except psycopg.OperationalError:
            pass  # readers end, and come again
        finally:
            readers, self._readers = self._readers, set()
            for queue in readers:
                with suppress(asyncio.QueueFull):
                    queue.put_nowait(None)

    def _pass_on(self, words: str) -> None:
        for queue in list(self._readers):
            try:
                queue.put_nowait(words)
            except asyncio.QueueFull:
                self._readers.discard(queue)
