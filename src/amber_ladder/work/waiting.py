"""The queue of long work: what runs, what waits behind it, and how long that will take."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from math import inf
from statistics import median
from typing import Annotated

from pydantic import Field

from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import queue, stacks, tasks, workers
from amber_ladder.store.base import now
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.models import Product, Task
from amber_ladder.work.presence import THERE_S
from amber_ladder.work.stack.views import TaskView, task_view

_NO_TIME_S = 1e9  # what waits until somebody lets it go has a moment in the far future
RECENT = 60
"""Merges from which it is told how long one takes."""


class OrderEntry(Strict):
    """Tasks, in the order in which they shall be taken up."""

    task_ids: Annotated[list[int], Field(max_length=1000)]


@dataclass(frozen=True, slots=True)
class QueuedView:
    """A piece of long work in the queue: ``what`` is worked on, and for a merge its way and number.

    ``elsewhere`` names the machine that does it where that is not the station.

    ``held`` is a merge that is held back. ``begins_in_s`` is about how long until it begins, 0 where it runs;
    ``takes_s`` how long it still takes then. Both are None where nothing of the kind was ever done here.
    """

    task: TaskView
    stack_id: int | None
    what: str
    method: str | None
    number: int | None
    elsewhere: str | None
    held: bool
    begins_in_s: float | None
    takes_s: float | None


def waiting() -> list[QueuedView]:
    """The workers' work, in the order in which it will be taken up."""
    with transaction(steady=True) as session:
        return list(in_turn(session))


def order(entry: OrderEntry) -> list[QueuedView]:
    """Take these up first, in this order. What began meanwhile is passed over."""
    with transaction() as session:
        queue.put_in_order(session, entry.task_ids)
        tasks.tell(session, "deed", {"id": None})  # other windows show it too
        return list(in_turn(session))


def in_turn(session: Session) -> Iterator[QueuedView]:
    """The same, within a transaction."""
    open_tasks = {number: stacks.get_task(session, number) for number in tasks.unfinished(session)}
    turn = {number: place for place, number in enumerate(queue.turns(session))}
    wait_s = {number: _seconds_until(moment) for number, moment in queue.held_back(session).items()}
    usual = paces(session)
    free = dict.fromkeys((workers.STATION, *workers.elsewhere(session, THERE_S)), 0.0)
    # What is in no queue any more has been taken from it.
    for number in sorted(
        open_tasks, key=lambda one: (open_tasks[one].state != "running", one in wait_s, turn.get(one, -1), one)
    ):
        task = open_tasks[number]
        product = stacks.product_made_by(session, task)
        left_s = task.seconds_left
        if left_s is None and product is not None:
            left_s = _usual_s(product, usual)
        is_merge = task.kind == "merge"
        of_merge = product is not None and product.kind == "merge"
        method, run = (product.settings["method"], product.number) if product and of_merge else (None, None)
        what = _what(task, product)
        away, begins_s = None, 0.0
        if task.state == "running":
            worker = task.worker or workers.STATION
            away = None if worker == workers.STATION else worker
        else:
            # Whoever is free first takes a merge; all else is for the station alone.
            worker = min(free, key=lambda one: free[one]) if is_merge else workers.STATION
            begins_s = max(free[worker], wait_s.get(number, 0.0))
        if worker in free:  # one that does not show up any more takes nothing else
            free[worker] = begins_s + (inf if left_s is None else left_s)
        known_s = begins_s if begins_s < inf else None
        yield QueuedView(task_view(task), task.stack_id, what, method, run, away, number in wait_s, known_s, left_s)


def paces(session: Session) -> dict[str, float]:
    """Seconds a megapixel of a frame that the latest merges took, by the way to merge; empty before the first."""
    seen: dict[str, list[float]] = {}
    for merge in stacks.latest_products(session, "merge", RECENT):
        size = _megapixels(merge)
        if merge.report and size:
            seen.setdefault(merge.report["method"], []).append(merge.report["seconds"] / size)
    return {method: median(each) for method, each in seen.items()}


def _seconds_until(moment: datetime) -> float:
    left_s = (moment - now()).total_seconds()
    return left_s if left_s < _NO_TIME_S else inf


def _usual_s(product: Product, usual: dict[str, float]) -> float | None:
    pace = usual.get(product.settings.get("method", ""))
    return None if pace is None else pace * _megapixels(product)


def _megapixels(product: Product) -> float:
    frames = product.take.frames
    return 1e-6 * sum(frame.width_px * frame.height_px for frame in frames)


def _what(task: Task, product: Product | None) -> str:
    if product is None:
        return {
            "practice": "shooting over a simulated specimen",
            "calibrate": "a calibration",
            "try package": "going through a package that came",
            "bring package": "bringing a package in",
            "card": "looking at a card",
        }.get(task.kind, task.kind)
    stack = product.take.stack
    of = f"{stack.specimen.catalogue_number}, stack {stack.number}, take {product.take.number}"
    return {"rack": f"looking at the frames of {of}", "mend": f"writing a mend of {of}"}.get(product.kind, of)
