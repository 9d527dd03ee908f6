"""Takes that the worker shoots on a simulated stand, in less time than a real one would need."""

from typing import Any

from amber_ladder.core.frames import Progress
from amber_ladder.errors import Stopped
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.settings import settings
from amber_ladder.simulated.clock import HurriedClock
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Take, Task
from amber_ladder.store.queue import AT_ONCE, enqueue
from amber_ladder.work.journal import did
from amber_ladder.work.long_work import LongWork
from amber_ladder.work.practice.stand import shoot_hurried, simulated_stand
from amber_ladder.work.shoot.run import Taken
from amber_ladder.work.shoot.setup import tile_on
from amber_ladder.work.shoot.take_ladder import TakeLadder, rungs_of
from amber_ladder.work.shoot.takes import keep_taken
from amber_ladder.work.stack.views import TakeView, stack_ladder, stack_plan, stack_rig, take_view

KIND = "practice"
_DEVICES: dict[str, Any] = {"rail": "simulated", "camera": "simulated", "folder": None, "flaws": []}


def begin_take(stack_id: int, scene: str, *, priority: int = AT_ONCE) -> TakeView:
    """Queue a take of a stack's ladder over a simulated specimen. Raises BadInput, NotFound, Conflict."""
    specimen_for(scene)
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        stacks.refuse_while_shot(stack)
        ladder, _ = stack_ladder(stack)
        task = Task(kind=KIND, stack_id=stack_id)
        run = TakeLadder(ladder.positions_um).as_json()
        take = Take(source="bench", scene=scene, task=task, run=run, devices=dict(_DEVICES))
        stacks.add_take(session, stack, take)
        did(session, f"take {take.number} of stack {stack.number} begun for practice", stack)
        tasks.announce(session, task)
        view = take_view(take)
    enqueue(view.task.id if view.task else 0, priority=priority)
    return view


def shoot_take(task_id: int, progress: Progress) -> None:
    """The worker's part. Taken up again, it goes on at the first missing rung; stopped, it closes what it has."""
    with transaction() as session:
        take = stacks.take_of(session, stacks.get_task(session, task_id))
        if take.run is None:  # begun by an earlier version, which went by the plan
            take.run = TakeLadder(stack_ladder(take.stack)[0].positions_um).as_json()
        take_id, scene, rungs = take.id, take.scene or "", rungs_of(take)
        rig, plan = stack_rig(take.stack), stack_plan(take.stack)
        # Each take of another specimen of its kind; the tiles of a set are tiles of one.
        tile = tile_on(take.stack)
        seed = take.stack.specimen_id * 1000 + (1 if tile else take.number)
    clock, store, total = HurriedClock(), FrameStore(settings().data), len(rungs.positions_um)
    stand = simulated_stand(
        RigJson.model_validate(rig), scene, near_um=plan.near_um, seed=seed, timing=plan.timing.to_core(), clock=clock,
        field_um=tile.by_hand_um(seed) if tile else (0.0, 0.0),
    )  # fmt: skip

    def keep(taken: Taken) -> None:
        keep_taken(store, take_id, taken)

    def told(done: int) -> None:
        progress("shoot", total - len(rungs.todo) + done, total)

    try:
        shoot_hurried(stand, rungs, clock, settle_s=plan.timing.settle_s, keep=keep, told=told)
    except Stopped:
        _close(take_id)
        raise
    _close(take_id)


def _close(take_id: int) -> None:
    with transaction() as session:
        take = stacks.get_take(session, take_id)
        take.complete = sum(frame.left_out is None for frame in take.frames) >= 2


PRACTISING = LongWork(KIND, {"shoot": (0.0, 1.0)}, by_worker=shoot_take)
