"""Frames of simulated runs, spoiled in known ways."""

import unittest
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import FrameJudge
from tests.support.stacks import shot

SPECIMENS = ("moss-capsule", "lacewing-eyes", "graupel")


@cache
def frames(specimen: str) -> list[NDArray[np.uint8]]:
    return list(shot(specimen).frames.pictures)


def shaken(picture: NDArray[np.uint8], reach_px: float, turn_deg: float) -> NDArray[np.uint8]:
    """Smeared to either side by so many pixels along a direction."""
    half = int(reach_px) + 2
    kernel = np.zeros((2 * half + 1, 2 * half + 1), np.float32)
    for t in np.linspace(-reach_px, reach_px, 41):
        x, y = half + t * np.cos(np.deg2rad(turn_deg)), half + t * np.sin(np.deg2rad(turn_deg))
        kernel[round(y), round(x)] += 1
    return np.asarray(cv2.filter2D(picture, -1, kernel / kernel.sum()), np.uint8)


def judge() -> FrameJudge:
    return FrameJudge()


class Sound(unittest.TestCase):
    def test_hardly_any_good_frame_is_refused(self) -> None:
        for specimen in SPECIMENS:
            against, refused = judge(), 0
            for picture in frames(specimen):
                refused += bool(against.judge(picture))
                against.accept()
            self.assertLessEqual(refused, 1, specimen)


class Shaken(unittest.TestCase):
    def test_most_frames_smeared_by_three_pixels_to_either_side_are_found(self) -> None:
        for specimen in SPECIMENS:
            against, found = judge(), []
            for i, picture in enumerate(frames(specimen)):
                if i:
                    kinds = {fault.kind for fault in against.judge(shaken(picture, 3.0, 37.0 * i))}
                    found.append("shaken" in kinds)
                against.judge(picture)
                against.accept()
            self.assertGreater(np.mean(found), 0.8, specimen)

    def test_what_looks_the_same_after_a_longer_rest_was_not_shaken(self) -> None:
        against, calm = judge(), frames("lacewing-eyes")[10]
        against.judge(calm)
        against.accept()
        # Brushed along one direction by nature, and not by shaking: it is so in every frame.
        brushed = shaken(calm, 3.0, 70.0)
        self.assertEqual([fault.kind for fault in against.judge(brushed)], ["shaken"])
        noise = np.random.default_rng(3).normal(0.0, 1.5, brushed.shape)
        once_more = np.clip(np.rint(brushed + noise), 0, 255).astype(np.uint8)
        self.assertEqual(against.judge(once_more, again=True), [])
        self.assertFalse(against.calmed)

    def test_shaking_that_dies_away_stays_a_fault_until_it_is_gone(self) -> None:
        against, calm = judge(), frames("lacewing-eyes")[10]
        against.judge(calm)
        against.accept()
        found = []
        for i, reach_px in enumerate((9.0, 3.0, 0.0)):
            found.append([fault.kind for fault in against.judge(shaken(calm, reach_px, 70.0), again=i > 0)])
        self.assertEqual(found, [["shaken"], ["shaken"], []])
        self.assertTrue(against.calmed)
        against.judge(calm[:400])
        self.assertFalse(against.calmed)


class Uneven(unittest.TestCase):
    def setUp(self) -> None:
        self.judge = judge()
        self.picture = frames("moss-capsule")[10]
        self.judge.judge(self.picture)
        self.judge.accept()

    def kinds(self, factor: float) -> set[str]:
        light = (self.picture / 255.0) ** 2.2 * factor
        spoiled = np.rint(np.clip(light, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
        return {fault.kind for fault in self.judge.judge(spoiled)}

    def test_half_a_stop_less_is_dark_and_more_is_bright(self) -> None:
        self.assertIn("dark", self.kinds(2**-0.5))
        self.assertIn("bright", self.kinds(2**0.5))

    def test_what_a_flash_usually_varies_is_not_said(self) -> None:
        for factor in (0.95, 1.05):
            self.assertEqual(self.kinds(factor), set())

    def test_the_first_frame_may_not_be_black(self) -> None:
        self.assertEqual([f.kind for f in judge().judge(np.zeros((512, 768, 3), np.uint8))], ["dark"])


if __name__ == "__main__":
    unittest.main()
