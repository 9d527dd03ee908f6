"""Mending the result of a merge on the disk by a list of steps: shared by the command line and the worker."""

import hashlib
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder import __version__
from amber_ladder.core.frames import Progress
from amber_ladder.core.mending import Crop, Kind, Mended
from amber_ladder.errors import BadInput
from amber_ladder.formats.exif import exif_of
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.mend_json import StepJson
from amber_ladder.formats.pictures import colour_profile
from amber_ladder.formats.results import write_composite, write_json, write_kinds
from amber_ladder.work.on_disk.mend_layers import LayerMaker
from amber_ladder.work.on_disk.merge_result import MergeResult, read_merge

RESULTS = ("composite.tif", "changed.tif", "report.json")


def mend_folder(result: Path, steps: Sequence[StepJson], frames: Path, out: Path, progress: Progress) -> dict[str, Any]:
    """Mend the merge in ``result`` into ``out``: composite.tif, changed.tif, report.json, all or nothing.

    ``frames`` is the folder of the frames that were merged. Raises BadInput, which names the step, and StorageFull.
    """
    if out.resolve() in (result.resolve(), frames.resolve()):
        raise BadInput("the mended picture cannot go into the folder of the merge or of the originals", field="out")
    if not frames.is_dir():
        raise BadInput(f"{frames} is not a folder: name the one that holds the merged frames", field="frames")
    merge = read_merge(result)
    return write_mended(merge, LayerMaker(merge, {path.name: path for path in frames.iterdir()}), steps, out, progress)


def write_mended(
    merge: MergeResult, maker: LayerMaker, steps: Sequence[StepJson], out: Path, progress: Progress
) -> dict[str, Any]:
    """Lay steps on a merge, and write RESULTS into ``out``, all or nothing. Raises BadInput, StorageFull."""
    crop = maker.check(steps)
    with folder_in_one_piece(out) as scratch, tempfile.TemporaryDirectory(dir=scratch.parent, prefix=".mend-") as shelf:
        layers, told = maker.layers(steps, Path(shelf), progress)
        picture, kinds = Mended(merge.composite, layers).whole(progress)
        whole = merge.folder / "composite.tif"
        write_composite(
            scratch / "composite.tif",
            crop.cut(picture) if crop else picture,
            colour_profile=colour_profile(whole),
            exif=exif_of(whole),
            um_per_px=(merge.report.get("scale") or {}).get("um_per_px"),
        )
        write_kinds(scratch / "changed.tif", kinds)
        report = _report(merge, steps, told, kinds, crop)
        write_json(scratch / "report.json", report)
    return report


def _report(
    merge: MergeResult, steps: Sequence[StepJson], told: Sequence[dict[str, Any]], kinds: NDArray[np.uint8],
    crop: Crop | None,
) -> dict[str, Any]:  # fmt: skip
    counts = np.bincount(kinds.ravel(), minlength=len(Kind)) / kinds.size
    height, width = kinds.shape
    lost = 1.0 - crop.width * crop.height / (width * height) if crop else 0.0
    return {
        "steps": [{**step.model_dump(by_alias=True, exclude_defaults=True), "kind": step.kind, **one}
                  for step, one in zip(steps, told, strict=True)],
        "changed": {kind.name.lower(): round(float(counts[kind]), 6) for kind in Kind if kind},
        "not_evidence": round(float(counts[Kind.HEALED]), 6),
        "lost_by_crop": round(lost, 4),
        "merge": {
            "sha256": hashlib.sha256((merge.folder / "composite.tif").read_bytes()).hexdigest(),
            "method": merge.report.get("method"),
            "version": merge.report.get("version"),
        },
        "scale": merge.report.get("scale"),
        "made_from": {"steps": [step.model_dump(mode="json", by_alias=True) for step in steps]},
        "version": __version__,
    }  # fmt: skip
