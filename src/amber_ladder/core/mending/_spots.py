"""Finding dust on the sensor: what is darker at one place of every frame, however it is focused."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_LOOKED_AT = 16  # frames, spread over the stack
_FEWEST = 5
_ROWS = 1100  # of the picture in which spots are looked for, at most
_WIDEST_PX = 23  # of a spot there
_DIAGONAL = np.eye(16, dtype=np.uint8)  # as long as the others
_LINES = (
    np.ones((1, _WIDEST_PX), np.uint8), np.ones((_WIDEST_PX, 1), np.uint8), _DIAGONAL, _DIAGONAL[::-1].copy(),
)  # fmt: skip
_CALM_PX = 0.8
_DARKEST, _BRIGHTEST = 0.005, 0.89  # of full light: beyond, darkness cannot be told
_DARKER = 0.1  # in natural logarithms of light
_HALF = 0.5
_LEAST_PX, _ROUND = 5, 0.4  # area, and how much of its box a spot fills
_MOST = 400  # candidates that are looked at frame by frame: the darkest
_CALMEST = 0.6  # of the frames: in those where the place is in focus, detail tells more than dust
_CONSTANT, _ALWAYS = 0.3, 0.45  # how far its darkness may vary between half of those, and is left in nearly all
_NEARLY_ALL = 0.9
_GROWS = 6.5  # blur between some frames, against a spot's radius: else a patch of the specimen may look as constant
_RING, _RING_PX = 2.0, 4.0  # from a spot's radius to that is its surroundings
_REACH, _REACH_PX = 1.9, 3.0


@dataclass(frozen=True, slots=True)
class Spot:
    """Dust on the sensor at ``x``, ``y`` (px of a frame), ``radius_px`` to half its darkness.

    ``passes`` (h, w) is the share of light that it lets pass, about its middle; 1 where nothing is lost.
    """

    x: float
    y: float
    radius_px: float
    passes: Float


def chosen_frames(count: int) -> list[int]:
    """Those frames of a stack in which spots are looked for."""
    return sorted({round(one) for one in np.linspace(0, count - 1, min(count, _LOOKED_AT))})


def widest_told_px(blur_between_px: float) -> float:
    """The radius up to which dust can be told from the specimen, where blur differs by so much at any place."""
    return blur_between_px / _GROWS


def find_spots(light: Callable[[int], Float], frames: Sequence[int], blur_between_px: float) -> list[Spot]:
    """Spots that all of these frames have. ``light`` gives a frame (H, W), 0 to 1, linear; each is read twice.

    ``blur_between_px`` is by how much blur differs between some frames at any place: only what is smaller than 1 / 6.5
    of it can be told from the specimen. Memory does not grow with the number of frames.
    """
    if len(frames) < _FEWEST:
        return []
    first = light(frames[0])
    shrink = max(1, round(first.shape[0] / _ROWS))
    size = (first.shape[1] // shrink, first.shape[0] // shrink)
    usual = np.zeros(size[::-1], np.float32)
    for frame in frames:
        usual += _logarithm(light(frame), size)
    usual /= np.float32(len(frames))
    found = [one for one in _candidates(usual) if shrink * one[2] < widest_told_px(blur_between_px)]
    seen: list[list[tuple[Float, float]]] = [[] for _ in found]
    for frame in frames:
        shown = _logarithm(light(frame), size)
        for (x, y, radius), patches in zip(found, seen, strict=True):
            patches.append(_against_surroundings(shown, x, y, radius))
    spots = []
    for (x, y, radius), patches in zip(found, seen, strict=True):
        calmest = sorted(patches, key=lambda one: one[1])[: max(_FEWEST, round(_CALMEST * len(frames)))]
        calm = np.array([patch for patch, _ in calmest])
        if _is_constant(calm, radius):
            spots.append(_whole(x, y, radius, calm, shrink))
    return spots


def _logarithm(light: Float, size: tuple[int, int]) -> Float:
    if light.shape[::-1] != size:
        light = np.asarray(cv2.resize(light, size, interpolation=cv2.INTER_AREA), np.float32)
    return np.log(np.clip(light, _DARKEST / 2, 1.0))


def _candidates(usual: Float) -> list[tuple[float, float, float]]:
    """Dark spots of the mean of all frames: x, y, radius, the darkest first."""
    calm = np.asarray(cv2.GaussianBlur(usual, (0, 0), _CALM_PX), np.float32)
    around = np.min([cv2.morphologyEx(calm, cv2.MORPH_CLOSE, line) for line in _LINES], axis=0)
    darker = np.asarray(around - calm, np.float32)
    darker[(around < np.log(_DARKEST)) | (around > np.log(_BRIGHTEST))] = 0
    _, labels, stats, _ = cv2.connectedComponentsWithStats((darker > _DARKER).astype(np.uint8))
    likely = (stats[:, cv2.CC_STAT_AREA] >= _LEAST_PX) & (stats[:, 2:4].max(axis=1) <= 2 * _WIDEST_PX)
    told = []
    for label in np.flatnonzero(likely[1:]) + 1:
        left, top, width, height = (int(one) for one in stats[label, :4])
        part = np.s_[top : top + height, left : left + width]
        own = np.where(labels[part] == label, darker[part], 0)
        core = own > _HALF * own.max()
        rows, columns = np.nonzero(core)
        if len(rows) < _LEAST_PX - 1 or len(rows) < _ROUND * max(np.ptp(rows) + 1, np.ptp(columns) + 1) ** 2:
            continue
        radius = float(np.sqrt(len(rows) / np.pi))
        told.append((float(own.max()), left + float(columns.mean()), top + float(rows.mean()), radius))
    told.sort(reverse=True)
    return [(x, y, radius) for _, x, y, radius in told[:_MOST]]


def _against_surroundings(shown: Float, x: float, y: float, radius: float) -> tuple[Float, float]:
    """A square patch about a spot, less the plane through what surrounds it, and how uneven those surroundings are.

    NaN beyond the picture.
    """
    reach = int(np.ceil(max(_REACH * radius + _REACH_PX, _RING * radius + _RING_PX)))
    middle_x, middle_y = round(x), round(y)
    patch = np.full((2 * reach + 1, 2 * reach + 1), np.nan, np.float32)
    top, left = max(middle_y - reach, 0), max(middle_x - reach, 0)
    part = shown[top : middle_y + reach + 1, left : middle_x + reach + 1]
    at_y, at_x = top - middle_y + reach, left - middle_x + reach
    patch[at_y : at_y + part.shape[0], at_x : at_x + part.shape[1]] = part
    down, across = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float32)
    off = np.hypot(across - (x - middle_x), down - (y - middle_y))
    ring = (off > 1.4 * radius + 1.5) & (off <= _RING * radius + _RING_PX) & np.isfinite(patch)
    if np.count_nonzero(ring) < 8:
        return np.full_like(patch, np.nan), np.inf
    design = np.column_stack([np.ones(int(ring.sum())), across[ring], down[ring]])
    plane, *_ = np.linalg.lstsq(design, patch[ring], rcond=None)
    patch -= np.float32(plane[0]) + np.float32(plane[1]) * across + np.float32(plane[2]) * down
    return patch, float(patch[ring].std())


def _is_constant(patches: Float, radius: float) -> bool:
    """Whether nearly every frame is darker there, and by as much."""
    reach = patches.shape[1] // 2
    down, across = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    core = np.hypot(across, down) <= max(radius, 1.0)
    dark = -np.nanmean(patches[:, core], axis=1) if np.isfinite(patches[:, core]).any() else np.zeros(len(patches))
    if not np.isfinite(dark).all():
        return False
    low, median, high = np.quantile(dark, (0.25, 0.5, 0.75))
    least = float(np.quantile(dark, 1.0 - _NEARLY_ALL))
    return bool(median > _DARKER and high - low < _CONSTANT * median and least > _ALWAYS * median)


def _whole(x: float, y: float, radius: float, patches: Float, shrink: int) -> Spot:
    reach = patches.shape[1] // 2
    down, across = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float32)
    off = np.hypot(across - (x - round(x)), down - (y - round(y)))
    rim = _REACH * radius + _REACH_PX
    share = np.clip((rim - off) / (0.35 * rim), 0.0, 1.0)
    median = np.median(np.nan_to_num(patches, nan=0.0), axis=0)  # a place beyond the picture is so in all
    passes = np.exp(np.minimum(cv2.GaussianBlur(median, (0, 0), 0.3), 0.0) * share).astype(np.float32)
    if shrink > 1:
        side = passes.shape[0] * shrink
        passes = np.asarray(cv2.resize(passes, (side, side), interpolation=cv2.INTER_CUBIC), np.float32)
    at_x, at_y = (shrink * one + (shrink - 1) / 2.0 for one in (round(x), round(y)))
    return Spot(at_x, at_y, radius * shrink, np.minimum(passes, 1.0))
