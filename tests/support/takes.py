"""Takes put together from frames whose truth is known, without a bench."""

from collections.abc import Mapping, Sequence
from functools import cache
from pathlib import Path
from shutil import copytree
from tempfile import TemporaryDirectory
from types import MappingProxyType
from typing import Any

from sqlalchemy.orm import Session

from amber_ladder import __version__
from amber_ladder.core.frames import no_progress
from amber_ladder.formats.plan_json import LadderRequestJson, PlanJson
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Frame, Product, Take, Task
from amber_ladder.work import cabinet, merge, plan, rigs, tasks
from amber_ladder.work.journal import did
from amber_ladder.work.merge import merges
from amber_ladder.work.merge.growth import learnt_growth
from amber_ladder.work.practice import takes
from amber_ladder.work.practice.render import render
from amber_ladder.work.shoot import own_frames
from amber_ladder.work.stack.scale import scale_of
from amber_ladder.work.stack.views import FrameView, MergeView, StackView, merge_view, stack_ladder, stack_rig
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.station import database, running, until

_NOTHING: Mapping[str, Any] = MappingProxyType({})


def new_stack(
    number: str, rig: Mapping[str, Any] = _NOTHING, specimen: Mapping[str, Any] = _NOTHING, **changes: Any
) -> StackView:
    """A stack whose specimen and rig are named after a number; ``changes`` are the plan's, ``rig`` those of the rig."""
    label = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": number, **specimen}))
    added = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": f"rig of {number}", **rig}))
    entry = plan.PlanEntry(rig_id=added.id, plan=LadderRequestJson(**{**PLAN, **changes}))
    return plan.save_ladder(label.id, entry)


@cache
def shot_stack(number: str = "SHOT-1") -> StackView:
    """A stack shot over a simulated moss capsule, once a test process; who adds takes names one of their own.

    Others than the first have the same frames: shooting them takes longer than most of what is tried with them.
    """
    database()
    stack = new_stack(number, far_um=700)
    first = _SHOT_FIRST[0] if _SHOT_FIRST else None
    if first is None or not _shot_again(stack, first):
        take = takes.begin_take(stack.id, "moss-capsule")
        assert take.task is not None
        have_done(take.task.id)
        _SHOT_FIRST[:] = [take.id]
    return plan.read_stack(stack.id)


_SHOT_FIRST: list[int] = []


def _shot_again(stack: StackView, take_id: int) -> bool:
    """Give a stack a take like this one, frame by frame; False if it is no more as it was shot."""
    store = FrameStore(settings().data)

    def as_it_was_shot(frame: Frame) -> bool:
        return not frame.left_out and store.place(frame.sha256, frame.suffix).exists()

    with transaction() as session:
        shot = session.get(Take, take_id)
        if not shot or shot.discard_id or shot.development or not all(map(as_it_was_shot, shot.frames)):
            return False
        stored = stacks.get_stack(session, stack.id)
        take = _like(shot, stack_id=None, task_id=None)
        take.task = _like(shot.task, stack_id=stack.id)
        stacks.add_take(session, stored, take)
        did(session, f"take {take.number} of stack {stored.number} begun for practice", stored)
        session.add_all([_like(one, take_id=take.id) for one in shot.frames])
    return True


def _like(row: Any, **instead: Any) -> Any:
    """A row of its own with the same in it."""
    return type(row)(**_told(row, *instead), **instead)


def _told(row: Any, *without: str) -> dict[str, Any]:
    """What a row holds, but for its number and when it was made."""
    return {name: getattr(row, name) for column in row.__table__.c if (name := column.key) not in _OWN | {*without}}


_OWN = {"id", "created_at"}


def flawed_stack(number: str, scene: str, *flaws: str, seed: int = 3, **changes: Any) -> StackView:
    """A stack of a person's own files, of a simulated specimen shot with these faults switched on."""
    database()
    stack = new_stack(number, **changes)
    wanted = PlanJson.model_validate({**stack.plan.model_dump(), "rig": stack.rig.model_dump()})
    with TemporaryDirectory(dir="/tmp") as scratch:
        out = Path(scratch, "frames")
        render(scene, wanted, out, no_progress, seed=seed, flaws=flaws)
        take = own_frames.begin_files(stack.id)
        for path in sorted(out.glob("*.jpg")):
            own_frames.add_file(take.id, path.name, iter([path.read_bytes()]))
    own_frames.finish_take(take.id)
    return plan.read_stack(stack.id)


