"""Record: the label and everything behind it, in open formats."""

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, Literal

from amber_ladder import __version__
from amber_ladder.core.measuring import ScaleBar, scale_bar
from amber_ladder.core.optics import explain
from amber_ladder.errors import NotFound
from amber_ladder.formats.exports import csv_table, png_with_bar
from amber_ladder.formats.pictures import colour_profile, read_picture
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Merge, Stack
from amber_ladder.work.views import StackView, merge_view, stack_rig, stack_view, take_view

LEDGER = (
    "catalogue number", "name", "kind", "stack", "take", "rig", "magnification", "effective f-number", "NA",
    "step µm (stage)", "step µm (in medium)", "overlap", "frames planned", "frames shot", "frames used",
    "depth µm", "scale µm/px", "scale from", "merge", "method", "gaps", "merged at",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class RecordView:
    """The scale and its bar for one merge, and the name its files are saved under."""

    merge_id: int
    um_per_px: float
    u_um_per_px: float | None
    scale_from: Literal["nominal", "measured"]
    bar: ScaleBar
    width_px: int
    file_stem: str


def label(merge_id: int) -> RecordView:
    """What the record page shows of a finished merge. Raises NotFound."""
    with transaction() as session:
        merge, stack, report = _finished(stacks.get_merge(session, merge_id))
        view = stack_view(stack, stack.number)
    width = int(report["crop"]["width"])
    bar = scale_bar(width, view.optics.pixel_um)
    return RecordView(
        merge_id, view.optics.pixel_um, view.optics.u_pixel_um, view.optics.pixel_origin, bar, width, _stem(view, merge)
    )


def tiff(merge_id: int, kind: Literal["composite", "depth"]) -> tuple[Path, str]:
    """A merge's TIFF as it lies on the disk, and the name to save it under. Raises NotFound."""
    stem = label(merge_id).file_stem
    return FrameStore(settings().data).merge_folder(merge_id) / f"{kind}.tif", f"{stem}_{kind}.tif"


def png(merge_id: int) -> tuple[bytes, str]:
    """The composite, cropped to what all frames share, with caption and scale bar. Raises NotFound."""
    shown = label(merge_id)
    with transaction() as session:
        _, stack, report = _finished(stacks.get_merge(session, merge_id))
        view = stack_view(stack, stack.number)
    source = FrameStore(settings().data).merge_folder(merge_id) / "composite.tif"
    crop = report["crop"]
    picture = read_picture(source)[crop["y"] : crop["y"] + crop["height"], crop["x"] : crop["x"] + crop["width"]]
    caption = f"{view.specimen.catalogue_number}  {view.specimen.name}"
    if shown.scale_from == "nominal":
        caption += "   (scale nominal)"
    return png_with_bar(picture, shown.bar, caption, colour_profile=colour_profile(source)), f"{shown.file_stem}.png"


def record(merge_id: int) -> tuple[dict[str, Any], str]:
    """The full record of a merge: label, rig, plan, every frame with its checksum, merge and scale. Raises NotFound."""
    shown = label(merge_id)
    with transaction() as session:
        merge, stack, report = _finished(stacks.get_merge(session, merge_id))
        view, take = stack_view(stack, stack.number), take_view(merge.take)
        figures = [asdict(figure) for figure in explain(stack_rig(stack).to_core())]
        merged, read = merge_view(merge), list(stack.cautions_read)
    content = {
        "made_with": f"Amber Ladder {__version__}",
        "specimen": asdict(view.specimen),
        "stack": {"number": view.number, "planned_at": view.created_at.isoformat()},
        "rig": {"name": view.rig_name, "version": view.rig_version,
                **view.rig.model_dump(mode="json", exclude_none=True), "figures": figures},
        "plan": {**view.plan.model_dump(mode="json", exclude_none=True), "ladder": asdict(view.ladder)},
        "cautions_read": read,
        "take": {
            "number": take.number,
            "source": "simulated bench" if take.source == "bench" else "own files",
            "scene": take.scene,
            "begun_at": take.created_at.isoformat(),
            "frames": [
                {**asdict(frame), "captured_at": frame.captured_at.isoformat() if frame.captured_at else None}
                for frame in take.frames
            ],
        },
        "scale": {"um_per_px": shown.um_per_px, "u_um_per_px": shown.u_um_per_px, "from": shown.scale_from,
                  "bar": asdict(shown.bar)},
        "merge": {"number": merged.number, "merged_at": _time(merge),
                  "report": report},
        "mended": [],
    }  # fmt: skip
    return content, f"{shown.file_stem}.json"


def ledger_csv() -> str:
    """All stacks, a line each, with the latest finished merge and its take, or else the latest take."""
    with transaction() as session:
        return csv_table(LEDGER, (_ledger_row(stack) for stack in stacks.merged_stacks(session)))


def _ledger_row(stack: Stack) -> list[object]:
    view = stack_view(stack, stack.number)
    finished = [merge for take in stack.takes for merge in take.merges if merge.report]
    take = finished[-1].take if finished else stack.takes[-1] if stack.takes else None
    report = finished[-1].report if finished else None
    return [
        view.specimen.catalogue_number, view.specimen.name, view.specimen.kind, view.number,
        take.number if take else "", view.rig_name,
        f"{view.optics.magnification:.4g}", f"{view.optics.effective_f_number:.4g}",
        f"{view.optics.numerical_aperture:.4g}", f"{view.ladder.step_um:.4g}",
        f"{view.ladder.step_in_medium_um:.4g}", f"{view.ladder.overlap:.3f}", view.ladder.frames,
        len(take.frames) if take else "", len(report["frames_used"]) if report else "",
        "" if report is None or report["depth_um"] is None else f"{report['depth_um']:.1f}",
        f"{view.optics.pixel_um:.5g}", view.optics.pixel_origin,
        finished[-1].number if finished else "", finished[-1].method if finished else "",
        len(report["coverage"]["gaps"]) if report else "",
        (_time(finished[-1]) or "") if finished else "",
    ]  # fmt: skip


def _time(merge: Merge) -> str | None:
    ended = merge.task.ended_at
    return ended.isoformat(timespec="seconds") if ended else None


def _finished(merge: Merge) -> tuple[Merge, Stack, dict[str, Any]]:
    if merge.report is None:
        raise NotFound(f"merge {merge.id} has no result: it is not finished")
    return merge, merge.take.stack, merge.report


def _stem(view: StackView, merge: Merge) -> str:
    text = f"{view.specimen.catalogue_number}_stack{view.number}_take{merge.take.number}_{merge.method}{merge.number}"
    return "".join(c if c.isascii() and (c.isalnum() or c in "-_") else "-" for c in text)
