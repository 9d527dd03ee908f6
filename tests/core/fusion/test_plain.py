"""Where nothing is sharp: noise is averaged away by every way to merge, and passes for no depth."""

import unittest
from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.depth import noise_peak, surface
from amber_ladder.core.focus import PeakTracker, focus_energy
from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import METHODS, Style, Survey, merge, survey
from benchmarks.stacks import Stack


@cache
def islands() -> tuple[Stack, Survey]:
    stack = Stack("islands-noisy", 35, (640, 512))
    return stack, survey(stack.frames, progress=no_progress)


def plain(stack: Stack, found: Survey) -> NDArray[np.bool_]:
    """Where the truth has no detail for 24 px around, within what all frames share."""
    truth = stack.stand.sharp_picture(stack.truths[found.reference].matrix).astype(np.float32)
    fine = np.abs(truth - cv2.GaussianBlur(truth, (0, 0), 3.0)).max(axis=2) > 0.7
    mask = cv2.dilate(fine.astype(np.uint8), np.ones((49, 49), np.uint8)) == 0
    x, y, width, height = found.crop
    inside = np.zeros_like(mask)
    inside[y + 12 : y + height - 12, x + 12 : x + width - 12] = True
    return np.asarray(mask & inside, np.bool_)


def noise(picture: NDArray[Any], where: NDArray[np.bool_]) -> float:
    fine = picture.astype(np.float32)
    return float((fine - cv2.GaussianBlur(fine, (0, 0), 3.0))[where].std())


class Plain(unittest.TestCase):
    def test_noise_is_about_half_of_one_frames_in_every_way(self) -> None:
        stack, found = islands()
        where = plain(stack, found)
        self.assertGreater(float(where.mean()), 0.3)
        one = noise(stack.frames.pictures[found.reference], where)
        self.assertGreater(one, 2.0)
        for method in METHODS:
            with self.subTest(method):
                merged = merge(stack.frames, found, Style(method), progress=no_progress)
                self.assertLess(noise(merged.composite, where), 0.62 * one)

    def test_what_is_sharp_stays_as_sharp_beside_it(self) -> None:
        stack, found = islands()
        truth = stack.stand.sharp_picture(stack.truths[found.reference].matrix).astype(np.float64)
        best = stack.best_choice(found.reference)
        sharp = np.abs(truth - cv2.GaussianBlur(truth, (0, 0), 3.0)).max(axis=2) > 1.5
        x, y, width, height = found.crop
        inside = np.zeros_like(sharp)
        inside[y + 12 : y + height - 12, x + 12 : x + width - 12] = True
        self.assertGreater(int((sharp & inside).sum()), 5000)
        off = {}
        for name, picture in (
            ("best", best),
            ("auto", merge(stack.frames, found, Style("auto"), progress=no_progress).composite.astype(np.float64)),
        ):
            off[name] = float(np.sqrt(np.mean((picture - truth)[sharp & inside] ** 2)))
        self.assertLess(off["auto"], 1.2 * off["best"])

    def test_no_depth_is_told_where_there_is_noise_alone(self) -> None:
        stack, found = islands()
        self.assertLess(float(found.surface.known[plain(stack, found)].mean()), 0.01)

    def test_noise_peaks_pass_for_no_depth_however_many_frames_there_are(self) -> None:
        random = np.random.default_rng(2)
        for count in (5, 26, 90):
            tracker = PeakTracker((120, 160))
            for _ in range(count):
                grain = random.normal(0.5, 0.02, (120, 160)).astype(np.float32)
                tracker.add(focus_energy(np.asarray(cv2.GaussianBlur(grain, (0, 0), 0.6), np.float32)))
            peaks = tracker.peaks()
            self.assertLess(float(surface(peaks.index, peaks.confidence, count).known.mean()), 0.02)
        self.assertLess(noise_peak(5), noise_peak(90))


if __name__ == "__main__":
    unittest.main()
