"""Long work as the worker does it: progress, stop, resume, and an honest end."""

import logging
import time
from collections.abc import Mapping

from amber_ladder.errors import AmberLadderError, DatabaseAway, Stopped, storage_trouble
from amber_ladder.logs import about
from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import transaction
from amber_ladder.work.merge.merges import MERGING
from amber_ladder.work.patience import patiently
from amber_ladder.work.practice.takes import PRACTISING
from amber_ladder.work.rigs.ramps import CALIBRATING
from amber_ladder.work.shoot import RUNNING
from amber_ladder.work.stack.views import TaskView, task_view

LONG_WORK = {work.kind: work for work in (RUNNING, PRACTISING, MERGING, CALIBRATING)}
"""All there is. A stage that does long work declares it beside its use case, and is named here."""
_REPORT_EVERY_S = 0.2

log = logging.getLogger(__name__)


def run(task_id: int) -> None:
    """Do one task to its end, whatever that is; while the database is away, wait for it."""
    kind = patiently(lambda: _kind_of_unfinished(task_id))
    if kind is None:
        return
    with about(f"task {task_id}, {kind}"):
        log.info("begins")
        # Nothing half-done is kept: when the database was away in between, the work is done anew.
        patiently(lambda: _do(task_id, kind))


def _kind_of_unfinished(task_id: int) -> str | None:
    with transaction() as session:
        task = stacks.get_task(session, task_id)
        return None if task.state in tasks.ENDED else task.kind


def _do(task_id: int, kind: str) -> None:
    try:
        work = LONG_WORK[kind]
        assert work.by_worker is not None, f"{kind} is not the worker's"
        work.by_worker(task_id, _Reporter(task_id, work.phases))
    except Stopped:
        _end(task_id, "stopped", "stopped by hand")
    except DatabaseAway:
        log.warning("the database does not answer: this waits until it does")
        raise
    except AmberLadderError as error:
        _end(task_id, "failed", str(error))
    except OSError as error:
        log.exception("failed")
        _end(task_id, "failed", storage_trouble(error) or f"our fault: {error}. Nothing was lost; try again.")
    except Exception as error:
        log.exception("failed")
        _end(task_id, "failed", f"our fault: {type(error).__name__}: {error}. Nothing was lost; try again.")
    else:
        _end(task_id, "done")


def stop(task_id: int) -> TaskView:
    """Ask a task to stop; one that has not begun is stopped at once. Raises NotFound."""
    with transaction() as session:
        task = stacks.get_task(session, task_id)
        by_itself = LONG_WORK[task.kind].stop
        if by_itself is None and task.state == "waiting":
            tasks.end(session, task, "stopped", "stopped before it began")
        elif task.state == "running":
            task.stop_requested = True
        view = task_view(task)
    if by_itself:
        by_itself(task_id)
        with transaction() as session:
            view = task_view(stacks.get_task(session, task_id))
    return view


def unfinished() -> list[int]:
    """Tasks that are not over."""
    with transaction() as session:
        return tasks.unfinished(session)


def _end(task_id: int, state: str, message: str = "") -> None:
    def write() -> None:
        with transaction() as session:
            tasks.end(session, stacks.get_task(session, task_id), state, message)

    log.info("%s", state)
    patiently(write, for_room=True)


class _Reporter:
    """Writes progress down a few times a second, reckons the time left, and stops when asked to."""

    def __init__(self, task_id: int, shares: Mapping[str, tuple[float, float]]) -> None:
        self._task_id = task_id
        self._shares = shares
        self._started = time.monotonic()
        self._start_share: float | None = None
        self._last = 0.0
        self._phase = ""

    def __call__(self, phase: str, done: int, total: int) -> None:
        moment = time.monotonic()
        if phase == self._phase and done < total and moment - self._last < _REPORT_EVERY_S:
            return
        self._last, self._phase = moment, phase
        left = self._seconds_left(phase, done, total, moment)
        try:
            with transaction() as session:
                task = stacks.get_task(session, self._task_id)
                stop = tasks.set_progress(session, task, phase=phase, done=done, total=total, seconds_left=left)
        except DatabaseAway:
            return  # the work itself needs no database: it goes on, and reports again when it can
        if stop:
            raise Stopped("stopped by hand")

    def _seconds_left(self, phase: str, done: int, total: int, moment: float) -> float | None:
        start, width = self._shares[phase]
        share = start + width * done / max(total, 1)
        if self._start_share is None:
            self._start_share = share  # work taken up again does not begin at nothing
        covered = share - self._start_share
        if covered < 0.03:
            return None
        return (moment - self._started) / covered * (1.0 - share)
