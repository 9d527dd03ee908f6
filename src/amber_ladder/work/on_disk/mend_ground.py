"""The ground of a merge, as a step of a mend tells it: found once, then refined and set anew at will."""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.mending import Box, Grounded, ground_by_depth, ground_like, ground_plain
from amber_ladder.errors import BadInput
from amber_ladder.formats.mend_json import Ground
from amber_ladder.formats.results import read_depth
from amber_ladder.work.on_disk.merge_result import MergeResult

_TONES: dict[str, tuple[float, float, float] | None] = {
    "black": (0.0, 0.0, 0.0), "white": (1.0, 1.0, 1.0), "darker": None,
}  # fmt: skip


class Grounds:
    """The grounds of one merge. What was found last stays at hand: a person refines it, and tries tones."""

    def __init__(self, merge: MergeResult) -> None:
        self._merge = merge
        self._last: tuple[tuple[object, ...], NDArray[np.float32]] | None = None

    def layer(self, step: Ground, path: Path) -> Grounded:
        """The ground of a step, kept beside ``path``: memory does not grow with the number of steps.

        Raises BadInput where nothing is known to lie so far, or nothing is plain and without a depth.
        """
        share = self._found(step).copy()
        whole = Box(0, 0, share.shape[1], share.shape[0])
        for stroke in step.refined:
            brush = stroke.brush()
            box = brush.box.within(whole)
            by, part = brush.covering(box), whole.part(box)
            share[part] = np.maximum(share[part], by) if stroke.ground else share[part] * (1 - by)
        file = path.with_suffix(".ground.npy")
        np.save(file, np.asarray(np.rint(share * 255), np.uint8))
        tone = _TONES[step.to] if isinstance(step.to, str) else step.to
        return Grounded(np.load(file, mmap_mode="r"), tone)

    def said(self, step: Ground) -> dict[str, Any]:
        """What is to be known of a ground: whether anything is known to lie so far."""
        if step.farther_than_um is None:
            return {}
        depth = np.asarray(read_depth(self._merge.folder / "depth.tif"))
        if (depth[np.isfinite(depth)] > step.farther_than_um).any():
            return {}
        return {"note": f"nothing is known to lie farther than {step.farther_than_um:g} µm: what shows nothing in any "
                        "frame was taken for ground"}  # fmt: skip

    def _found(self, step: Ground) -> NDArray[np.float32]:
        key = (step.like, step.plain, step.farther_than_um, step.feather_px)
        if self._last is None or self._last[0] != key:
            self._last = key, self._looked_for(step)
        return self._last[1]

    def _looked_for(self, step: Ground) -> NDArray[np.float32]:
        picture = _as_bytes(self._merge.composite)
        if step.like:
            x, y = (round(one) for one in step.like)
            return ground_like(picture, x, y, step.feather_px)
        depth = read_depth(self._merge.folder / "depth.tif")
        if step.plain:
            share = ground_plain(picture, depth, step.feather_px)
            if share is None:
                raise BadInput(
                    "nothing is plain and without a depth here: choose the ground by its depth, or name a place that "
                    "it looks like"
                )
            return share
        assert step.farther_than_um is not None, "a ground is told in one way"
        share = ground_by_depth(picture, depth, step.farther_than_um, step.feather_px)
        if share is None:
            raise BadInput(
                f"nothing is known to lie farther than {step.farther_than_um:g} µm: "
                "name a place that the ground looks like"
            )
        return share


def _as_bytes(picture: NDArray[Any]) -> NDArray[np.uint8]:
    return np.asarray(picture >> 8 if picture.dtype == np.uint16 else picture, np.uint8)
