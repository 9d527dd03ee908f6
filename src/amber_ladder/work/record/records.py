"""Record: the label and everything behind it, in open formats."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, Literal

from amber_ladder import __version__
from amber_ladder.core.history import faults_of
from amber_ladder.core.measuring import ScaleBar, scale_bar
from amber_ladder.core.optics import explain, power_setting
from amber_ladder.errors import NotFound
from amber_ladder.formats.pictures import read_picture
from amber_ladder.formats.results import (
    KINDS_OF_CHANGES,
    read_depth,
    read_kinds,
    rescaled_composite,
    rescaled_depth,
    write_ome,
)
from amber_ladder.settings import settings
from amber_ladder.store import history, rigs, stacks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Product, Take
from amber_ladder.store.stacks import AT_THE_BENCH, TILES
from amber_ladder.work.measure import recorded
from amber_ladder.work.record.details import details_of
from amber_ladder.work.record.rights import Rights, came_with
from amber_ladder.work.stack.counted import counted_merge
from amber_ladder.work.stack.naming import file_stem
from amber_ladder.work.stack.scale import planned_scale, scale_of_merge
from amber_ladder.work.stack.views import stack_rig, stack_view, take_view


@dataclass(frozen=True, slots=True)
class DoneLine:
    """An entry of the stack's history: what kind of act, in words, and by which version of the application."""

    number: int
    at: datetime
    by: str | None
    did: str
    words: str
    version: str
    sha256: str


@dataclass(frozen=True, slots=True)
class MendedLine:
    """A mended picture that was written: of how many steps, and which share of the picture each kind of them changed.

    ``not_evidence`` is the share that shows pixels from elsewhere.
    """

    product_id: int
    name: str
    steps: int
    changed: dict[str, float]
    not_evidence: float


@dataclass(frozen=True, slots=True)
class RecordView:
    """The scale and its bar for one merge, and the name its files are saved under.

    The scale is None where it is not known: then there is no bar. ``counts`` says whether this merge stands for its
    stack. ``shot_with`` is what moved and what exposed, ``details`` what else stands behind it; ``done`` is what
    happened, for the page, and ``broken`` where that history was altered. ``came_with`` are the rights of a stack that
    came from another station.
    """

    merge_id: int
    counts: bool
    um_per_px: float | None
    u_um_per_px: float | None
    scale_from: Literal["nominal", "measured"] | None
    bar: ScaleBar | None
    width_px: int
    file_stem: str
    shot_with: str
    mended: list[MendedLine]
    done: list[DoneLine]
    broken: list[str]
    details: list[tuple[str, str]]
    came_with: Rights | None = None


def label(merge_id: int) -> RecordView:
    """What the record page shows of a finished merge. Raises NotFound."""
    with transaction(steady=True) as session:
        merge = finished(stacks.get_product(session, merge_id, "merge"))
        entries = history.of_stack(session, merge.take.stack_id)
        lines = [DoneLine(one.number, one.at, one.by, one.did, one.words, one.version, one.sha256) for one in entries]
        broken = [f"entry {one.number} {one.reason}" for one in faults_of([one.as_json() for one in entries])]
        details = details_of(_content(session, merge))
        return replace(label_of(merge), done=lines, broken=broken if entries else [], details=details,
                       came_with=came_with(session, merge.take.stack_id))  # fmt: skip


@contextmanager
def tiff(merge_id: int, kind: Literal["composite", "depth", "depth_u"]) -> Iterator[tuple[Path, str]]:
    """A merge's TIFF, and the name to save it under. Raises NotFound.

    It is the file as it lies on the disk, or where a scale was applied after the merge, a passing copy that carries it.
    """
    with transaction(steady=True) as session:
        merge = finished(stacks.get_product(session, merge_id, "merge"))
        shown, merged = label_of(merge), (merge.report or {})["settings"]
    path = FrameStore(settings().data).product_folder(merge_id) / f"{kind}.tif"
    if not path.exists() and kind == "depth_u":
        raise NotFound("this merge was made by a version that did not reckon how sure depth is: merge the take again")
    name = f"{shown.file_stem}_{kind}.tif"
    if shown.um_per_px == merged["um_per_px"]:
        yield path, name
        return
    with TemporaryDirectory() as scratch:
        copy = Path(scratch) / name
        rescale = rescaled_composite if kind == "composite" else rescaled_depth
        rescale(path, copy, um_per_px=shown.um_per_px)
        yield copy, name


