"""The growing picture against the truth of simulated stacks."""

import unittest
from typing import ClassVar

import cv2
import numpy as np

from amber_ladder.core.growing import GrowingPicture, Growth
from tests.support.stacks import psnr_db, shot


class Growing(unittest.TestCase):
    picture: ClassVar[GrowingPicture]
    growths: ClassVar[list[Growth]]

    @classmethod
    def setUpClass(cls) -> None:
        cls.picture, cls.growths = GrowingPicture(768), []
        one = shot("lacewing-eyes")
        for frame, position in zip(one.frames.pictures, one.positions, strict=True):
            cls.growths.append(cls.picture.add(frame, position))

    def test_it_comes_close_to_the_sharp_picture(self) -> None:
        one = shot("lacewing-eyes")
        truth = one.bench.sharp_picture(one.truths[0].matrix)
        inner = slice(30, -30)
        grown = self.picture.picture()[inner, inner].astype(np.float64)
        self.assertGreater(psnr_db(grown, truth[inner, inner].astype(np.float64)), 24.0)

    def test_depth_is_right_within_two_steps_where_it_is_told(self) -> None:
        one = shot("lacewing-eyes")
        truth = one.bench.sharp_depth_um(one.truths[0].matrix)
        depth = self.picture.depth_um()
        known = np.isfinite(depth)
        self.assertGreater(known.mean(), 0.3)
        wrong = np.abs(depth - truth)[known] > 2 * one.ladder.step_um
        self.assertLess(wrong.mean(), 0.15)

    def test_once_focus_has_passed_nothing_is_sharpest_in_the_newest(self) -> None:
        shares = [growth.newest_share for growth in self.growths]
        self.assertGreater(max(shares[3:-4]), 0.2)
        self.assertLess(shares[-1], 0.02)
        self.assertGreater(self.picture.covered(*(shot("lacewing-eyes").positions[i] for i in (0, -1))), 0.97)

    def test_a_still_specimen_has_not_moved(self) -> None:
        self.assertLess(max(growth.moved for growth in self.growths), 0.004)


class ByHand(unittest.TestCase):
    def test_frames_that_leap_through_focus_and_drift_still_fall_into_place(self) -> None:
        one, random, drift = shot("lacewing-eyes"), np.random.default_rng(1), np.zeros(2)
        pictures = [np.asarray(frame, np.uint8) for frame in one.frames.pictures]
        grown, last = GrowingPicture(768, by_hand=True), len(pictures) - 1
        for i in range(24):
            if i:
                drift = drift + random.normal(0.0, 4.0, 2)
            at = round((0.5 - 0.5 * np.cos(2 * np.pi * i / 4.3)) * last)
            shift = np.array([[1.0, 0.0, drift[0]], [0.0, 1.0, drift[1]]])
            growth = grown.add(cv2.warpAffine(pictures[at], shift, (768, 512), borderMode=cv2.BORDER_REFLECT), float(i))  # type: ignore[arg-type]
            self.assertEqual(growth.moved, 0.0)
        truth, inner = one.bench.sharp_picture(one.truths[0].matrix), (slice(60, -60), slice(60, -60))
        likeness = psnr_db(grown.picture()[inner].astype(np.float64), truth[inner].astype(np.float64))
        self.assertGreater(likeness, 20.0)


class Movement(unittest.TestCase):
    def test_a_part_that_shifts_is_found_where_it_is(self) -> None:
        for specimen, top, left in (("lacewing-eyes", 100, 200), ("wulfenite", 100, 200), ("moss-capsule", 250, 400)):
            frames = [np.array(frame, np.uint8) for frame in shot(specimen).frames.pictures[12:16]]
            shifted = cv2.warpAffine(frames[3], np.array([[1.0, 0.0, 9.0], [0.0, 1.0, 4.0]]), (768, 512))
            inside = slice(top, top + 160), slice(left, left + 220)
            frames[3][inside] = shifted[inside]
            grown = GrowingPicture(768)
            growths = [grown.add(frame, float(i)) for i, frame in enumerate(frames)]
            self.assertGreater(growths[-1].moved, 0.015, specimen)
            self.assertGreater(growths[-1].moved, 5 * growths[-2].moved, specimen)
            y, x = np.nonzero(grown.moved())
            found = (y >= top - 12) & (y < top + 172) & (x >= left - 12) & (x < left + 232)
            self.assertGreater(found.mean(), 0.8, specimen)


if __name__ == "__main__":
    unittest.main()
