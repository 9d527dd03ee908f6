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
log = logging.getLogger("amber_ladder.worker")


async def main() -> int:
    """Take up what was left lying, then work until told to stop. Returns the exit code."""
    url = settings().database_url
    async with await psycopg.AsyncConnection.connect(url, autocommit=True) as guard:
        row = await (await guard.execute("select pg_try_advisory_lock(%s)", [_ONLY_ONE])).fetchone()
        if row is None or not row[0]:
            log.error("another worker serves this database already")
            return 3
        app = App(connector=PsycopgConnector(conninfo=url))
        app.task(name=RUN, queue=QUEUE)(run)
        async with app.open_async():
            await _take_up_again(app)
            # One at a time: a merge uses every core by itself.
            await app.run_worker_async(queues=[QUEUE], concurrency=1, delete_jobs="always", shutdown_graceful_timeout=2)
    return 0


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
