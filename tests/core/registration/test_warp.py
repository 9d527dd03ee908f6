"""Moving pictures by fractions of a pixel."""

import unittest

import numpy as np
from scipy.ndimage import gaussian_filter

from amber_ladder.core.registration import wide_blur
from amber_ladder.core.registration._warp import warp


class Warp(unittest.TestCase):
    def test_detail_goes_where_the_matrix_puts_it_to_a_thousandth_of_a_pixel(self) -> None:
        x = np.arange(256.0)
        for period_px, most_px in ((20.0, 1e-4), (8.0, 1e-3), (6.0, 3e-3)):
            wave = np.repeat(np.sin(2 * np.pi * x / period_px)[None].astype(np.float32), 64, axis=0)
            for shift_px in np.linspace(-1.4, 1.4, 9):
                moved = warp(wave, np.array([[1.0, 0.0, shift_px], [0.0, 1.0, 0.3]]))[32, 16:-16]
                basis = np.stack([f(2 * np.pi * x[16:-16] / period_px) for f in (np.sin, np.cos)], axis=1)
                sine, cosine = np.linalg.lstsq(basis, moved.astype(np.float64), rcond=None)[0]
                found_px = -np.arctan2(cosine, sine) * period_px / (2 * np.pi)
                self.assertAlmostEqual(float(found_px), float(shift_px), delta=most_px)

    def test_whole_pixels_are_moved_and_nothing_else(self) -> None:
        plane = np.random.default_rng(1).random((40, 50), dtype=np.float32)
        moved = warp(plane, np.array([[1.0, 0.0, 3.0], [0.0, 1.0, -2.0]]))
        np.testing.assert_allclose(moved[5:30, 8:40], plane[7:32, 5:37], atol=1e-6)
        np.testing.assert_allclose(moved[5:30, 0], plane[7:32, 0], atol=1e-6)  # beyond the border it is repeated


class WideBlur(unittest.TestCase):
    def test_it_is_the_blur_of_full_size_within_two_hundredths(self) -> None:
        plane = gaussian_filter(np.random.default_rng(2).random((301, 402)), 3.0).astype(np.float32)
        plane = (plane - plane.mean()) / plane.std()
        for sigma_px in (3.0, 6.0, 12.0, 24.0):
            exact = gaussian_filter(plane.astype(np.float64), sigma_px, mode="reflect")
            off = wide_blur(plane, sigma_px) - exact
        self.assertLess(float(np.abs(off).max()), 0.02)


if __name__ == "__main__":
    unittest.main()