def have_done(task_id: int) -> None:
    """Have a task done: by the worker where one runs (it has taken it up already), else here."""
    if running.cache_info().currsize:
        until(lambda: task_id not in tasks.unfinished(), f"task {task_id}")
    else:
        tasks.run(task_id)


def take_of(
    stack: StackView,
    frames: Sequence[FrameView],
    *,
    source: str = "bench",
    devices: dict[str, Any] | None = None,
    **unknown: Any,
) -> int:
    """A complete take of these frames in this order of arrival; ``unknown`` overrides what is known of each."""
    with transaction() as session:
        stored = stacks.get_stack(session, stack.id)
        run = {"positions_um": stack.ladder.positions_um} if source == "bench" else {}
        take = Take(source=source, complete=True, run=run, devices=devices)
        stacks.add_take(session, stored, take)
        for place, one in enumerate(frames):
            known = {
                "rung": one.rung,
                "planned_um": one.planned_um,
                "reported_um": one.reported_um,
                "bits": one.bits,
                **unknown,
            }
            session.add(
                Frame(
                    take_id=take.id, place=place, name=f"arrived_{place:03d}.jpg", sha256=one.sha256, suffix=".jpg",
                    bytes=one.bytes, width_px=one.width_px, height_px=one.height_px, **known,
                )
            )  # fmt: skip
        return take.id


def merged(take_id: int, method: str = "select") -> MergeView:
    """A finished merge of a take."""
    begun = merge.begin_merge(take_id, merge.MergeEntry(method=method))  # type: ignore[arg-type]
    with transaction() as session:
        stack_id = stacks.get_take(session, take_id).stack_id

    def now() -> MergeView:
        return next(m for t in plan.read_stack(stack_id).takes for m in t.merges if m.id == begun.id)

    have_done(begun.task.id)
    done = now()
    assert done.task.state == "done", done.task.message
    return done


def a_merge(take_id: int, method: str = "select") -> MergeView:
    """A finished merge of a take, where merging is not what is tried.

    The first of its kind in a test process is made. Others of the same frames on the same optics come to the same, to
    the byte, and have its files and its report.
    """
    with transaction() as session:
        take = stacks.get_take(session, take_id)
        kind = _all_that_counts(session, take, method)
        if kind in _MERGED:
            return _merged_again(session, take, method, *_MERGED[kind])
    done = merged(take_id, method)
    kept = Path(_KEPT.name, str(len(_MERGED)))
    copytree(folder_of(done), kept)
    with transaction() as session:
        _MERGED[kind] = kept, stacks.get_product(session, done.id, "merge").report or {}
    return done


_KEPT = TemporaryDirectory(dir="/tmp")
_MERGED: dict[str, tuple[Path, dict[str, Any]]] = {}


def _all_that_counts(session: Session, take: Take, method: str) -> str:
    """All that makes a merge of it what it becomes."""
    stack = take.stack
    frames = [_told(frame, "take_id") for frame in take.frames]
    grows = learnt_growth(stack, stacks.latest_on_rig(session, stack, 30))
    told = (take.source, take.run, take.devices, take.development, stack_rig(stack).to_core(), scale_of(stack), grows)
    return repr((method, frames, stack_ladder(stack)[0], told))


def _merged_again(session: Session, take: Take, method: str, files: Path, report: dict[str, Any]) -> MergeView:
    sorting = stacks.keep_sorting(session, take, merges._sorting(take))
    task = Task(kind=merges.KIND, stack_id=take.stack_id, state="done", ended_at=now())
    entry = merge.MergeEntry(method=method)  # type: ignore[arg-type]
    made = Product(kind=merges.KIND, sorting_id=sorting.id, settings=entry.model_dump(), task=task)
    stacks.add_product(session, take, made)
    did(session, f"merge {made.number} ({method}) of take {take.number} begun", take.stack)
    merges.keep_made(session, made.id, report, __version__)
    copytree(files, FrameStore(settings().data).product_folder(made.id))
    return merge_view(made)


def folder_of(done: MergeView) -> Any:
    """Where its files lie."""
    return FrameStore(settings().data).product_folder(done.id)
