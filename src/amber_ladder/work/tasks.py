"""Long work as the worker does it: progress, stop, resume, and an honest end."""

import logging
import time
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from amber_ladder.core.frames import Progress
from amber_ladder.errors import (
    AmberLadderError,
    Collided,
    DatabaseAway,
    SharedStoreAway,
    Stopped,
    StorageFull,
    TakenOver,
    storage_trouble,
)
from amber_ladder.logs import about
from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import transaction
from amber_ladder.store.queue import AT_STATION, enqueue
from amber_ladder.store.workers import STATION
from amber_ladder.work.card.looking import LOOKING
from amber_ladder.work.long_work import Finish, LongWork
from amber_ladder.work.mend import MENDING, RACKING
from amber_ladder.work.merge import LAYING, MERGING
from amber_ladder.work.patience import patiently
from amber_ladder.work.practice.takes import PRACTISING
from amber_ladder.work.record import BRINGING, GOING_THROUGH, PACKING
from amber_ladder.work.rigs.ramps import CALIBRATING
from amber_ladder.work.shoot import RUNNING
from amber_ladder.work.stack.views import TaskView, task_view

LONG_WORK = {
    work.kind: work
    for work in (
        RUNNING,
        PRACTISING,
        MERGING,
        LAYING,
        CALIBRATING,
        LOOKING,
        RACKING,
        MENDING,
        PACKING,
        GOING_THROUGH,
        BRINGING,
    )
}
"""All there is. A stage that does long work declares it beside its use case, and is named here."""
_REPORT_EVERY_S = 0.2
_MOST_ATTEMPTS = 6
"""Taken up so often and never ended, a task takes the worker down with it: memory that is not there, a decoder that

dies. One that a worker elsewhere had in hand counts twice."""

log = logging.getLogger(__name__)


def run(task_id: int, worker: str = STATION) -> None:
    """Do one task to its end, whatever that is; while the database is away, wait for it."""
    taken = patiently(lambda: _take_up(task_id, worker))
    if taken is None:
        return
    kind, attempt = taken
    with about(f"task {task_id}, {kind}"):
        log.info("begins")
        # Nothing half-done is kept: when the database was away in between, the work is done anew.
        patiently(lambda: _do(_Hand(task_id, attempt), LONG_WORK[kind], worker))


@dataclass(frozen=True, slots=True)
class _Hand:
    """The one who has a task in hand."""

    task_id: int
    attempt: int


def _take_up(task_id: int, worker: str) -> tuple[str, int] | None:
    with transaction() as session:
        task = stacks.get_task(session, task_id)
        if task.state in tasks.ENDED:
            return None
        if task.attempt >= _MOST_ATTEMPTS:
            log.error("task %s, %s: given up after %s attempts", task_id, task.kind, task.attempt)
            tasks.end(
                session, task, "failed",
                "was begun again and again, and each time the worker ended in the midst of it: it may want more memory "
                "than there is (logs/worker.log says more). Nothing was lost; close what else runs, and try again.",
            )  # fmt: skip
            return None
        return task.kind, tasks.take_up(session, task, worker)


def _do(hand: _Hand, work: LongWork, worker: str) -> None:
    try:
        report = _Reporter(hand, work.phases)
        if worker == STATION:
            assert work.by_worker is not None, f"{work.kind} is not the worker's"
            finish = work.by_worker(hand.task_id, report)
            _end(hand, "done", finish=finish)
        else:
            _do_elsewhere(hand, work, report)
    except Stopped:
        _end(hand, "stopped", "stopped by hand")
    except TakenOver:
        log.warning("somebody else has this in hand by now: nothing is written")
    except (Collided, DatabaseAway):
        raise
    except AmberLadderError as error:
        _end(hand, "failed", str(error))
    except OSError as error:
        log.exception("failed")
        _end(hand, "failed", storage_trouble(error) or f"our fault: {error}. Nothing was lost; try again.")
    except Exception as error:
        log.exception("failed")
        _end(hand, "failed", f"our fault: {type(error).__name__}: {error}. Nothing was lost; try again.")


def _do_elsewhere(hand: _Hand, work: LongWork, report: Progress) -> None:
    """The same on another machine; trouble that only this one has gives the work back to the station."""
    assert work.elsewhere is not None, f"{work.kind} is the station's alone"
    try:
        made = work.elsewhere(hand.task_id, hand.attempt, report)
    except (OSError, StorageFull, SharedStoreAway) as error:
        log.warning("given back to the station: %s", error)
        patiently(lambda: _give_back(hand))
    else:
        patiently(lambda: _hand_over(hand, made), for_room=True)
        log.info("handed over")


def _hand_over(hand: _Hand, made: dict[str, Any]) -> None:
    with transaction() as session:
        tasks.held(session, hand.task_id, hand.attempt).handed_over = made


def _give_back(hand: _Hand) -> None:
    with transaction() as session:
        tasks.abandon(session, tasks.held(session, hand.task_id, hand.attempt))
    enqueue(hand.task_id, where=AT_STATION)


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


def _end(hand: _Hand, state: str, message: str = "", *, finish: Finish | None = None) -> None:
    def write() -> None:
        with transaction() as session:
            task = tasks.held(session, hand.task_id, hand.attempt)
            if finish:
                finish(session)
            tasks.end(session, task, state, message)

    try:
        patiently(write, for_room=True)
    except TakenOver:
        log.warning("somebody else has this in hand by now: nothing is written")
    else:
        log.info("%s", state)


class _Reporter:
    """Writes progress down a few times a second, reckons the time left, and stops when asked to."""

    def __init__(self, hand: _Hand, shares: Mapping[str, tuple[float, float]]) -> None:
        self._hand = hand
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
                task = tasks.held(session, self._hand.task_id, self._hand.attempt)
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
