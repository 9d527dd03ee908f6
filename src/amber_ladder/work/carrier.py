"""The station's side of work on other machines: it brings originals, fetches results, and takes back what is left."""

import logging
import time
from dataclasses import dataclass, field
from math import inf
from pathlib import Path

from amber_ladder.errors import AmberLadderError, DatabaseAway, NotFound, TakenOver
from amber_ladder.settings import settings
from amber_ladder.store import queue, stacks, tasks, workers
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore, sha256_of
from amber_ladder.store.models import Task
from amber_ladder.store.shared_store import SharedStore, original_place
from amber_ladder.work import merge
from amber_ladder.work.holding import held_until
from amber_ladder.work.merge import elsewhere
from amber_ladder.work.presence import THERE_S

GONE_S = 30.0
"""One that has not for so long is gone: what it had in hand goes to another."""
_LOOK_AGAIN_S = 5.0
_TELLING = 60  # characters of what went wrong: later ones say how long it took

log = logging.getLogger(__name__)


@dataclass(slots=True)
class Carrier:
    """Looks around once with each ``round``; the station's worker calls it, every second or so."""

    url: str
    _store: SharedStore | None = None
    _brought: set[str] = field(default_factory=set)
    _looked_at: dict[int, float] = field(default_factory=dict)
    _watching_since: float | None = None
    _trouble: str = ""

    def round(self) -> None:
        """Do what there is to do. No trouble ends it: the next round tries again, and what is told is told once."""
        try:
            self._store = self._store or SharedStore(self.url)
            self._fetch(self._store)
            self._take_back()
            self._bring(self._store)
            self._trouble = ""
        except DatabaseAway:
            self._watching_since = None  # nobody could show up meanwhile
        except Exception as error:
            trouble = str(error)[:_TELLING]
            if trouble != self._trouble:
                log.warning("%s", error, exc_info=not isinstance(error, AmberLadderError | OSError))
            self._trouble = trouble

    def _fetch(self, shared: SharedStore) -> None:
        with transaction() as session:
            waiting = [(one.id, one.attempt, one.handed_over, one.stop_requested) for one in tasks.handed_over(session)]
        for task_id, attempt, handed, stopped in waiting:
            assert handed is not None, "asked for"
            try:
                finish = None if stopped else elsewhere.receive(shared, task_id, handed)
                with transaction() as session:
                    task = tasks.held(session, task_id, attempt)
                    if finish:
                        finish(session)
                    tasks.end(session, task, *(("done",) if finish else ("stopped", "stopped by hand")))
            except (NotFound, TakenOver) as error:
                log.warning("task %s: %s; it is done anew", task_id, error)
                self._again([task_id])
                continue
            log.info("task %s: fetched from %s", task_id, handed["place"])
            elsewhere.forget(shared, handed)

    def _take_back(self) -> None:
        """After the database was away, workers are given the time to show up again."""
        with transaction() as session:
            gone = [one.id for one in workers.abandoned(session, GONE_S)]
        if self._watching_since is None:
            self._watching_since = time.monotonic()
        if gone and time.monotonic() - self._watching_since > GONE_S:
            log.warning("tasks %s: their worker is gone; they are done anew", gone)
            self._again(gone)

    def _again(self, task_ids: list[int]) -> None:
        for task_id in task_ids:
            with transaction() as session:
                task = stacks.get_task(session, task_id, locked=True)
                if task.state in tasks.ENDED:
                    continue
                tasks.abandon(session, task)
                queue.forget(session, task_id)
                not_before = held_until(session)
            queue.enqueue(task_id, where=queue.ANYWHERE, not_before=not_before)

    def _bring(self, shared: SharedStore) -> None:
        """Bring what workers elsewhere need, and will need next."""
        with transaction() as session:
            there = len(workers.elsewhere(session, THERE_S))
            needed = self._needed(session, there) if there else {}
        store = FrameStore(settings().data)
        for task_id, originals in needed.items():
            missed = time.monotonic() - self._looked_at.get(task_id, -inf) > _LOOK_AGAIN_S
            for sha256, suffix in originals:
                place = original_place(sha256, suffix)
                if place in self._brought and not missed:
                    continue
                if not shared.has(place):
                    try:
                        shared.put(place, self._sound(store, sha256, suffix))
                    except NotFound as error:
                        self._fail(task_id, str(error))
                        break
                self._brought.add(place)
            if missed:
                self._looked_at[task_id] = time.monotonic()
        self._looked_at = {one: at for one, at in self._looked_at.items() if one in needed}

    def _needed(self, session: Session, there: int) -> dict[int, list[tuple[str, str]]]:
        """Originals by task: of what is in hand elsewhere and still fetched, and of what will be taken next."""
        open_tasks = [stacks.get_task(session, one) for one in tasks.unfinished(session)]
        fetching = [one for one in open_tasks if _is_elsewhere(one) and one.phase in ("", "fetch")]
        turns = queue.turns(session)
        waiting = {one.id: one for one in open_tasks if one.kind == merge.MERGING.kind and one.state == "waiting"}
        coming = [waiting[one] for one in turns if one in waiting][: there + 1]
        return {one.id: elsewhere.originals_of(session, one.id) for one in [*fetching, *coming]}

    def _sound(self, store: FrameStore, sha256: str, suffix: str) -> Path:
        path = store.original(sha256, suffix)
        if sha256_of(path) != sha256:
            raise NotFound(f"the original {sha256[:12]}… is damaged: run ./ladder doctor")
        return path

    def _fail(self, task_id: int, why: str) -> None:
        with transaction() as session:
            task = stacks.get_task(session, task_id)
            if _is_elsewhere(task):
                tasks.end(session, task, "failed", why)


def _is_elsewhere(task: Task) -> bool:
    return task.worker not in (None, workers.STATION) and task.state not in tasks.ENDED
