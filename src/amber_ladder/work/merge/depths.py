"""What a merge's depth map says: its legend, and the depth at a place."""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np

from amber_ladder.core.colour import colour_depth
from amber_ladder.core.depth import contour_step, contours, depth_spread
from amber_ladder.errors import BadInput, NotFound
from amber_ladder.formats.results import read_depth
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore

_STEPS = 9
_MOST_LINES = 200


@dataclass(frozen=True, slots=True)
class DepthView:
    """A depth map at a glance, in ``unit`` below the nearest frame that was kept.

    ``near`` and ``far`` are where its colours begin and end: all that is known, but for one in two hundred on either
    side; None where nothing is known. ``known_share`` is the part of the picture with a depth; ``colours`` runs from
    near to far in even steps, as CSS has it.
    """

    unit: str
    near: float | None
    far: float | None
    known_share: float
    colours: list[str]


@dataclass(frozen=True, slots=True)
class DepthAt:
    """The depth at one pixel and its standard uncertainty, None where they are unknown."""

    depth: float | None
    u: float | None
    unit: str


@dataclass(frozen=True, slots=True)
class ContourView:
    """A line of equal depth, as x and y in px of the merged picture, one after the other."""

    depth: float
    points: list[float]


@dataclass(frozen=True, slots=True)
class ContoursView:
    """Lines of equal depth, one every ``step`` in ``unit``; None where no depth is known."""

    unit: str
    step: float | None
    lines: list[ContourView]


def depth_of(merge_id: int) -> DepthView:
    """The legend of a merge's depth. Raises NotFound."""
    path, unit = _depth_file(merge_id)
    return _legend(path, unit)


def depth_at(merge_id: int, x_px: int, y_px: int) -> DepthAt:
    """The depth at a pixel of the merged picture. Raises NotFound, and BadInput for a place outside it."""
    path, unit = _depth_file(merge_id)
    depth = read_depth(path)
    height, width = depth.shape
    if not (0 <= x_px < width and 0 <= y_px < height):
        raise BadInput(f"{x_px}, {y_px} lies outside the picture of {width} × {height} px")
    beside = path.with_name("depth_u.tif")  # merges of earlier versions have none
    u = read_depth(beside)[y_px, x_px] if beside.exists() else np.nan
    return DepthAt(_known(depth[y_px, x_px]), _known(u), unit)


def contours_of(merge_id: int, every: float | None = None) -> ContoursView:
    """Lines of equal depth over a merge's picture, one ``every`` so many of its unit, else about ten of them.

    Raises NotFound, and BadInput for lines that would lie too close.
    """
    path, unit = _depth_file(merge_id)
    return _contours(path, unit, every)


def _known(value: np.float32 | float) -> float | None:
    return float(value) if np.isfinite(value) else None


def _depth_file(merge_id: int) -> tuple[Path, str]:
    with transaction(steady=True) as session:
        merge = stacks.get_product(session, merge_id, "merge")
        report = merge.report
        if report is None:
            raise NotFound(f"merge {merge_id} has no depth yet: it is not finished")
        unit = str(report["settings"]["depth_unit"])
    return FrameStore(settings().data).product_folder(merge_id) / "depth.tif", unit


@lru_cache(maxsize=64)
def _legend(path: Path, unit: str) -> DepthView:
    # A merge's files never change once they are there.
    depth = np.asarray(read_depth(path))
    spread = depth_spread(depth)
    near, far = spread or (None, None)
    ramp = colour_depth(np.linspace(0.0, 1.0, _STEPS, dtype=np.float32)[None], 0.0, 1.0)[0]
    colours = [f"#{red:02x}{green:02x}{blue:02x}" for red, green, blue in ramp.tolist()]
    return DepthView(unit, near, far, float(np.isfinite(depth).mean()), colours)


@lru_cache(maxsize=8)
def _contours(path: Path, unit: str, every: float | None) -> ContoursView:
    depth = np.asarray(read_depth(path))
    spread = depth_spread(depth)
    if spread is None:
        return ContoursView(unit, None, [])
    near, far = spread
    if every is not None and (far - near) / every > _MOST_LINES:
        raise BadInput(f"that would be more than {_MOST_LINES} lines: take a larger step", field="every")
    step = every or contour_step(near, far)
    lines = [ContourView(one.depth, np.round(one.points, 1).ravel().tolist()) for one in contours(depth, step)]
    return ContoursView(unit, step, lines)
