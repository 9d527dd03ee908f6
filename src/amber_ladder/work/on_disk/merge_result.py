"""The result of a merge as it lies on the disk, for what builds on it."""

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from amber_ladder.core.registration import Matrix
from amber_ladder.errors import BadInput


@dataclass(frozen=True, slots=True)
class MergeResult:
    """A merge as it lies on the disk: its composite (H, W, 3) is read as it is needed."""

    folder: Path
    composite: NDArray[Any]
    report: dict[str, Any]

    @property
    def placed(self) -> dict[str, tuple[Matrix, float]]:
        """By name: how each frame lies on the composite, and what brings it to its brightness."""
        return {
            one["file"]: (np.asarray(one["matrix"], np.float64), float(one.get("gain", 1.0)))
            for one in self.report["registration"]
        }


def read_merge(folder: Path) -> MergeResult:
    """The result of a merge. Raises BadInput for a folder that holds none."""
    for name in ("composite.tif", "depth.tif", "report.json"):
        if not (folder / name).is_file():
            raise BadInput(f"{folder} is not the result of a merge: {name} is missing", field="result")
    try:
        report = json.loads((folder / "report.json").read_bytes())
        composite = tifffile.memmap(folder / "composite.tif", mode="r")
        merge = MergeResult(folder, composite, report)
        if composite.ndim != 3 or composite.dtype not in (np.uint8, np.uint16) or not merge.placed:
            raise ValueError("composite.tif is no picture of ours")
    except Exception as error:  # readers raise whatever a damaged file leads them to
        raise BadInput(f"{folder} holds a damaged merge ({str(error)[:80]}): merge again", field="result") from error
    return merge
