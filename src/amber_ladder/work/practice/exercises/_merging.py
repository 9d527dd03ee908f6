"""Merges for exercises: a small field through its whole depth, merged in memory, with the truth beside it."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import Finding, Style, Survey, findings, merge, survey
from amber_ladder.core.optics import resolve
from amber_ladder.formats.rig_json import RigJson, SensorJson
from amber_ladder.work.practice.exercises._series import RIG as SERIES_RIG
from amber_ladder.work.practice.exercises._series import decoded
from amber_ladder.work.practice.small_frames import SmallFrames
from amber_ladder.work.practice.stand import simulated_stand

WIDTH, HEIGHT = 360, 240
RIG: RigJson = SERIES_RIG.model_copy(update={"sensor": SensorJson(width_px=WIDTH, height_px=HEIGHT, pixel_um=10.0)})
OPTICS = resolve(RIG.to_core())
_OVERLAPPING = 0.7  # of the sharp depth
_MOST_STEPS = 22
_EDGE_PX = 8  # within what all frames share: there a merge has less to choose from

Picture = NDArray[np.uint8]
Float = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class MadeMerge:
    """A merge (H, W, 3), the same in focus everywhere, and that with the foremost part moved; the area (H, W) to judge

    it in, the reference frame's ``matrix``, and what the program says.
    """

    picture: Picture
    truth: Picture
    aside: Picture
    judged: NDArray[np.bool_]
    matrix: NDArray[np.float64]
    survey: Survey
    told: list[Finding]

    def error(self) -> Float:
        """How far it is from the truth, (H, W) in levels of 255; 0 outside the area."""
        off = np.abs(self.picture.astype(np.float32) - self.truth.astype(np.float32)).mean(axis=2)
        return np.asarray(np.where(self.judged, off, 0), np.float32)

    def likeness_db(self) -> float:
        """Peak signal against error, in dB."""
        off = (self.picture.astype(np.float64) - self.truth)[self.judged]
        return float(10.0 * np.log10(255.0**2 / max(float((off**2).mean()), 1e-9)))


class MergeSeries:
    """A take from before the nearest to beyond the farthest place that is seen, nearest first.

    With ``aside_um`` its foremost part moves aside by so much, once focus has gone through half of it; with ``feeler``
    that is one which stands before it.
    """

    def __init__(
        self, specimen: str, seed: int, flaws: Sequence[str], aside_um: float = 0.0, feeler: bool = False
    ) -> None:
        self._aside_um = aside_um
        self.stand = simulated_stand(RIG, specimen, near_um=0.0, seed=seed, flaws=flaws, feeler=feeler)
        near_um, far_um = (float(one) for one in np.percentile(self.stand.scene.sharp_depth_um(), (2, 98)))
        self.step_um = max(_OVERLAPPING * OPTICS.sharp_depth_um.total, (far_um - near_um) / _MOST_STEPS)
        part = self.stand.scene.sheets[-1]
        seen = part.depth_um[part.cover > 0.5]
        self.part_um = float(np.median(seen)) if seen.size else far_um
        first_um = near_um - self.step_um
        if aside_um:
            # Halfway between two rungs: as sharp in the last frame before it moves as in the first one after.
            first_um = self.part_um - (int((self.part_um - first_um) / self.step_um) + 0.5) * self.step_um
        count = int((far_um - first_um) / self.step_um) + 2
        self.positions_um = [first_um + number * self.step_um for number in range(count)]
        self.frames: list[Picture] = []
        self.jpegs: list[bytes] = []
        for position_um in self.positions_um:
            self.stand.aside_um = aside_um if position_um > self.part_um else 0.0
            self.stand.move_to(position_um)
            self.jpegs.append(self.stand.expose().content)
            self.frames.append(decoded(self.jpegs[-1]))

    def merged(self, styles: Sequence[Style], kept: Sequence[int] | None = None) -> list[MadeMerge]:
        """These frames, all of them where none are named, merged in each of some ways."""
        used = list(range(len(self.frames))) if kept is None else list(kept)
        frames = SmallFrames([self.frames[number] for number in used])
        found = survey(frames, positions_um=[self.positions_um[number] for number in used], progress=no_progress)
        matrix = self.stand.truths[used[found.reference]].matrix
        truth, aside = (self._sharp(matrix, aside_um) for aside_um in (0.0, self._aside_um))
        x, y, width, height = found.crop
        judged = np.zeros((HEIGHT, WIDTH), bool)
        judged[y + _EDGE_PX : y + height - _EDGE_PX, x + _EDGE_PX : x + width - _EDGE_PX] = True
        made = []
        for style in styles:
            done = merge(frames, found, style, progress=no_progress)
            told = findings(found, done.share, frames.names)
            made.append(MadeMerge(np.asarray(done.composite, np.uint8), truth, aside, judged, matrix, found, told))
        return made

    def _sharp(self, matrix: NDArray[np.float64], aside_um: float) -> Picture:
        self.stand.aside_um = aside_um
        return self.stand.sharp_picture(matrix)


@lru_cache(maxsize=6)
def merge_series(
    specimen: str, seed: int, flaws: tuple[str, ...], aside_um: float = 0.0, feeler: bool = False
) -> MergeSeries:
    """Shot once, while it is practised with."""
    return MergeSeries(specimen, seed, flaws, aside_um, feeler)


def magnified(picture: Picture, x: int, y: int, *, side_px: int = 90, times: int = 4) -> Picture:
    """A square around a place (px), so many times as large."""
    left, top = (min(max(at - side_px // 2, 0), length - side_px) for at, length in ((x, WIDTH), (y, HEIGHT)))
    cut = picture[top : top + side_px, left : left + side_px]
    return np.asarray(cv2.resize(cut, None, fx=times, fy=times, interpolation=cv2.INTER_NEAREST), np.uint8)
