"""The second pass: a composite from the surveyed frames, by one of the schools."""

from dataclasses import dataclass, replace
from typing import Any, Literal, get_args

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.depth import Surface, depth_uncertainty
from amber_ladder.core.frames import FrameSource, Progress
from amber_ladder.core.fusion._auto import merge_auto
from amber_ladder.core.fusion._blend import merge_blend
from amber_ladder.core.fusion._pyramid import USUAL_WINDOW_PX, merge_pyramid
from amber_ladder.core.fusion._select import merge_select
from amber_ladder.core.fusion._survey import Survey

Method = Literal["auto", "blend", "select", "pyramid"]
METHODS: tuple[Method, ...] = get_args(Method)


@dataclass(frozen=True, slots=True)
class Style:
    """How to merge: ``window_px`` and ``calm`` are the pyramid's, also within auto.

    ``sharp`` are the first and last used frame (places, as shot) of what shall be sharp: beyond, the picture falls off
    as in the single frame at that end. None keeps all.
    """

    method: Method
    window_px: float = USUAL_WINDOW_PX
    calm: float = 0.0
    sharp: tuple[int, int] | None = None


@dataclass(frozen=True, slots=True)
class Merged:
    """A composite RGB (H, W, 3) in the frames' type, in reference coordinates; depth (H, W) in used frames.

    Depth counts from the nearest used frame and grows away from the camera, NaN where nothing sharp was seen or outside
    the area that all frames share; ``depth_u_frames`` is its standard uncertainty, NaN in the same places. ``share`` is
    each used frame's part of that area, ``gave`` that of each way to merge.
    """

    composite: NDArray[Any]
    depth_frames: NDArray[np.float32]
    depth_u_frames: NDArray[np.float32]
    share: tuple[float, ...]
    gave: dict[Method, float]


def merge(frames: FrameSource, found: Survey, style: Style, *, progress: Progress) -> Merged:
    """Merge the surveyed frames. Memory does not grow with their number."""
    composite, share, gave = composed(frames, found, style, progress)
    depth, u = _depth(found, frames.shape)
    return Merged(composite, depth, u, share, gave)


def composed(
    frames: FrameSource, found: Survey, style: Style, progress: Progress
) -> tuple[NDArray[Any], tuple[float, ...], dict[Method, float]]:
    """The composite alone, each used frame's share of it, and that of each way to merge (see Merged)."""
    kept = _within(found, style.sharp) if style.sharp else found
    gave: dict[Method, float] = {style.method: 1.0}
    match style.method:
        case "auto":
            composite, share, pyramid = merge_auto(frames, kept, style.window_px, style.calm, progress)
            gave = {"select": 1.0 - pyramid, "pyramid": pyramid}
        case "pyramid":
            composite, share = merge_pyramid(frames, kept, style.window_px, style.calm, progress)
        case "blend":
            composite, share = merge_blend(frames, kept, progress)
        case "select":
            composite, share = merge_select(frames, kept, progress)
    if style.sharp:
        first, last = style.sharp
        share = (*[0.0] * first, *share, *[0.0] * (len(found.used) - 1 - last))
    return composite, share, gave


def _within(found: Survey, sharp: tuple[int, int]) -> Survey:
    """The survey with the frames of a range only: what lies beyond is nearest to its end."""
    first, last = sharp
    part = slice(first, last + 1)
    index = np.clip(found.surface.index - np.float32(first), 0, last - first).astype(np.float32)
    ends = [np.clip((one.first - first, one.last - first), 0, last - first).tolist() for one in found.moved]
    moved = tuple(replace(one, first=a, last=b) for one, (a, b) in zip(found.moved, ends, strict=True))
    return replace(
        found, used=found.used[part], places=found.places[part], matrices=found.matrices[part], gains=found.gains[part],
        rms_px=found.rms_px[part], corner_px=found.corner_px[part], shown_px=found.shown_px[part],
        surface=Surface(index, found.surface.known), moved=moved,
    )  # fmt: skip


def _depth(found: Survey, shape: tuple[int, int]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    height, width = shape
    last = len(found.used) - 1
    index = found.surface.index if found.near_first else last - found.surface.index
    u = depth_uncertainty(found.surface.index, found.confidence)
    # Sharpest in the first or last frame means sharper still beyond it, or noise: no depth is known there.
    passed = (index > 0.5) & (index < last - 0.5)
    known = (found.surface.known & passed).astype(np.uint8)
    if found.factor > 1:
        index, u = (
            np.asarray(cv2.resize(plane, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
            for plane in (index, u)
        )
        known = np.asarray(cv2.resize(known, (width, height), interpolation=cv2.INTER_NEAREST), np.uint8)
    shown = np.empty(shape, np.float32), np.empty(shape, np.float32)
    for plane, out in zip((index, u), shown, strict=True):
        _only_known(plane, known, np.array(found.crop), out)
    return shown


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _only_known(
    plane: NDArray[np.float32], known: NDArray[np.uint8], crop: NDArray[np.int64], out: NDArray[np.float32]
) -> None:
    """NaN where nothing is known, and outside the crop (x, y, width, height)."""
    left, top, right, bottom = crop[0], crop[1], crop[0] + crop[2], crop[1] + crop[3]
    for y in numba.prange(out.shape[0]):
        out[y] = np.nan
        if top <= y < bottom:
            for x in range(left, right):
                if known[y, x] > 0:
                    out[y, x] = plane[y, x]