@contextmanager
def whole(merge_id: int, mended_id: int | None = None) -> Iterator[tuple[Path, str]]:
    """Picture, depth and its uncertainty in one OME-TIFF, and the name to save it under. Raises NotFound.

    With a mended picture of this merge that is the picture, and what was changed in it comes with it.
    """
    with transaction(steady=True) as session:
        merge = finished(stacks.get_product(session, merge_id, "merge"))
        mended = None if mended_id is None else mended_of(session, merge_id, mended_id)
        shown, unit = label_of(merge), (merge.report or {})["settings"].get("depth_unit", "frames")
        stem = shown.file_stem if mended is None else f"{shown.file_stem}_mend{mended.number}"
    store = FrameStore(settings().data)
    folder = store.product_folder(merge_id)
    files = {f"depth, {unit}": folder / "depth.tif", f"standard uncertainty of depth, {unit}": folder / "depth_u.tif"}
    planes: dict[str, Any] = {name: read_depth(path) for name, path in files.items() if path.is_file()}
    if mended_id is not None:
        folder = store.product_folder(mended_id)
        planes = {f"changed: {KINDS_OF_CHANGES}": read_kinds(folder / "changed.tif"), **planes}
    with TemporaryDirectory() as scratch:
        path = Path(scratch) / f"{stem}.ome.tif"
        write_ome(path, read_picture(folder / "composite.tif"), planes, shown.um_per_px)
        yield path, path.name


def scale_in_words(shown: RecordView) -> str:
    """The scale with its expanded uncertainty and where it comes from."""
    if not shown.um_per_px:
        return "scale not known"
    u = f" ± {2 * shown.u_um_per_px:.2g} (k = 2)" if shown.u_um_per_px else ""
    return f"scale {shown.um_per_px:.6g}{u} µm/px, {shown.scale_from}"


def technique_of(report: dict[str, Any]) -> str:
    """How a picture was made, in words."""
    if report.get("laid"):
        return f"{len(report['registration'])} merges of focus stacks, laid together"
    return f"focus stack of {len(report['frames_used'])} frames, merged by {report['method']}"


def record(merge_id: int) -> tuple[dict[str, Any], str]:
    """The full record of a merge: label, rig, plan, every frame with its checksum, merge and scale. Raises NotFound."""
    with transaction(steady=True) as session:
        merge = finished(stacks.get_product(session, merge_id, "merge"))
        return _content(session, merge), f"{file_stem(merge)}.json"


def _content(session: Session, merge: Product) -> dict[str, Any]:
    stack, sorting = merge.take.stack, merge.sorting
    shown = label_of(merge)
    view, take = stack_view(stack), take_view(merge.take)
    version = rigs.version_of(session, stack.rig_id, stack.rig_version)
    figures = [asdict(figure) for figure in explain(stack_rig(stack).to_core())]
    return {
        "made_with": f"Amber Ladder {__version__}",
        "specimen": asdict(view.specimen),
        "stack": {"number": view.number, "planned_at": view.created_at.isoformat(),
                  "tiles": asdict(view.tiles) if view.tiles else None},
        "rig": {"name": view.rig_name, "version": view.rig_version, "parts": version.parts if version else None,
                **view.rig.model_dump(mode="json", exclude_none=True), "figures": figures},
        "plan": {**view.plan.model_dump(mode="json", exclude_none=True), "ladder": asdict(view.ladder)},
        "cautions_read": list(stack.cautions_read),
        "take": {
            "number": take.number,
            "source": shown.shot_with,
            "devices": take.devices,
            "scene": take.scene,
            "begun_at": take.created_at.isoformat(),
            "shot_at_bench": take.source in AT_THE_BENCH,
            "card": merge.take.run if merge.take.source == "card" else None,
            "series": asdict(take.series),
            "frames": [
                {**asdict(frame), "captured_at": frame.captured_at.isoformat() if frame.captured_at else None}
                for frame in take.frames
            ],
        },
        "sorting": None if sorting is None else {
            "number": sorting.number, "made_at": sorting.made_at.isoformat(timespec="seconds"),
            "depth_from": sorting.depth_from, "series": sorting.series, "left_out": sorting.left_out,
            "development": sorting.development,
        },
        "scale": {"um_per_px": shown.um_per_px, "u_um_per_px": shown.u_um_per_px, "from": shown.scale_from,
                  "bar": asdict(shown.bar) if shown.bar else None,
                  "as_planned": asdict(planned_scale(stack)), "applied_later": stack.scale,
                  "from_its_own_picture": merge.reference},
        "merge": {"number": merge.number, "counts": shown.counts, "merged_at": merged_at(merge),
                  "version": merge.version,
                  "settings": merge.settings, "report": merge.report},
        "mended": [
            {**asdict(mended_line(one)), "written_at": merged_at(one), "version": one.version,
             "steps": (one.report or {})["steps"], "of": (one.report or {})["merge"]}
            for one in mends_of(merge)
        ],
        "measured": recorded(merge),
        "history": [one.as_json() for one in history.of_stack(session, stack.id)],
    }  # fmt: skip


