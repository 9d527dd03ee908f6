"""Merge: a background job from a take's sorted frames to composite, depth and report."""

from dataclasses import dataclass, replace
from typing import Annotated, Any, Self

from pydantic import Field, model_validator

from amber_ladder import __version__
from amber_ladder.core.frames import Progress
from amber_ladder.core.fusion import USUAL_WINDOW_PX, Method, Side
from amber_ladder.core.optics import Rig
from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.pictures import LeftOut, PictureInfo, StoredFrames, too_few
from amber_ladder.formats.rig_json import Strict
from amber_ladder.settings import settings
from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Product, Sorting, Take, Task
from amber_ladder.store.queue import ANYWHERE, AT_ONCE, enqueue
from amber_ladder.work.holding import held_until
from amber_ladder.work.journal import did
from amber_ladder.work.long_work import Finish
from amber_ladder.work.merge.developed import developed, one_frame
from amber_ladder.work.merge.growth import learnt_growth
from amber_ladder.work.on_disk.developing_alike import OneFrame, needs_development
from amber_ladder.work.on_disk.merge_settings import MergeSettings
from amber_ladder.work.on_disk.merging import RESULTS, merge_frames
from amber_ladder.work.pictures import prepare_tiles
from amber_ladder.work.stack.scale import scale_of
from amber_ladder.work.stack.series import fills_sensor, shots_of, sorted_take
from amber_ladder.work.stack.views import MergeView, merge_view, stack_ladder, stack_rig

KIND = "merge"
_LEARNT_FROM = 30


