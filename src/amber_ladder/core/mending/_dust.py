"""What dust on the sensor left in a merge, replaced by what single frames show there.

Each frame is brightened by what the dust takes away in all of them (flat-field correction), and those are blended that
show most detail at a place, much as the merge would have done, had the sensor been clean. Where a frame has moved away
from the dust, nothing is brightened, and it counts more.
"""

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb, encode_srgb
from amber_ladder.core.focus import focus_energy
from amber_ladder.core.mending._brush import Box, Float
from amber_ladder.core.mending._layers import GREY, scaled
from amber_ladder.core.mending._patch import Source, shown_in
from amber_ladder.core.mending._spots import Spot
from amber_ladder.core.registration import Matrix, inverse

_CORE, _CORE_PX = 1.3, 1.5  # of a spot's radius (to half its darkness), and px more: so far it is replaced wholly
_RIM, _RIM_PX = 1.9, 3.0  # to where it is replaced at all
_MARGIN_PX = 12  # around it, for telling what is in focus
_CALM_PX = 2.0
_GIVES = 1.0  # frames: nearer to the depth of a pixel than that, a frame may have given to it
_LOOKED_AT = 3.0  # frames, either way from where a pixel is said to be sharp
_POWER = 4  # of energy: what is in focus counts alone, and where nothing is, noise is averaged
_FREE = 0.98  # of light: a frame that lets so much pass is free of the dust
_GIVEN = 0.02  # of a trail: a frame that gave so much of it is named


@dataclass(frozen=True, slots=True)
class Placed:
    """How a frame lies on the composite, and what brings it to its brightness."""

    matrix: Matrix
    gain: float


@dataclass(frozen=True, slots=True)
class Cleaned:
    """What replaces a spot's trail: ``pixels`` (h, w, 3) over ``box`` by a ``share`` (h, w) of 255.

    ``frames`` are those that gave most (places), ``brightened`` is the share that was under the dust in all of them.
    """

    spot: int
    box: Box
    pixels: NDArray[Any]
    share: NDArray[np.uint8]
    frames: tuple[int, ...]
    brightened: float


@dataclass(slots=True)
class _Trail:
    """Where a spot comes to lie in the composite, and the sum of what was seen there so far, by weight."""

    spot: int
    box: Box
    share: Float
    sharp: Float
    merged: NDArray[Any]
    total: Float
    weight: Float
    under: Float
    given: dict[int, float]


def nearest_known(index: Float) -> Float:
    """``index`` (H, W) with NaN replaced by the nearest known value; all NaN stays so."""
    unknown = np.isnan(index)
    if unknown.all() or not unknown.any():
        return index
    _, labels = cv2.distanceTransformWithLabels(
        unknown.astype(np.uint8), cv2.DIST_L2, 3, labelType=cv2.DIST_LABEL_PIXEL
    )
    values = np.zeros(int(labels.max()) + 1, np.float32)
    values[labels[~unknown]] = index[~unknown]
    return np.asarray(values[labels], np.float32)


def cleaned(
    spots: Sequence[Spot],
    placed: Sequence[Placed],
    index: Float,
    composite: NDArray[Any],
    picture: Callable[[int], NDArray[Any]],
    *,
    keep: Collection[int] = (),
    linear: bool = False,
) -> list[Cleaned]:
    """Replace what ``spots`` left in ``composite`` (H, W, 3), but for those in ``keep`` (numbers).

    ``placed`` are the frames in the order of focus, ``index`` (H, W) is where in it each pixel is sharp (see
    :func:`nearest_known`). ``picture`` reads a frame; each that is needed is read once. ``linear`` is whether values
    are light itself, else they are encoded as sRGB.
    """
    trails = [
        trail for number in range(len(spots))
        if number not in keep and (trail := _trail(spots[number], number, placed, index, composite))
    ]  # fmt: skip
    for place, frame in enumerate(placed):
        wanted = [trail for trail in trails if _looks_at(trail, place).any()]
        if not wanted:
            continue
        source = Source(picture(place), frame.matrix, frame.gain)
        for trail in wanted:
            _look(trail, place, source, spots, linear)
    return [_as_cleaned(trail) for trail in trails]


