"""Merge: a background job from a take's frames to composite, depth and report."""

from amber_ladder.core.frames import Progress
from amber_ladder.core.fusion import Method
from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.pictures import LeftOut, PictureInfo, StoredFrames, too_few
from amber_ladder.formats.rig_json import Strict
from amber_ladder.settings import settings
from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Merge, Take, Task
from amber_ladder.store.queue import AT_ONCE, enqueue
from amber_ladder.work.merging import MergeSettings, merge_frames
from amber_ladder.work.pictures import prepare_merge_tiles
from amber_ladder.work.views import MergeView, merge_view, stack_ladder


class MergeEntry(Strict):
    """How to merge."""

    method: Method


def begin_merge(take_id: int, entry: MergeEntry, *, priority: int = AT_ONCE) -> MergeView:
    """Queue a merge of a complete take. Raises NotFound, Conflict."""
    with transaction() as session:
        take = stacks.get_take(session, take_id, locked=True)
        if not take.complete:
            raise Conflict("this take is not complete: finish shooting or adding files first")
        merge = Merge(method=entry.method, task=Task(kind="merge"))
        stacks.add_merge(session, take, merge)
        tasks.announce(session, merge.task)
        view = merge_view(merge)
    enqueue(view.task.id, priority=priority)
    return view


def merge_take(task_id: int, progress: Progress) -> None:
    """The worker's part. Taken up again after a kill, it starts over: nothing half-done was kept."""
    store = FrameStore(settings().data)
    with transaction() as session:
        merge = stacks.merge_of(session, stacks.get_task(session, task_id))
        merge_id, method = merge.id, merge.method
        frames, left_out, positions = _frames(store, merge.take)
        ladder, optics = stack_ladder(merge.take.stack)
    ratio = ladder.step_in_medium_um / ladder.step_um
    folder = store.merge_folder(merge_id)
    report = merge_frames(
        frames,
        left_out,
        folder,
        MergeSettings(method=method, step_um=ladder.step_in_medium_um, um_per_px=optics.pixel_um),
        progress,
        positions_um=[position * ratio for position in positions] if positions else None,
    )
    prepare_merge_tiles(store, merge_id)
    with transaction() as session:
        stacks.get_merge(session, merge_id).report = report


def _frames(store: FrameStore, take: Take) -> tuple[StoredFrames, list[LeftOut], list[float] | None]:
    left_out = [LeftOut(frame.name, frame.left_out) for frame in take.frames if frame.left_out]
    kept = [frame for frame in take.frames if not frame.left_out]
    if len(kept) < 2:
        raise BadInput(too_few("this take", len(kept), left_out))
    paths = [store.original(frame.sha256, frame.suffix) for frame in kept]
    first = kept[0]
    info = PictureInfo("", first.width_px, first.height_px, first.bits, None)
    positions = [frame.position_um for frame in kept if frame.position_um is not None]
    names = [frame.name for frame in kept]
    return StoredFrames(paths, names, info), left_out, positions if len(positions) == len(kept) else None
