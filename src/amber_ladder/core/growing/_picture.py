"""A composite and a depth map at reduced size, brought up to date with each frame."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import focus_energy
from amber_ladder.core.registration import Levelled, compose, register_pair

Float = NDArray[np.float32]

_MOVED_PX = 1.3  # a place that shifts by more than this against its surroundings has moved
_MOVED_LEAST = 0.001  # of the picture: smaller places are not told
_DIFFERS = 16.0  # squared grey values of 8 bits by which a place must differ from the frame before, to be asked
_EXPLAINED = 0.35  # of that difference at most this may be left when the shift is followed


@dataclass(frozen=True, slots=True)
class Growth:
    """What one more frame has brought. Shares of the picture's area, 0 to 1.

    ``newest_share`` is sharpest in this very frame: while it is large, focus has not passed through yet. ``gained``
    became clearly sharper with it; ``moved`` is what lies elsewhere than in the frame before. ``shift_px`` is how far
    the whole picture shifted, in pixels of the full frame.
    """

    newest_share: float
    gained: float
    moved: float
    shift_px: float


class GrowingPicture:
    """Memory is flat in the number of frames. Frames are RGB of 8 bits, at any common size.

    Each is registered to the one before it; whatever is sharper than all before is taken over, with its position.
    Frames ``by_hand`` leap through focus: they are registered to the picture so far, and tell of no movement.
    """

    def __init__(self, width_px: int = 640, *, by_hand: bool = False) -> None:
        self._width, self._by_hand = width_px, by_hand
        self._before: tuple[Float, NDArray[np.float64]] | None = None
        self._best: Float | None = None
        self._picture: NDArray[np.uint8] | None = None
        self._depth: Float | None = None
        self._moved: Float | None = None
        self._flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
        self.count = 0

    def add(self, frame: NDArray[np.uint8], position_um: float) -> Growth:
        """Take in one frame, focused at ``position_um`` (or its number, where nobody knows the position)."""
        small, factor = self._shrunk(frame)
        grey = np.asarray(cv2.cvtColor(small, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255)
        matrix, moved, shift = self._place(grey)
        energy = self._on_canvas(focus_energy(grey), matrix)
        self.count += 1
        if self._best is None or self._picture is None or self._depth is None:
            self._best, self._picture = energy, small.copy()
            self._depth = np.full(energy.shape, position_um, np.float32)
            return Growth(1.0, 1.0, 0.0, 0.0)
        warped = np.asarray(cv2.warpAffine(small, matrix, energy.shape[::-1], borderMode=cv2.BORDER_REFLECT), np.uint8)
        sharper = energy > self._best
        clearly = float((energy > 1.3 * self._best).mean())
        np.copyto(self._best, energy, where=sharper)
        np.copyto(self._picture, warped, where=sharper[..., None])
        np.copyto(self._depth, np.float32(position_um), where=sharper)
        newest = float((sharper & self._textured()).sum() / max(int(self._textured().sum()), 1))
        return Growth(newest, clearly, moved, shift * factor)

    def picture(self) -> NDArray[np.uint8]:
        """The composite so far, RGB (H, W, 3)."""
        assert self._picture is not None, "no frame yet"
        return self._picture.copy()

    def depth_um(self) -> Float:
        """Position of the sharpest frame of each pixel (H, W), NaN where nothing was ever sharp."""
        assert self._depth is not None, "no frame yet"
        return np.where(self._textured(), cv2.medianBlur(self._depth, 5), np.nan).astype(np.float32)

    def moved(self) -> NDArray[np.bool_]:
        """Places (H, W) that lay elsewhere in one frame than in the one before it."""
        assert self._best is not None, "no frame yet"
        if self._moved is None:
            return np.zeros(self._best.shape, np.bool_)
        found = (self._moved > _MOVED_PX).astype(np.uint8)
        _, places, measures, _ = cv2.connectedComponentsWithStats(found)
        large = measures[:, cv2.CC_STAT_AREA] > _MOVED_LEAST * found.size
        large[0] = False  # all that has not moved
        return np.asarray(large[places], np.bool_)

    def covered(self, lowest_um: float, highest_um: float) -> float:
        """Share of what was ever sharp that was sharpest strictly between two positions: focus has passed it."""
        assert self._depth is not None, "no frame yet"
        textured = self._textured()
        inside = textured & (self._depth > lowest_um) & (self._depth < highest_um)
        return float(inside.sum() / max(int(textured.sum()), 1))

    def _textured(self) -> NDArray[np.bool_]:
        assert self._best is not None
        return np.asarray(self._best > max(2.0 * float(np.percentile(self._best[::4, ::4], 3)), 1e-7), np.bool_)

    def _shrunk(self, frame: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], float]:
        factor = max(frame.shape[1] / self._width, 1.0)
        size = (round(frame.shape[1] / factor), round(frame.shape[0] / factor))
        return np.asarray(cv2.resize(frame, size, interpolation=cv2.INTER_AREA), np.uint8), factor

    def _place(self, grey: Float) -> tuple[NDArray[np.float64], float, float]:
        """This frame's 2×3 matrix, frame px → canvas px; the share that moved; the shift against the one before."""
        if self._before is None:
            matrix = np.eye(2, 3)
            self._before = (grey, matrix)
            return matrix, 0.0, 0.0
        before, outer = self._before
        if self._by_hand and self._picture is not None:
            before = np.asarray(cv2.cvtColor(self._picture, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255)
            outer = np.eye(2, 3)
        pair = register_pair(Levelled(before), Levelled(grey))
        matrix = compose(outer, pair.matrix)
        centre = np.array([(grey.shape[1] - 1) / 2.0, (grey.shape[0] - 1) / 2.0, 1.0])
        shift = float(np.linalg.norm(pair.matrix @ centre - centre[:2]))
        aligned = np.asarray(
            cv2.warpAffine(grey, pair.matrix, grey.shape[::-1], borderMode=cv2.BORDER_REFLECT), np.float32
        )
        moved = 0.0 if self._by_hand else self._movement(before, aligned, outer)
        self._before = (grey, matrix)
        return matrix, moved, shift

    def _movement(self, before: Float, now: Float, outer: NDArray[np.float64]) -> float:
        """Where detail lies elsewhere than before, beyond what registration explains.

        Focus that comes or goes changes a place as well, but no shift makes that change disappear; only where following
        the optical flow explains most of the difference has something moved.
        """
        half = 0.5
        first, second = (
            np.asarray(
                cv2.resize(
                    (np.clip(one, 0, 1) * 255).astype(np.uint8), None, fx=half, fy=half, interpolation=cv2.INTER_AREA
                ),
                np.uint8,
            )
            for one in (before, now)
        )
        raw = self._flow.calc(first, second, np.zeros((*first.shape, 2), np.float32))
        flow = np.asarray(cv2.GaussianBlur(raw, (0, 0), 3.0), np.float32)
        common = np.asarray(np.median(flow.reshape(-1, 2), axis=0), np.float32)
        stayed, followed = _difference(first, second, common), _difference(first, second, flow)
        length = np.hypot(*cv2.split(flow - common)) / np.float32(half)
        length *= (stayed > _DIFFERS) & (followed < _EXPLAINED * stayed)
        full = cv2.resize(length.astype(np.float32), now.shape[::-1], interpolation=cv2.INTER_LINEAR)
        placed = self._on_canvas(np.asarray(full, np.float32), outer)
        self._moved = placed if self._moved is None else np.maximum(self._moved * np.float32(0.995), placed)
        return float((length > _MOVED_PX).mean())

    @staticmethod
    def _on_canvas(values: Float, matrix: NDArray[np.float64]) -> Float:
        return np.asarray(cv2.warpAffine(values, matrix, values.shape[::-1], borderMode=cv2.BORDER_REFLECT), np.float32)


def _difference(first: NDArray[np.uint8], second: NDArray[np.uint8], shift: Float) -> Float:
    """Local mean of the squared difference (H, W) when ``second`` is followed along ``shift``, px (H, W, 2) or (2,)."""
    y, x = np.mgrid[: first.shape[0], : first.shape[1]].astype(np.float32)
    there = cv2.remap(second, x + shift[..., 0], y + shift[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    return np.asarray(cv2.GaussianBlur(cv2.absdiff(first, there).astype(np.float32) ** 2, (0, 0), 4.0), np.float32)
