"""The order of focus of frames shot by hand, worked out from what is sharp in each."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting.run._file import SeenFile
from amber_ladder.core.sorting.run._look import TILES

Float = NDArray[np.float32]
Double = NDArray[np.float64]

_STANDS_OUT, _OVER_NOISE = 1.5, 2.0
_LEAST_TILES, _LEAST_FRAMES, _SHARP_TILES = 12, 6, 3
_SHARP_SHARE = 0.015  # of all tiles: so many of them noise, or an edge's blur, lifts now and then in one frame
_AT_PEAK = 0.6
_NEIGHBOURS = 3
_FARTHEST_ALIKE = 1e-3  # likeness of frames that share nothing sharp: their distance is told by those between them
_DRAWS, _DRAWN_TWICE = 16, 2.0
"""Tiles are drawn anew so often to see how far that moves a frame; counted twice, it agrees with the truth (median of

simulated bursts of five specimens), together with half the distance to the most alike frame."""
_TELLS = 0.3


@dataclass(frozen=True, slots=True)
class FocusOrder:
    """Frames by depth of focus: ``places`` of the run, with ``positions`` from 0 to 1 and their standard uncertainty.

    The first is the nearest where ``from_near`` is True; where it is None, it may as well be the farthest. Frames in
    which nothing is sharp are not among them: nobody knows where they lie.
    """

    places: tuple[int, ...]
    positions: tuple[float, ...]
    u: tuple[float, ...]
    from_near: bool | None


def focus_order(files: Sequence[SeenFile], fit: Sequence[int]) -> FocusOrder | None:
    """Order frames shot by hand; None where too few show something sharp.

    Frames that show the same places sharp lie near each other. Their likeness becomes a distance (of curves of
    sharpness that fall like Gauss's, it is the root of the negative logarithm of their overlap), distances of frames
    far apart are summed up over those between (Tenenbaum, de Silva & Langford 2000), and laid out along one line
    (classical scaling, Torgerson 1952).
    """
    if len(fit) < _LEAST_FRAMES:
        return None
    shown = _followed(files, fit)
    noise = float(np.percentile(shown, 5))
    base, peak = np.maximum(np.percentile(shown, 20, axis=0), noise), shown.max(axis=0)
    sure = (peak > _STANDS_OUT * base) & (peak > _OVER_NOISE * noise)
    share = np.clip((shown[:, sure] - base[sure]) / (peak - base)[sure], 0.0, None)
    least = max(_SHARP_TILES, _SHARP_SHARE * np.count_nonzero(sure))
    sharp = [at for at, count in enumerate((share > _AT_PEAK).sum(axis=1)) if count >= least]
    if np.count_nonzero(sure) < _LEAST_TILES or len(sharp) < _LEAST_FRAMES:
        return None
    share = share[sharp]
    line, apart = _laid_out(share)
    random = np.random.default_rng(0)
    drawn = []
    for _ in range(_DRAWS):
        other, _ = _laid_out(share[:, random.integers(0, share.shape[1], share.shape[1])])
        drawn.append(other if np.corrcoef(line, other)[0, 1] > 0 else 1.0 - other)
    u = np.hypot(_DRAWN_TWICE * np.std(drawn, axis=0), 0.5 * apart)
    deep = (share * line[:, None]).sum(axis=0) / share.sum(axis=0)
    near = _near_side(files, [fit[at] for at in sharp], line, deep, np.flatnonzero(sure))
    if near is False:
        line = 1.0 - line
    order = np.argsort(line, kind="stable")
    return FocusOrder(
        tuple(fit[sharp[at]] for at in order), tuple(float(line[at]) for at in order),
        tuple(float(u[at]) for at in order), None if near is None else True,
    )  # fmt: skip


def _followed(files: Sequence[SeenFile], fit: Sequence[int]) -> Float:
    """Detail (N, tiles) on the specimen's own tiles: the grid goes along with where the camera wandered."""
    at, wandered = np.zeros(2), [np.zeros(2)]
    for before, place in pairwise(fit):
        against = files[place].against if place == before + 1 else None
        at = at + (against.shift if against else (0.0, 0.0))
        wandered.append(at)
    middle = np.median(wandered, axis=0)
    rows, columns = TILES
    laid = []
    for place, where in zip(fit, wandered, strict=True):
        one = files[place]
        x, y = (where - middle) * (columns, rows * one.width_px / one.height_px)
        matrix = np.array([[1.0, 0.0, x], [0.0, 1.0, y]])
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        laid.append(
            cv2.warpAffine(one.look.detail, matrix, (columns, rows), flags=flags, borderMode=cv2.BORDER_REPLICATE)
        )
    return np.asarray(np.stack(laid).reshape(len(fit), -1), np.float32)


def _laid_out(share: Float) -> tuple[Double, Double]:
    """Positions of frames along a line, 0 to 1, and how far each lies from the one most like it."""
    # Here: it takes a tenth of a second, and most who load this only want to merge.
    from scipy.sparse.csgraph import minimum_spanning_tree, shortest_path

    root = np.sqrt(share.astype(np.float64))
    unit = root / np.maximum(np.linalg.norm(root, axis=1, keepdims=True), 1e-9)
    apart = np.sqrt(-np.log(np.clip(unit @ unit.T, _FARTHEST_ALIKE, 1.0)))
    np.fill_diagonal(apart, 0.0)
    near = np.zeros_like(apart)
    for one, others in enumerate(np.argsort(apart, axis=1)[:, 1 : _NEIGHBOURS + 1]):
        near[one, others] = near[others, one] = apart[one, others]
    tree = minimum_spanning_tree(apart).toarray()
    near = np.maximum(near, np.maximum(tree, tree.T))
    along = shortest_path(near, directed=False)
    square = -0.5 * along**2
    centred = square - square.mean(axis=0) - square.mean(axis=1)[:, None] + square.mean()
    values, vectors = np.linalg.eigh(centred)
    line = vectors[:, -1] * np.sqrt(max(values[-1], 0.0))
    span = float(np.ptp(line)) or 1.0
    return (line - line.min()) / span, np.sort(apart, axis=1)[:, 1] / span


def _near_side(
    files: Sequence[SeenFile], places: Sequence[int], line: Double, deep: Double, tiles: NDArray[np.intp]
) -> bool | None:
    """Whether 0 is the near end, by the two signs that tell the order of a take on a stand; None where they do not."""
    rows, columns = TILES
    out = np.hypot((tiles % columns - (columns - 1) / 2) / columns, (tiles // columns - (rows - 1) / 2) / rows)
    ranks = [np.argsort(np.argsort(one, kind="stable"), kind="stable").astype(float) for one in (out, deep)]
    outward = float(np.corrcoef(ranks[0], ranks[1])[0, 1])
    steps, growth = [], []
    for (before, first), (place, second) in pairwise(zip(places, line, strict=True)):
        against = files[place].against
        if place == before + 1 and against:
            steps.append(second - first)
            growth.append(against.growth)
    grows = float(np.dot(steps, growth))
    return outward > 0 if abs(outward) > _TELLS and outward * grows > 0 else None