def _trail(spot: Spot, number: int, placed: Sequence[Placed], index: Float, composite: NDArray[Any]) -> _Trail | None:
    """The trail of one spot; None where it lies beyond the picture, or in what no frame near it gave."""
    core, rim = _CORE * spot.radius_px + _CORE_PX, _RIM * spot.radius_px + _RIM_PX
    centres = [frame.matrix[:, :2] @ np.array([spot.x, spot.y]) + frame.matrix[:, 2] for frame in placed]
    low, high = np.floor(np.min(centres, axis=0) - rim), np.ceil(np.max(centres, axis=0) + rim) + 1
    whole = Box(0, 0, composite.shape[1], composite.shape[0])
    box = Box(int(low[0]), int(low[1]), int(high[0]), int(high[1])).wider(_MARGIN_PX).within(whole)
    if box.is_empty:
        return None
    part = whole.part(box)
    y, x = np.mgrid[part].astype(np.float32)
    share = np.zeros(box.shape, np.float32)
    for at, (across, down) in enumerate(centres):
        fades = np.clip((rim - np.hypot(x - np.float32(across), y - np.float32(down))) / (rim - core), 0.0, 1.0)
        gave = np.abs(index[part] - np.float32(at)) < _GIVES
        np.maximum(share, np.where(gave, fades * fades * (3.0 - 2.0 * fades), 0.0), out=share)
    if not share.any():
        return None
    rows, columns = box.shape
    return _Trail(
        number, box, share, index[part], composite[part], np.zeros((rows, columns, 3), np.float32),
        np.zeros(box.shape, np.float32), np.zeros(box.shape, np.float32), {},
    )  # fmt: skip


def _looks_at(trail: _Trail, place: int) -> NDArray[np.bool_]:
    return np.asarray((np.abs(trail.sharp - np.float32(place)) <= _LOOKED_AT) & (trail.share > 0), np.bool_)


def _look(trail: _Trail, place: int, source: Source, spots: Sequence[Spot], linear: bool) -> None:
    """Add what one more frame shows."""
    shown, covered = shown_in(source, trail.box)
    passes = np.ones(trail.box.shape, np.float32)
    for spot in spots:
        passes *= _passes(spot, source.matrix, trail.box)
    tones = scaled(shown)
    light = (tones if linear else decode_srgb(tones)) / passes[..., None]
    bright = light if linear else encode_srgb(light)
    energy = cv2.GaussianBlur(focus_energy(np.ascontiguousarray(bright @ GREY)), (0, 0), _CALM_PX)
    # Noise is brightened, too.
    counts = (np.asarray(energy, np.float32) * passes * passes + np.float32(1e-6)) ** _POWER
    counts *= _looks_at(trail, place) & covered
    trail.total += counts[..., None] * bright
    trail.weight += counts
    trail.under += counts * (passes < _FREE)
    trail.given[place] = float((counts * trail.share).sum())


def _as_cleaned(trail: _Trail) -> Cleaned:
    seen = trail.weight > 0
    share = np.where(seen, trail.share, np.float32(0))
    weight = np.where(seen, trail.weight, np.float32(1))
    largest = np.iinfo(trail.merged.dtype).max
    pixels = np.rint(np.clip(trail.total / weight[..., None], 0, 1) * largest).astype(trail.merged.dtype)
    under = float((share * trail.under / weight).sum() / max(float(share.sum()), 1e-9))
    most = sum(trail.given.values())
    frames = tuple(place for place, given in trail.given.items() if given > _GIVEN * most)
    return Cleaned(
        trail.spot, trail.box, np.where(seen[..., None], pixels, trail.merged),
        np.asarray(np.rint(share * 255), np.uint8), frames, under,
    )  # fmt: skip


def _passes(spot: Spot, matrix: Matrix, box: Box) -> Float:
    """What a spot lets pass in a box of the composite, of a frame that lies there by ``matrix``."""
    back = inverse(matrix)
    y, x = np.mgrid[box.top : box.bottom, box.left : box.right].astype(np.float64)
    middle = (spot.passes.shape[0] - 1) / 2.0
    across = back[0, 0] * x + back[0, 1] * y + back[0, 2] - spot.x + middle
    down = back[1, 0] * x + back[1, 1] * y + back[1, 2] - spot.y + middle
    return np.asarray(
        cv2.remap(
            spot.passes, across.astype(np.float32), down.astype(np.float32), cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_CONSTANT, borderValue=1.0,
        ),
        np.float32,
    )  # fmt: skip
