"""The second pass: a composite from the surveyed frames, by one of the schools."""

from dataclasses import dataclass
from typing import Any, Literal, get_args

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import FrameSource, Progress
from amber_ladder.core.fusion._blend import merge_blend
from amber_ladder.core.fusion._pyramid import merge_pyramid
from amber_ladder.core.fusion._select import merge_select
from amber_ladder.core.fusion._survey import Survey

Method = Literal["blend", "select", "pyramid"]
METHODS: tuple[Method, ...] = get_args(Method)


@dataclass(frozen=True, slots=True)
class Merged:
    """A composite RGB (H, W, 3) in the frames' type, in reference coordinates; depth (H, W) in used frames.

    Depth counts from the nearest used frame and grows away from the camera, NaN where nothing sharp was
    seen or outside the area that all frames share. ``share`` is each used frame's part of that area.
    """

    composite: NDArray[Any]
    depth_frames: NDArray[np.float32]
    share: tuple[float, ...]


def merge(frames: FrameSource, found: Survey, method: Method, *, progress: Progress) -> Merged:
    """Merge the surveyed frames. Memory does not grow with their number."""
    composer = {"blend": merge_blend, "select": merge_select, "pyramid": merge_pyramid}[method]
    composite, share = composer(frames, found, progress)
    return Merged(composite, _depth(found, frames.shape), share)


def _depth(found: Survey, shape: tuple[int, int]) -> NDArray[np.float32]:
    height, width = shape
    last = len(found.used) - 1
    index = found.surface.index if found.near_first else last - found.surface.index
    # Sharpest in the first or last frame means sharper still beyond it, or noise: no depth is known there.
    passed = (index > 0.5) & (index < last - 0.5)
    known = (found.surface.known & passed).astype(np.uint8)
    if found.factor > 1:
        index = np.asarray(cv2.resize(index, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
        known = np.asarray(cv2.resize(known, (width, height), interpolation=cv2.INTER_NEAREST), np.uint8)
    depth = np.full(shape, np.nan, np.float32)
    x, y, w, h = found.crop
    window = (slice(y, y + h), slice(x, x + w))
    depth[window] = np.where(known[window] > 0, index[window], np.nan)
    return depth
