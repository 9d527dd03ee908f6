"""How focus travelled through one take: what is worth keeping, which ends were passed, and whether fewer would do."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import floor, sqrt

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting.run._file import SeenFile, details

Float = NDArray[np.float32]

_STANDS_OUT = 1.35  # a tile's best detail over what it shows out of focus
_OVER_NOISE, _FAINTLY_OVER_NOISE = 2.0, 1.7
_NEAR_PEAK, _NEAR_PEAK_BY_HAND = 0.8, 0.6  # of a tile's best: there it is in focus; by hand it seldom is exactly
_LEAST_TILES, _LEAST_FAINT_TILES = 2, 3
_SAME_BLUR = 0.45  # of a frame's depth at which detail has halved: so far off, no more is lost than between usual rungs
_SHARP_VARIANCE = 0.9  # px² of what is in focus, as it is looked at: the optics and the smallest blur
_TO_TELL = 12  # tiles


@dataclass(frozen=True, slots=True)
class Sweep:
    """Of frames in shooting order. ``first`` and ``last`` are those worth keeping, ``None`` where nothing is sharp.

    ``passed`` says of the first and the last end whether focus went on to where nothing is sharp; None by hand.
    ``half_frames`` is how many frames off a place shows half of its detail; None where too little tells.
    """

    first: int | None
    last: int | None
    passed: tuple[bool | None, bool | None]
    half_frames: float | None


@dataclass(frozen=True, slots=True)
class Thin:
    """Every how manieth frame would do, and the blur (px) that is left then at worst, against the best focus."""

    every: int
    worst_blur_px: float


def sweep(files: Sequence[SeenFile], *, by_hand: bool) -> Sweep:
    """Look where each tile was in focus, over the frames of one take that are fit."""
    if len(files) < 3:
        return Sweep(None, None, (None, None), None)
    detail = details(files).reshape(len(files), -1)
    noise = float(np.percentile(detail, 5))
    base = np.maximum(np.percentile(detail, 20, axis=0), noise)
    peak = detail.max(axis=0)
    faint = (peak > _STANDS_OUT * base) & (peak > _FAINTLY_OVER_NOISE * noise)
    sure = faint & (peak > _OVER_NOISE * noise)
    near_peak = _NEAR_PEAK_BY_HAND if by_hand else _NEAR_PEAK
    at_peak = detail > base + near_peak * (peak - base)
    sharp = (at_peak & sure).sum(axis=1)
    # Noise makes a tile stand out now and then, but not several in one frame.
    worth = np.flatnonzero((sharp >= _LEAST_TILES) | ((at_peak & faint).sum(axis=1) >= _LEAST_FAINT_TILES))
    if not worth.size:
        return Sweep(None, None, (None, None), None)
    first, last = int(worth[0]), int(worth[-1])
    passed = (None, None) if by_hand else (first > 0, last < len(files) - 1)
    return Sweep(first, last, passed, None if by_hand else _half_frames(detail[:, sure], base[sure]))


def thin(found: Sweep, factor: int) -> Thin | None:
    """Whether fewer frames would do; ``factor`` is how many times smaller frames were looked at. None if untold.

    Between two kept frames lies a place that is half their distance off. How detail falls there is taken from how it
    fell (a Lorentz curve through the neighbours of each peak), and the blur from that, as of detail that is alike at
    all scales.
    """
    if found.half_frames is None:
        return None
    every = max(1, floor(2.0 * _SAME_BLUR * found.half_frames))
    lost = 1.0 + (0.5 * every / found.half_frames) ** 2
    return Thin(every, factor * sqrt(_SHARP_VARIANCE * (lost - 1.0)))


def _half_frames(detail: Float, base: Float) -> float | None:
    best = detail.argmax(axis=0)
    inner = np.flatnonzero((best > 0) & (best < len(detail) - 1))
    if inner.size < _TO_TELL:
        return None
    at = best[inner]
    beside = 0.5 * (detail[at - 1, inner] + detail[at + 1, inner]) - base[inner]
    share = float(np.median(beside / np.maximum(detail[at, inner] - base[inner], 1e-6)))
    return sqrt(share / (1.0 - share)) if 0.0 < share < 1.0 else None
