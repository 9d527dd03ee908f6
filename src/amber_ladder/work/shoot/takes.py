"""What is written down of takes that are being shot: that one begins, its frames, how far it is, how it ended."""

from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal

from amber_ladder.errors import Conflict
from amber_ladder.store import stacks, tasks
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Take, Task
from amber_ladder.work.holding import after_run
from amber_ladder.work.journal import did
from amber_ladder.work.patience import patiently
from amber_ladder.work.plan.cautions import unread_cautions
from amber_ladder.work.shoot.folder_camera import names_in
from amber_ladder.work.shoot.incoming import PATIENCE_S, PATIENCE_TO_END_S, keep_frame
from amber_ladder.work.shoot.orders import BurstEntry
from amber_ladder.work.shoot.preflight import was_lately
from amber_ladder.work.shoot.run import Taken
from amber_ladder.work.shoot.take_ladder import TakeLadder
from amber_ladder.work.stack.views import TakeView, take_view


def add_run(
    stack_id: int,
    ladder: TakeLadder,
    *,
    scene: str | None,
    devices: dict[str, Any],
    folder: Path | None = None,
    simulated: bool = False,
    then_tiles: list[str] | None = None,
    by_key: bool = False,
) -> int:
    """Begin a take of this ladder, with what it takes over from another; returns its number. Raises Conflict.

    ``devices`` is how the bench is configured: it stands in the record. With a ``folder`` its frames are what comes
    there from now on, each for the rung whose turn it is; ``simulated`` says that a simulated hand turns the knob.
    ``by_key`` says that frames come later: what is written down is which rungs were shot, in turn.
    ``then_tiles`` is what was confirmed on the list, where the tiles after it are shot with the same.
    """
    there = names_in(folder) if folder else set()
    told = {"folder": str(folder), "there": sorted(there), "simulated": simulated} if folder else {}
    if by_key:
        told["pressed"] = []
    if then_tiles is not None:
        told["then_tiles"] = then_tiles
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        stacks.refuse_while_shot(stack)
        read_at = now().isoformat(timespec="seconds")
        read = [{"key": one.key, "title": one.title, "read_at": read_at} for one in unread_cautions(stack)]
        stack.cautions_read = [*stack.cautions_read, *read]
        task = Task(kind=tasks.RUN, stack_id=stack_id, total=len(ladder.positions_um))
        take = Take(source="bench", scene=scene, task=task, run={**ladder.as_json(), **told}, devices=devices)
        stacks.add_take(session, stack, take)
        for rung, frame_id in ladder.taken_over:
            stacks.take_over(session, take, frame_id, rung=rung, planned_um=ladder.positions_um[rung])
        if folder and ladder.taken_over:
            session.flush()
            session.refresh(take)
            # What an earlier take shot is none of this one's own frames.
            take.run = {**(take.run or {}), "there": sorted({*there, *(frame.name for frame in take.frames)})}
        did(session, f"take {take.number} of stack {stack.number} begun at the bench", stack)
        tasks.announce(session, task)
        return take.id


def add_burst(stack_id: int, entry: BurstEntry, folder: Path, *, devices: dict[str, Any]) -> int:
    """Begin a take of what comes into a folder from now on; returns its number. Raises NotFound, Conflict, BadInput."""
    there = sorted(names_in(folder))
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        stacks.refuse_while_shot(stack)
        task = Task(kind=tasks.RUN, stack_id=stack_id)
        run = {**entry.model_dump(), "folder": str(folder), "there": there, "began": now().isoformat()}
        take = Take(source="folder", task=task, run=run, devices=devices)
        stacks.add_take(session, stack, take)
        did(session, f"take {take.number} of stack {stack.number} begun by hand", stack)
        tasks.announce(session, task)
        return take.id


def keep_taken(store: FrameStore, take_id: int, taken: Taken) -> None:
    """Keep a frame that a run has taken. Raises StorageFull, DatabaseAway."""
    exposure = taken.exposure
    received = store.receive([exposure.content])
    try:
        keep_frame(
            store, take_id, received, taken.shot,
            suffix=exposure.suffix, captured_at=exposure.captured_at, faults=taken.faults,
        )  # fmt: skip
    finally:
        store.drop(received)


def can_go_on(take_id: int) -> tuple[int, Literal["run", "burst", "turn", "key"]]:
    """The stack of a take that was cut off, and how it is shot: by the rail, by hand, its rungs in turn, or by key.

    Raises Conflict for one that is over.
    """
    with transaction() as session:
        take = stacks.get_take(session, take_id)
        if not take.run or take.complete or take.task is None or take.task.kind != tasks.RUN:
            raise Conflict("this take is over: shoot what is missing as a new take beside it")
        if take.source == "folder":
            return take.stack_id, "burst"
        if "pressed" in take.run:
            return take.stack_id, "key"
        return take.stack_id, "turn" if "folder" in take.run else "run"


def goes_on(take_id: int, devices: dict[str, Any] | None) -> None:
    """Note that a take that was cut off is being shot again, and with which devices where they are others now.

    A take from the folder, with None, keeps that which it began with.
    """
    with transaction() as session:
        take = stacks.get_take(session, take_id)
        task, before = take.task, take.devices
        if before and devices and devices != (before.get("later") or [before])[-1]:
            take.devices = {**before, "later": [*before.get("later", []), devices]}
        if task:
            task.state, task.message, task.ended_at = "running", "", None
            tasks.announce(session, task)


def started(take_id: int, start: Callable[[], None]) -> TakeView:
    """Start what was written down as begun; a start that fails is written down as the end. Raises what it raises."""
    try:
        start()
    except BaseException as error:
        with transaction() as session:
            task_id = stacks.get_take(session, take_id).task_id
        end_take(task_id or 0, take_id, "failed", str(error))
        raise
    with transaction() as session:
        return take_view(stacks.get_take(session, take_id))


def report(task_id: int, done: int, total: int, seconds_left: float | None) -> None:
    """Note how far it is."""

    def write() -> None:
        with transaction() as session:
            task = stacks.get_task(session, task_id)
            tasks.set_progress(session, task, phase="shoot", done=done, total=total, seconds_left=seconds_left)

    patiently(write, patience_s=PATIENCE_S)


def end_take(task_id: int, take_id: int, state: str, message: str) -> None:
    """Note how it ended. A take that failed stays open: it can go on; any other is complete from two frames on."""

    def write() -> None:
        with transaction() as session:
            take = stacks.get_take(session, take_id)
            if state != "failed":
                take.complete = sum(frame.left_out is None for frame in take.frames) >= 2
            tasks.end(session, stacks.get_task(session, task_id), state, message)
            after_run(session)

    patiently(write, patience_s=PATIENCE_TO_END_S, for_room=True)


def cut_off() -> list[tuple[int, int, bool]]:
    """Takes that were being shot when the server ended: task, take, and whether that was only lately."""
    with transaction() as session:
        found = []
        for task_id in tasks.unfinished(session, of_bench=True):
            take = stacks.take_of(session, stacks.get_task(session, task_id))
            found.append((task_id, take.id, was_lately(take)))
        return found
