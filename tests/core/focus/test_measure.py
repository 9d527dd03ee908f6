"""The focus measure."""

import unittest

import cv2
import numpy as np

from amber_ladder.core.focus import focus_energy


class FocusEnergy(unittest.TestCase):
    def test_it_is_what_its_steps_give_one_after_the_other_up_to_the_border(self) -> None:
        for shape in ((64, 64), (101, 67), (300, 65)):
            noise = np.random.default_rng(1).random(shape, np.float32)
            grey = np.asarray(cv2.GaussianBlur(noise, (0, 0), 1.0), np.float32)
            calm = cv2.GaussianBlur(grey, (7, 7), 0.8)
            bends = [cv2.Sobel(calm, cv2.CV_32F, *along, ksize=3, scale=0.25) for along in ((2, 0), (0, 2))]
            square = np.asarray(bends[0] ** 2 + bends[1] ** 2, np.float32)
            expected = np.asarray(cv2.GaussianBlur(square, (13, 13), 2.2), np.float32)
            np.testing.assert_allclose(focus_energy(grey), expected, rtol=2e-3)

    def test_detail_along_one_direction_counts_as_much_as_along_the_other(self) -> None:
        wave = np.repeat(np.sin(np.arange(128, dtype=np.float32) / 2)[None], 128, axis=0)
        inner = np.s_[20:-20, 20:-20]
        across, down = focus_energy(wave)[inner].mean(), focus_energy(np.ascontiguousarray(wave.T))[inner].mean()
        self.assertAlmostEqual(float(across / down), 1.0, places=4)
        self.assertGreater(float(across), 100 * float(focus_energy(wave * np.float32(0.09))[inner].mean()))


if __name__ == "__main__":
    unittest.main()
