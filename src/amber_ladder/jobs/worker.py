"""One worker: the station's own, which serves its database alone, or one on another machine."""

import asyncio
import logging
from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial
from zlib import crc32

import psycopg
from procrastinate import App, PsycopgConnector, jobs
from procrastinate.exceptions import ConnectorException

from amber_ladder.settings import settings
from amber_ladder.store.queue import ANYWHERE, AT_ONCE, AT_STATION, RUN
from amber_ladder.store.workers import STATION
from amber_ladder.work import presence
from amber_ladder.work.carrier import Carrier
from amber_ladder.work.patience import patiently
from amber_ladder.work.tasks import run

_ONLY_ONE = 7_340_211  # key of the advisory lock; any fixed number
_LOOK_EVERY_S = 1.0
_SHOW_UP_S = 3.0
log = logging.getLogger("amber_ladder.worker")


class _AnotherWorks(Exception):
    """Another worker of this name holds the lock."""


async def main(name: str = STATION, keep_bytes: int = 0) -> int:
    """Take up what was left lying, then work until told to stop. Returns the exit code.

    Elsewhere, so many bytes of originals are kept for the next merges.
    """
    url = settings().database_url
    try:
        guard = await _locked_again(url, name)
    except _AnotherWorks:
        log.error("another worker called %s serves this database already", name)
        return 3
    here = name == STATION
    does = partial(run, worker=name) if here else partial(_run_and_prune, worker=name, keep=keep_bytes)
    await asyncio.to_thread(patiently, lambda: presence.show_up(name))
    work = [_serve(url, name, does), _hold(guard, url, name), _carry() if here else _show_up(name)]
    running = {asyncio.create_task(one) for one in work}
    done, rest = await asyncio.wait(running, return_when=asyncio.FIRST_COMPLETED)
    for one in rest:
        one.cancel()
    await asyncio.gather(*rest, return_exceptions=True)
    for one in done:
        try:
            one.result()
        except _AnotherWorks:
            log.error("the lock was lost with the database, and another worker has it now")
            return 3
    return 0


async def _serve(url: str, name: str, does: Callable[..., None]) -> None:
    """Do what is queued; where the queue cannot be reached for a while, go on as soon as it can."""
    queues = [AT_STATION, ANYWHERE] if name == STATION else [ANYWHERE]
    while True:
        app = App(connector=PsycopgConnector(conninfo=url))
        app.task(name=RUN)(does)
        try:
            async with app.open_async():
                await _take_up_again(app, name)
                # One at a time: a merge uses every core by itself.
                await app.run_worker_async(
                    queues=queues, concurrency=1, delete_jobs="always", shutdown_graceful_timeout=2
                )
            return
        except (ConnectorException, psycopg.OperationalError) as error:
            log.warning("the queue cannot be reached; this is tried again until it can: %s", error.__cause__ or error)
            await asyncio.sleep(_LOOK_EVERY_S)


def _run_and_prune(task_id: int, worker: str, keep: int) -> None:
    run(task_id, worker)
    presence.prune(keep)


async def _show_up(name: str) -> None:
    """Let the station see that this worker is there."""
    while True:
        await asyncio.sleep(_SHOW_UP_S)
        await asyncio.to_thread(patiently, lambda: presence.show_up(name))


async def _carry() -> None:
    """Serve the workers elsewhere, where a shared store is set."""
    if not settings().shared:
        await asyncio.Event().wait()
    carrier = Carrier(settings().shared)
    while True:
        await asyncio.sleep(_LOOK_EVERY_S)
        await asyncio.to_thread(carrier.round)


async def _locked(url: str, name: str) -> psycopg.AsyncConnection:
    """A connection that holds the lock of the one worker of this name. Raises _AnotherWorks."""
    guard = await psycopg.AsyncConnection.connect(url, autocommit=True, connect_timeout=3)
    which = crc32(name.encode()) - 2**31
    row = await (await guard.execute("select pg_try_advisory_lock(%s, %s)", [_ONLY_ONE, which])).fetchone()
    if row is None or not row[0]:
        await guard.close()
        raise _AnotherWorks
    return guard


async def _hold(guard: psycopg.AsyncConnection, url: str, name: str) -> None:
    """Keep the lock: it goes with its connection when the database is started anew, and is taken again then."""
    try:
        while True:
            await asyncio.sleep(_LOOK_EVERY_S)
            try:
                await guard.execute("select 1")
            except psycopg.OperationalError:
                await guard.close()
                guard = await _locked_again(url, name)
                log.info("the database was started anew: its lock is taken again")
    finally:
        await guard.close()


async def _locked_again(url: str, name: str) -> psycopg.AsyncConnection:
    """The same, as soon as the database answers."""
    while True:
        try:
            return await _locked(url, name)
        except psycopg.OperationalError:  # still away
            await asyncio.sleep(_LOOK_EVERY_S)


async def _take_up_again(app: App, name: str) -> None:
    """Queue anew what a killed worker of this name left behind: whatever it was 'doing' is abandoned."""
    in_hand, nobodys = await asyncio.to_thread(patiently, lambda: presence.left_by(name))
    queued = set()
    for job in await app.job_manager.list_jobs_async():
        task_id = job.task_kwargs.get("task_id")
        if job.status == jobs.Status.DOING.value and job.id is not None and task_id in in_hand:
            await app.job_manager.retry_job_by_id_async(job.id, retry_at=datetime.now(UTC))
        if job.status in (jobs.Status.DOING.value, jobs.Status.TODO.value):
            queued.add(task_id)
    for task_id in nobodys:
        if task_id not in queued:
            await app.configure_task(RUN, queue=AT_STATION, priority=AT_ONCE).defer_async(task_id=task_id)
