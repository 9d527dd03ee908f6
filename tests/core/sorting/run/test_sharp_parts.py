"""What is sharp in a frame stays in the light, and nothing else."""

import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting.run import look_at, sharp_parts


def texture(blur_px: float, noise: float = 1.0) -> NDArray[np.uint8]:
    """Blotches of many sizes, (480, 640, 3), blurred, with grain."""
    random = np.random.default_rng(3)
    light = sum(
        cv2.resize(random.normal(0, 1, (480 // size, 640 // size)).astype(np.float32), (640, 480))
        for size in (2, 4, 8, 20)
    )
    soft = cv2.GaussianBlur(128 + 22 * np.asarray(light), (0, 0), blur_px)
    grain = random.normal(0, noise, soft.shape)
    return np.asarray(np.clip(np.repeat((soft + grain)[..., None], 3, axis=2), 0, 255), np.uint8)


def light_left(rgb: NDArray[np.uint8]) -> NDArray[np.float64]:
    """The share of its light that each place keeps."""
    shown = sharp_parts(rgb, look_at(rgb, 1)[0])
    return np.asarray(shown[..., 0] / np.maximum(rgb[..., 0].astype(np.float64), 1.0))


class SharpParts(unittest.TestCase):
    def test_of_a_frame_that_is_half_sharp_that_half_is_lit(self) -> None:
        rgb = texture(7.0)
        rgb[:, 320:] = texture(0.8)[:, 320:]
        share = light_left(rgb)
        self.assertLess(float(share[40:-40, 40:260].mean()), 0.35)
        self.assertGreater(float(share[40:-40, 380:-40].mean()), 0.8)

    def test_a_frame_far_out_of_focus_is_dark_all_over_though_one_part_shows_most(self) -> None:
        rgb = texture(9.0)
        rgb[:, 320:] = texture(5.0)[:, 320:]
        self.assertLess(float(light_left(rgb).mean()), 0.35)

    def test_grain_is_not_taken_for_something_sharp(self) -> None:
        self.assertLess(float(light_left(texture(12.0, noise=9.0)).mean()), 0.35)


if __name__ == "__main__":
    unittest.main()
