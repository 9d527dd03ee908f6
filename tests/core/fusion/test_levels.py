"""The pyramid's arithmetic beside the plain way to do it, on sizes that can and cannot be halved evenly."""

import unittest

import cv2
import numpy as np

from amber_ladder.core.fusion._levels import brightness, expand_onto, halved, take, tiles_of, widen, window

SIZES = ((64, 96), (131, 257), (270, 143))


class Levels(unittest.TestCase):
    def setUp(self) -> None:
        self.random = np.random.default_rng(5)

    def test_a_picture_is_halved_as_by_burts_kernel(self) -> None:
        for size in SIZES:
            picture = self.random.integers(0, 255, (*size, 3), np.uint8)
            np.testing.assert_allclose(halved(picture), cv2.pyrDown(picture.astype(np.float32)), atol=1e-3)

    def test_what_is_taken_is_the_detail_and_with_the_coarser_level_the_picture_again(self) -> None:
        for size in SIZES:
            picture = self.random.integers(0, 255, (*size, 3), np.uint8)
            coarser, empty = halved(picture), np.zeros((0, 0), np.float32)
            weights = window(2.2)
            tiles = tiles_of(size, len(weights) - 1, None)
            detail, best = np.zeros((*size, 3), np.float32), np.full(size, -1.0, np.float32)
            winner = np.zeros(size, np.int16)
            take(picture, coarser, brightness(coarser), np.full(size, 255, np.uint8), weights, tiles, np.int16(7),
                 detail, best, winner, np.zeros((0, 0, 3), np.float32), empty, empty)  # fmt: skip
            self.assertTrue((winner == 7).all())
            own = detail @ np.array([0.299, 0.587, 0.114], np.float32)
            kernel = np.concatenate([weights[:0:-1], weights])
            plain = cv2.sepFilter2D(own * own, cv2.CV_32F, kernel, kernel, borderType=cv2.BORDER_REFLECT_101)
            np.testing.assert_allclose(best, plain, rtol=1e-3)
            expand_onto(coarser, detail)
            np.testing.assert_allclose(detail, picture, atol=1e-2)

    def test_only_tiles_in_which_anything_is_wanted_are_worked_on(self) -> None:
        wanted = np.zeros((300, 300), np.uint8)
        wanted[200, 10] = 1
        self.assertEqual(tiles_of((300, 300), 8, wanted).tolist(), [[192, 256, 0, 64]])
        self.assertEqual(len(tiles_of((300, 300), 8, None)), 25)

    def test_tones_are_widened_only_where_a_frame_reaches(self) -> None:
        warped = self.random.integers(50, 200, (40, 50, 3), np.uint8)
        reach = np.zeros((40, 50), np.uint8)
        reach[5:30, 7:44] = 255
        low, high = np.full_like(warped, 255), np.zeros_like(warped)
        widen(warped, reach, low, high)
        np.testing.assert_array_equal(low[5:30, 7:44], warped[5:30, 7:44])
        np.testing.assert_array_equal(high[5:30, 7:44], warped[5:30, 7:44])
        self.assertTrue((low[reach == 0] == 255).all() and (high[reach == 0] == 0).all())


if __name__ == "__main__":
    unittest.main()
