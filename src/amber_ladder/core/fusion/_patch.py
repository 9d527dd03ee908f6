"""A part of a surveyed stack, cut out once and merged in several ways, to see what a setting does."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.depth import Surface
from amber_ladder.core.frames import FrameSource, no_progress, to_grey
from amber_ladder.core.fusion._merge import Style, composed
from amber_ladder.core.fusion._survey import Survey
from amber_ladder.core.registration import Matrix, inverse

Box = tuple[int, int, int, int]

MARGIN_PX = 128
"""Merged around a patch and cut off: as far as the pyramid's coarser levels look."""


class Patch:
    """What the used frames show of a box (x, y, width, height in reference px), in memory.

    Merged, it shows what the merge of all of it shows there, but for the coarsest levels of the pyramid, which a part
    does not have: they carry slow changes of tone.
    """

    def __init__(self, frames: FrameSource, found: Survey, box: Box) -> None:
        height, width = frames.shape
        x, y, w, h = box
        factor = found.factor
        left, top = (max(edge - MARGIN_PX, 0) // factor * factor for edge in (x, y))
        right, bottom = min(x + w + MARGIN_PX, width), min(y + h + MARGIN_PX, height)
        shape = (bottom - top, right - left)
        cuts = [_cut(matrix, (left, top), shape, frames.shape) for matrix in found.matrices]

        def cut(place: int) -> NDArray[Any]:
            column, row = cuts[place][0]
            part = frames.picture(found.used[place])[row : row + shape[0], column : column + shape[1]]
            return np.ascontiguousarray(part)

        with ThreadPoolExecutor(max_workers=2) as pool:
            pictures = list(pool.map(cut, range(len(cuts))))
        self._frames = _Cuts(pictures, [frames.names[at] for at in found.used])
        self._found = _part(found, (left, top), shape, [matrix for _, matrix in cuts])
        self._inside = np.s_[y - top : y - top + h, x - left : x - left + w]

    @property
    def bytes(self) -> int:
        """How much memory it takes."""
        return sum(one.nbytes for one in self._frames.pictures)

    def merged(self, style: Style) -> NDArray[Any]:
        """The box (h, w, 3), merged in the frames' own type."""
        composite, _, _ = composed(self._frames, self._found, style, no_progress)
        return np.ascontiguousarray(composite[self._inside])


class _Cuts:
    """The cut frames, as a merge wants them."""

    def __init__(self, pictures: Sequence[NDArray[Any]], names: Sequence[str]) -> None:
        self.pictures = pictures
        self.names = tuple(names)
        self.shape = (pictures[0].shape[0], pictures[0].shape[1])
        self.dtype = pictures[0].dtype

    def picture(self, index: int) -> NDArray[Any]:
        return self.pictures[index]

    def grey(self, index: int, factor: int) -> NDArray[np.float32]:
        return to_grey(self.pictures[index], factor)


def _cut(
    matrix: Matrix, start: tuple[int, int], shape: tuple[int, int], frame: tuple[int, int]
) -> tuple[tuple[int, int], Matrix]:
    """Where in a frame (column, row) a window of the reference lies, in whole pixels, and the matrix from there."""
    middle = np.array([start[0] + shape[1] / 2, start[1] + shape[0] / 2, 1.0])
    there = inverse(matrix) @ middle - np.array([shape[1] / 2, shape[0] / 2])
    most = (frame[1] - shape[1], frame[0] - shape[0])
    column, row = (int(np.clip(np.rint(at), 0, last)) for at, last in zip(there, most, strict=True))
    moved = matrix.copy()
    moved[:, 2] += matrix[:, :2] @ np.array([column, row], np.float64) - np.array(start, np.float64)
    return (column, row), moved


def _part(found: Survey, start: tuple[int, int], shape: tuple[int, int], matrices: Sequence[Matrix]) -> Survey:
    """The survey of a window, whose frames are numbered by their places."""
    factor, (left, top) = found.factor, start
    window = np.s_[top // factor : -(-(top + shape[0]) // factor), left // factor : -(-(left + shape[1]) // factor)]
    x, y, w, h = found.crop
    crop = (max(x - left, 0), max(y - top, 0))
    ends = (min(x + w - left, shape[1]), min(y + h - top, shape[0]))
    moved = tuple(replace(one, mask=one.mask[window], told=one.told[window]) for one in found.moved)
    return replace(
        found,
        used=tuple(range(len(found.used))),
        reference=found.used.index(found.reference),
        matrices=tuple(matrices),
        surface=Surface(np.ascontiguousarray(found.surface.index[window]), found.surface.known[window]),
        confidence=found.confidence[window],
        crop=(*crop, ends[0] - crop[0], ends[1] - crop[1]),
        moved=moved,
    )