def shot_with(take: Take) -> str:
    """What moved and what exposed, as far as it was written down, and which faults were switched on for practice."""
    if take.source == "files":
        return "own files"
    if take.source == TILES:
        return "laid together from tiles: each has a record of its own"
    if take.source == "card":
        return f"own files, from the card {(take.run or {})['card']}"
    devices = take.devices
    if devices is None:
        return "not recorded"
    rail, camera = devices["rail"], _CAMERAS[devices["camera"]]
    moved = _MOVED.get(devices.get("by", "")) or (
        "by hand" if take.source == "folder"
        else "rail not recorded" if rail is None
        else "a simulated rail" if rail == "simulated"
        else f"rail {rail}"
    )  # fmt: skip
    flaws = devices["flaws"]
    practice = f"; faults switched on for practice: {', '.join(flaws)}" if flaws else ""
    later = [f"; later {shot_with(Take(source=take.source, devices=one))}" for one in devices.get("later", [])]
    light = light_of(take)
    return f"{moved}, {camera}{f', {light}' if light else ''}{practice}{''.join(later)}"


def light_of(take: Take) -> str | None:
    """What was written down of the light, in words; None where nothing was."""
    devices = take.devices or {}
    power, noted = devices.get("flash_power"), devices.get("angle_noted")
    said = f", flash at {power_setting(power)}" if power else ""
    heads, lamp_deg = devices.get("flash_heads"), devices.get("lamp_deg")
    if heads:
        said += f" ({', '.join(f'{name} head at {share:.0%}' for name, share in heads.items())})"
    if lamp_deg is not None:
        said += f", lit by a lamp {lamp_deg:g}° beside the axis"
    elif devices.get("diffused") is False:
        said += ", without a diffuser"
    elif noted:
        said += ", best angle"
    return (f"{said} ({noted})" if noted else said).removeprefix(", ") or None


_MOVED = {"hand": "by hand", "knob": "by the knob", "body": "focus bracketed by the body"}
_CAMERAS = {
    "simulated": "a simulated camera",
    "folder": "files from a watched folder",
    "simulated hand": "a simulated camera in a simulated hand",
    "by key": "a camera that kept its frames",
}


def label_of(merge: Product) -> RecordView:
    """The label of a merge that is finished."""
    scale = scale_of_merge(merge)
    width = int((merge.report or {})["crop"]["width"])
    return RecordView(
        merge.id,
        merge is counted_merge(merge.take.stack),
        scale.um_per_px if scale else None,
        scale.u_um_per_px if scale else None,
        scale.origin if scale else None,
        scale_bar(width, scale.um_per_px) if scale else None,
        width,
        file_stem(merge),
        shot_with(merge.take),
        [mended_line(one) for one in mends_of(merge)],
        [],
        [],
        [],
    )


def mends_of(merge: Product) -> list[Product]:
    """The mended pictures of a merge that were written, oldest first."""
    made = [one for one in merge.take.products if one.parent_id == merge.id and one.kind == "mend"]
    return [one for one in made if one.report is not None]


def mended_of(session: Session, merge_id: int, mended_id: int) -> Product:
    """A mended picture of this merge that was written. Raises NotFound."""
    mended = finished(stacks.get_product(session, mended_id, "mend"))
    if mended.parent_id != merge_id:
        raise NotFound(f"merge {merge_id} has no mended picture {mended_id}")
    return mended


def mended_line(mended: Product) -> MendedLine:
    """What the record says of a mended picture."""
    report = mended.report or {}
    steps = sum(not step.get("off") for step in report["steps"])
    return MendedLine(mended.id, mended.settings["name"], steps, report["changed"], report["not_evidence"])


def steps_of(line: MendedLine) -> str:
    """How many steps a mended picture is made of, in words."""
    return "1 step" if line.steps == 1 else f"{line.steps} steps"


def merged_at(merge: Product) -> str | None:
    """When a merge, or what was made of it, ended, UTC."""
    ended = merge.task.ended_at
    return ended.isoformat(timespec="seconds") if ended else None


def finished(merge: Product) -> Product:
    """A merge, or a mended picture, that has a result. Raises NotFound for others."""
    if merge.report is None:
        raise NotFound(f"merge {merge.id} has no result: it is not finished")
    return merge
