"""What mending a merge needs to know of all its frames, looked up once: where each is sharp, and the sensor's dust."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import Progress
from amber_ladder.core.mending import Box, Cleaned, Source, detail_of
from amber_ladder.errors import BadInput
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.work.on_disk.mend_dust import Rack
from amber_ladder.work.on_disk.mend_layers import LayerMaker
from amber_ladder.work.on_disk.merge_result import read_merge

FILES = ("detail.npy", "dust.npz")


def make_rack(merge: Path, frames: Mapping[str, Path], out: Path, progress: Progress) -> dict[str, Any]:
    """Look at all frames of a merge; writes detail.npy (N, h, w; nearest first) and dust.npz into ``out``.

    Returns the names of the frames in that order, and the spots. All or nothing. Raises BadInput, StorageFull.
    """
    merged = read_merge(merge)
    maker = LayerMaker(merged, frames)
    files = maker.in_focus_order[0]
    shape = merged.composite.shape[:2]
    progress("detail", 0, len(files))
    with folder_in_one_piece(out) as scratch:
        details: NDArray[np.float16] | None = None
        for place, name in enumerate(files):
            matrix, gain = merged.placed[name]
            one = detail_of(Source(maker.picture(name), matrix, gain), shape)
            if details is None:
                details = np.lib.format.open_memmap(
                    scratch / "detail.npy", "w+", np.float16, (len(files), *one.shape)
                )  # fmt: skip
            details[place] = one
            progress("detail", place + 1, len(files))
        rack = maker.cleaned((), lambda done: progress("dust", done, 2))
        _write_dust(scratch / "dust.npz", rack.cleaned)
    return {"files": list(files), "spots": list(rack.spots), "widest_told_px": rack.widest_told_px}


def read_details(folder: Path) -> NDArray[np.float16]:
    """What make_rack wrote of the frames' detail, read as it is needed. Raises BadInput where it is not there."""
    try:
        return np.asarray(np.load(folder / "detail.npy", mmap_mode="r"))
    except Exception as error:  # readers raise whatever a damaged file leads them to
        raise BadInput("what was looked up of the frames is gone from the disk: begin a new mend") from error


def read_rack(folder: Path, report: Mapping[str, Any]) -> Rack:
    """The dust that make_rack found. Raises BadInput where it is not there."""
    try:
        with np.load(folder / "dust.npz") as kept:
            heads = json.loads(bytes(kept["heads"]))
            cleaned = tuple(
                Cleaned(
                    head["spot"], Box(**head["box"]), kept[f"pixels_{number}"], kept[f"share_{number}"],
                    tuple(head["frames"]), head["brightened"],
                )
                for number, head in enumerate(heads)
            )  # fmt: skip
    except Exception as error:  # readers raise whatever a damaged file leads them to
        raise BadInput("what was looked up of the dust is gone from the disk: begin a new mend") from error
    return Rack(cleaned, tuple(report["spots"]), report["widest_told_px"])


def _write_dust(path: Path, cleaned: Sequence[Cleaned]) -> None:
    heads = [
        {"spot": one.spot, "box": asdict(one.box), "frames": [int(at) for at in one.frames],
         "brightened": float(one.brightened)}
        for one in cleaned
    ]  # fmt: skip
    arrays = {f"pixels_{number}": one.pixels for number, one in enumerate(cleaned)}
    arrays |= {f"share_{number}": one.share for number, one in enumerate(cleaned)}
    arrays["heads"] = np.frombuffer(json.dumps(heads).encode(), np.uint8)
    np.savez_compressed(path, allow_pickle=False, **arrays)
