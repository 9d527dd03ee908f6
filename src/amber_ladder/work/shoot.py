"""Shoot: run a ladder on the bench, or bring one's own frames."""

from collections.abc import Iterable, Sequence
from pathlib import PurePosixPath, PureWindowsPath
from typing import Literal

from amber_ladder.bench import Exposure
from amber_ladder.bench.simulated import SPECIMENS, SimulatedSpecimen, specimen_for
from amber_ladder.core.frames import Progress
from amber_ladder.errors import Conflict, UnreadablePicture
from amber_ladder.formats.pictures import SUFFIXES, PictureInfo, examine, natural_key, odd_ones_out
from amber_ladder.formats.plan_json import PlanJson
from amber_ladder.formats.rig_json import Strict
from amber_ladder.settings import settings
from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Frame, Take, Task
from amber_ladder.store.queue import AT_ONCE, enqueue
from amber_ladder.work.climbing import climb, simulated_bench
from amber_ladder.work.views import FrameView, TakeView, frame_view, stack_ladder, stack_plan, stack_rig, take_view

LONGEST_NAME = 200


class TakeEntry(Strict):
    """Where the frames of a take come from; on the simulated bench, which specimen lies there."""

    source: Literal["bench", "files"]
    scene: str | None = None


def scenes() -> list[SimulatedSpecimen]:
    """The specimens of the simulated bench."""
    return list(SPECIMENS.values())


def begin_take(stack_id: int, entry: TakeEntry, *, priority: int = AT_ONCE) -> TakeView:
    """Begin a take: the bench starts at once, files are waited for. Raises BadInput, NotFound, Conflict."""
    if entry.source == "bench":
        specimen_for(entry.scene or "")
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        if any(take.task and take.task.state in ("waiting", "running") for take in stack.takes):
            raise Conflict("this ladder is being shot already: wait for it or stop it first")
        task = Task(kind="shoot") if entry.source == "bench" else None
        take = Take(source=entry.source, scene=entry.scene if entry.source == "bench" else None, task=task)
        stacks.add_take(session, stack, take)
        if task:
            tasks.announce(session, task)
        take_id, task_id = take.id, task.id if task else None
    if task_id is not None:
        enqueue(task_id, priority=priority)
    with transaction() as session:
        return take_view(stacks.get_take(session, take_id))


def add_file(take_id: int, name: str, chunks: Iterable[bytes]) -> FrameView:
    """Store one of a person's own frames, untouched. Raises UnreadablePicture, Conflict, NotFound, StorageFull."""
    name = plain_name(name)
    with transaction() as session:
        _open_for_files(stacks.get_take(session, take_id))
    store = FrameStore(settings().data)
    received = store.receive(chunks)
    try:
        info = examine(received.path, name)
        with transaction() as session:
            take = stacks.get_take(session, take_id)
            _open_for_files(take)
            frame = Frame(
                name=name,
                sha256=received.sha256,
                suffix=SUFFIXES[info.format],
                bytes=received.bytes,
                width_px=info.width_px,
                height_px=info.height_px,
                bits=info.bits,
                captured_at=info.captured_at,
            )
            stacks.add_frame(session, take, frame)
            store.adopt(received, frame.suffix)
            return frame_view(next(f for f in take.frames if f.name == name))
    finally:
        store.drop(received)


def finish_take(take_id: int) -> TakeView:
    """Close a take of files: order them, and leave out those that differ from the rest. Raises Conflict, NotFound."""
    with transaction() as session:
        take = stacks.get_take(session, take_id, locked=True)
        _open_for_files(take)
        if len(take.frames) < 2:
            raise Conflict(
                f"this take holds {len(take.frames)} usable frame{'' if len(take.frames) == 1 else 's'}: "
                "at least 2 are needed. Add more files."
            )
        put_in_order(take, stack_ladder(take.stack)[0].positions_um)
        take.complete = True
        session.flush()
        session.expire(take)
        return take_view(take)


def put_in_order(take: Take, planned_um: Sequence[float] | None) -> None:
    """Order a take's files by name, and leave out those that differ from the rest.

    They belong to the planned rungs only when there is one for each; otherwise nobody knows which is which.
    """
    infos = {f.name: PictureInfo("", f.width_px, f.height_px, f.bits, f.captured_at) for f in take.frames}
    reasons = {one.name: one.reason for one in odd_ones_out(infos)[1]}
    ordered = sorted(take.frames, key=lambda frame: natural_key(frame.name))
    kept = [frame for frame in ordered if frame.name not in reasons]
    positions = planned_um if planned_um is not None and len(planned_um) == len(kept) else None
    for place, frame in enumerate(ordered):
        frame.place, frame.left_out = place, reasons.get(frame.name)
    for rung, frame in enumerate(kept):
        frame.rung = rung if positions else None
        frame.position_um = positions[rung] if positions else None


def shoot(task_id: int, progress: Progress) -> None:
    """The worker's part: run the ladder on the bench. Taken up again, it goes on at the first missing rung."""
    with transaction() as session:
        take = stacks.take_of(session, stacks.get_task(session, task_id))
        take_id, scene = take.id, take.scene or ""
        rig, request = stack_rig(take.stack), stack_plan(take.stack)
        seed, shot = take.stack.specimen_id * 1000 + take.number, {frame.rung for frame in take.frames}
    plan = PlanJson(rig=rig, **request.model_dump())
    positions = plan.ladder().positions_um
    missing = [rung for rung in range(len(positions)) if rung not in shot]
    bench = simulated_bench(plan, scene, seed=seed)
    store = FrameStore(settings().data)

    def keep(step: int, exposure: Exposure) -> None:
        _keep(store, take_id, missing[step], positions[missing[step]], exposure)

    def report(phase: str, done: int, total: int) -> None:
        progress(phase, done + len(positions) - total, len(positions))

    climb(bench, [positions[rung] for rung in missing], keep, report)
    close_take(take_id)


def close_take(take_id: int) -> None:
    """Nothing more comes to this take. One that was stopped before two frames stays open to no use."""
    with transaction() as session:
        take = stacks.get_take(session, take_id)
        take.complete = len(take.frames) >= 2


def _keep(store: FrameStore, take_id: int, rung: int, position_um: float, exposure: Exposure) -> None:
    received = store.receive([exposure.content])
    info = examine(received.path)
    with transaction() as session:
        take = stacks.get_take(session, take_id)
        frame = Frame(
            name=f"rung_{rung + 1:04d}{exposure.suffix}",
            sha256=received.sha256,
            suffix=exposure.suffix,
            bytes=received.bytes,
            width_px=info.width_px,
            height_px=info.height_px,
            bits=info.bits,
            captured_at=exposure.captured_at,
            rung=rung,
            position_um=position_um,
        )
        stacks.add_frame(session, take, frame)
        store.adopt(received, exposure.suffix)


def _open_for_files(take: Take) -> None:
    if take.source != "files":
        raise Conflict("this take comes from the bench: begin a take of files for your own frames")
    if take.complete:
        raise Conflict("this take is closed: begin another for more frames")


def plain_name(name: str) -> str:
    """A file's own name without folders. Raises UnreadablePicture for one that cannot be kept."""
    bare = PureWindowsPath(PurePosixPath(name).name).name.strip()
    if not bare or len(bare) > LONGEST_NAME or any(ord(c) < 32 for c in bare):
        raise UnreadablePicture(name[:60] or "a file", "has a name that cannot be kept: rename it")
    return bare