class MergeEntry(Strict):
    """How to merge. Window and calm are the pyramid's; sharpness is kept between two depths below the nearest frame.

    What moved is shown by the frames nearer to the camera, by the farther ones, or where it is in focus (auto).
    """

    method: Method = "auto"
    window_px: Annotated[float, Field(ge=0.5, le=50)] = USUAL_WINDOW_PX
    calm: Annotated[float, Field(ge=0, le=1)] = 0.0
    sharp_near_um: Annotated[float, Field(ge=0, le=1e7)] | None = None
    sharp_far_um: Annotated[float, Field(ge=0, le=1e7)] | None = None
    moved: Side = "auto"

    @model_validator(mode="after")
    def _is_a_range(self) -> Self:
        if self.sharp_far_um is not None and self.sharp_far_um <= (self.sharp_near_um or 0.0):
            raise ValueError("sharpness shall end farther away than it begins")
        return self

    def settings(self) -> MergeSettings:
        """As the merge of plain folders takes them."""
        return MergeSettings(
            self.method, window_px=self.window_px, calm=self.calm, sharp_near_um=self.sharp_near_um,
            sharp_far_um=self.sharp_far_um, moved=self.moved,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Series:
    """The frames of a sorting, with their depths in the medium where known, and the scale if it is theirs.

    ``originals`` are the same frames as the database knows them, ``development`` how they are developed, as a take
    keeps it.
    """

    frames: StoredFrames
    originals: list[OneFrame]
    development: dict[str, Any] | None
    left_out: list[LeftOut]
    depths_um: list[float] | None
    depth_from: str | None
    um_per_px: float | None
    rig: Rig | None


def begin_merge(take_id: int, entry: MergeEntry, *, priority: int = AT_ONCE) -> MergeView:
    """Sort a complete take, and queue a merge of that sorting. Raises NotFound, Conflict, BadInput."""
    with transaction() as session:
        take = stacks.get_take(session, take_id, locked=True)
        if not take.complete:
            raise Conflict("this take is not complete: finish shooting or adding files first")
        found = _sorting(take)
        if entry.settings().has_range and not found.depth_from:
            raise BadInput(
                "what shall be sharp is told in µm, but nobody knows how far the frames of this take lie apart: leave "
                "the range empty",
                field="sharp_near_um",
            )
        sorting = stacks.keep_sorting(session, take, found)
        task = Task(kind=KIND, stack_id=take.stack_id)
        merge = Product(kind=KIND, sorting_id=sorting.id, settings=entry.model_dump(), task=task)
        stacks.add_product(session, take, merge)
        did(session, f"merge {merge.number} ({entry.method}) of take {take.number} begun", take.stack)
        tasks.announce(session, task)
        view, not_before = merge_view(merge), held_until(session)
    enqueue(view.task.id, priority=priority, where=ANYWHERE, not_before=not_before)
    return view


def merge_take(task_id: int, progress: Progress) -> Finish:
    """The worker's part. Taken up again after a kill, it starts over: nothing half-done was kept."""
    store = FrameStore(settings().data)
    merge_id, report = merged_into(store, task_id, progress)
    prepare_tiles(store, merge_id)
    return lambda session: keep_made(session, merge_id, report, __version__)


def merged_into(store: FrameStore, task_id: int, progress: Progress) -> tuple[int, dict[str, Any]]:
    """Merge into the product's folder of this store; returns the product and the report."""
    with transaction() as session:
        merge = merge_of(session, task_id)
        merge_id, entry = merge.id, MergeEntry.model_validate(merge.settings)
        series = series_of(store, merge)
        others = stacks.latest_on_rig(session, merge.take.stack, _LEARNT_FROM)
        grows = learnt_growth(merge.take.stack, others) if series.rig else None
        alike = [one.id for one in merge.take.merges if one.sorting_id == merge.sorting_id and one.report]
    frames = developed_frames(store, series, progress)
    report = merge_frames(
        frames,
        series.left_out,
        store.product_folder(merge_id),
        replace(entry.settings(), um_per_px=series.um_per_px, rig=series.rig, grows=grows),
        progress,
        depths_um=series.depths_um,
        depth_from=series.depth_from,
        earlier=[store.product_folder(one) for one in alike],
    )
    return merge_id, report


def developed_frames(store: FrameStore, series: Series, progress: Progress) -> StoredFrames:
    """The frames of a series as they are merged. Raises BadInput, UnreadablePicture, StorageFull."""
    if not needs_development([one.path for one in series.originals], series.development):
        return series.frames
    return developed(store, series.originals, series.development, progress)


def merge_of(session: Session, task_id: int) -> Product:
    """What a task merges, with its sorting."""
    merge = stacks.product_of(session, stacks.get_task(session, task_id))
    if merge.sorting is None:  # begun by an earlier version, which kept none
        merge.sorting = stacks.keep_sorting(session, merge.take, _sorting(merge.take))
    return merge


def keep_made(session: Session, merge_id: int, report: dict[str, Any], version: str) -> None:
    """Note that a merge is finished: its files lie in its folder."""
    merge = stacks.get_product(session, merge_id, KIND)
    merge.report, merge.files, merge.version = report, list(RESULTS), version


def _sorting(take: Take) -> Sorting:
    ladder, _ = stack_ladder(take.stack)
    shots, found = sorted_take(take, ladder)
    depths: tuple[float | None, ...] = found.depths_um or (None,) * len(found.order)
    return Sorting(
        series=[
            {"frame_id": take.frames[number].id, "depth_um": depth}
            for number, depth in zip(found.order, depths, strict=True)
        ],
        left_out=[
            {"frame_id": take.frames[number].id, "name": shots[number].name, "reason": reason}
            for number, reason in found.left_out
        ],
        depth_from=found.depth_from,
        development=take.development,
    )


def series_of(store: FrameStore, merge: Product) -> Series:
    """What a merge was, or is to be, made of. Raises BadInput for fewer than two frames."""
    sorting, take = merge.sorting, merge.take
    assert sorting is not None, "a merge is given one when it begins"
    left_out = [LeftOut(one["name"], one["reason"]) for one in sorting.left_out]
    if len(sorting.series) < 2:
        raise BadInput(too_few("this take", len(sorting.series), left_out))
    by_id = {frame.id: (frame, shot) for frame, shot in zip(take.frames, shots_of(take), strict=True)}
    kept = [by_id[one["frame_id"]] for one in sorting.series]
    first, shot = kept[0]
    info = PictureInfo("", first.width_px, first.height_px, first.bits, None)
    originals = [one_frame(store, frame) for frame, _ in kept]
    frames = StoredFrames([one.path for one in originals], [one.name for one in originals], info)
    depths = [one["depth_um"] for one in sorting.series] if sorting.depth_from else None
    rig = stack_rig(take.stack).to_core()
    whole = fills_sensor(shot, rig.sensor)
    scale = scale_of(take.stack).um_per_px if whole else None
    return Series(
        frames, originals, sorting.development, left_out, depths, sorting.depth_from, scale, rig if whole else None
    )
