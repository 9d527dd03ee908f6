"""One worker for one database."""

import asyncio
import logging
from datetime import UTC, datetime

import psycopg
from procrastinate import App, PsycopgConnector, jobs

from amber_ladder.settings import settings
from amber_ladder.store.queue import AT_ONCE, QUEUE, RUN
from amber_ladder.work.tasks import run, unfinished

_ONLY_ONE = 7_340_211  # key of the advisory lock; any fixed number
_LOOK_EVERY_S = 1.0
log = logging.getLogger("amber_ladder.worker")


class _AnotherWorks(Exception):
    """Another worker holds the lock."""


async def main() -> int:
    """Take up what was left lying, then work until told to stop. Returns the exit code."""
    url = settings().database_url
    try:
        guard = await _locked_again(url)
    except _AnotherWorks:
        log.error("another worker serves this database already")
        return 3
    app = App(connector=PsycopgConnector(conninfo=url))
    app.task(name=RUN, queue=QUEUE)(run)
    async with app.open_async():
        await _take_up_again(app)
        # One at a time: a merge uses every core by itself.
        working = asyncio.create_task(
            app.run_worker_async(queues=[QUEUE], concurrency=1, delete_jobs="always", shutdown_graceful_timeout=2)
        )
        holding = asyncio.create_task(_hold(guard, url))
        done, rest = await asyncio.wait({working, holding}, return_when=asyncio.FIRST_COMPLETED)
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


async def _locked(url: str) -> psycopg.AsyncConnection:
    """A connection that holds the lock of the one worker. Raises _AnotherWorks."""
    guard = await psycopg.AsyncConnection.connect(url, autocommit=True, connect_timeout=3)
    row = await (await guard.execute("select pg_try_advisory_lock(%s)", [_ONLY_ONE])).fetchone()
    if row is None or not row[0]:
        await guard.close()
        raise _AnotherWorks
    return guard


async def _hold(guard: psycopg.AsyncConnection, url: str) -> None:
    """Keep the lock: it goes with its connection when the database is started anew, and is taken again then."""
    try:
        while True:
            await asyncio.sleep(_LOOK_EVERY_S)
            try:
                await guard.execute("select 1")
            except psycopg.OperationalError:
                await guard.close()
                guard = await _locked_again(url)
                log.info("the database was started anew: its lock is taken again")
    finally:
        await guard.close()


async def _locked_again(url: str) -> psycopg.AsyncConnection:
    """The same, as soon as the database answers."""
    while True:
        try:
            return await _locked(url)
        except psycopg.OperationalError:  # still away
            await asyncio.sleep(_LOOK_EVERY_S)


async def _take_up_again(app: App) -> None:
    """Queue anew what a killed worker left behind. Only one worker runs, so whatever is 'doing' is abandoned."""
    queued = set()
    for job in await app.job_manager.list_jobs_async(queue=QUEUE):
        if job.status == jobs.Status.DOING.value and job.id is not None:
            await app.job_manager.retry_job_by_id_async(job.id, retry_at=datetime.now(UTC))
        if job.status in (jobs.Status.DOING.value, jobs.Status.TODO.value):
            queued.add(job.task_kwargs.get("task_id"))
    for task_id in await asyncio.to_thread(unfinished):
        if task_id not in queued:
            await app.configure_task(RUN, queue=QUEUE, priority=AT_ONCE).defer_async(task_id=task_id)
