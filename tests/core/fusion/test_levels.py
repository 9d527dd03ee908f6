"""The pyramid's arithmetic beside the plain way to do it, on sizes that can and cannot be halved evenly."""

import unittest
from typing import Any

import cv2
import numpy as np

from amber_ladder.core.fusion._activity import activity, window
from amber_ladder.core.fusion._levels import expand_onto, finished, halve, split
from amber_ladder.core.fusion._strips import held_by, strips_of, tiles_of
from amber_ladder.core.fusion._taking import Asked, Shown, Won, take
from amber_ladder.core.registration import IDENTITY, inverse, warped_picture, window_of

SIZES = ((64, 96), (131, 257), (270, 143))
NOWHERE, NOTHING = np.zeros((0, 0), np.uint8), np.zeros((0, 0), np.float32)


class Levels(unittest.TestCase):
    def setUp(self) -> None:
        self.random = np.random.default_rng(5)

    def planes(self, picture: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """A picture's planes, and those of half the size."""
        height, width = picture.shape[:2]
        planes = np.empty((4, height, width), picture.dtype)
        half = np.empty((4, (height + 1) // 2, (width + 1) // 2), np.uint16)
        split(picture, planes)
        halve(planes, half)
        return planes, half

    def taken(self, picture: np.ndarray, **other: Any) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Detail, activity and winner of one level that one frame gave, which lies as it was shot."""
        size = picture.shape[:2]
        planes, half = self.planes(picture)
        over = window(other.get("spread_px", 2.2))
        won = Won(np.zeros((3, *size), np.float32), np.full(size, -1, np.float32), np.zeros(size, np.int16),
                  np.zeros((3, 0, 0), np.float32), NOTHING, NOTHING)  # fmt: skip
        spans = other.get("spans", np.tile(np.array([0, size[1]], np.int32), (size[0], 1)))
        shown = Shown(planes, half, IDENTITY, IDENTITY, np.float32(1), np.float32(1 / 256))
        asked = Asked(np.int16(7), spans, other.get("wrong", NOWHERE), NOWHERE, NOTHING, np.float32(1))
        take(shown, asked, strips_of(tiles_of(size, over.reach, None)), over, won)
        return won.detail, won.best, won.winner

    def test_a_picture_is_halved_as_by_burts_kernel(self) -> None:
        for size in SIZES:
            picture = self.random.integers(0, 255, (*size, 3), np.uint8)
            _, half = self.planes(picture)
            expected = 256 * cv2.pyrDown(picture.astype(np.float32))
            np.testing.assert_allclose(np.moveaxis(half[:3], 0, 2), expected, atol=0.51)
            quarter, wanted = (
                np.empty((4, *((edge + 1) // 2 for edge in half.shape[1:])), np.uint16),
                half.astype(np.float32),
            )
            halve(half, quarter)
            for plane, of in zip(quarter, wanted, strict=True):
                np.testing.assert_allclose(plane, cv2.pyrDown(of), atol=0.51)

    def test_what_is_taken_is_the_detail_and_with_the_coarser_level_the_picture_again(self) -> None:
        for size in SIZES:
            picture = self.random.integers(0, 255, (*size, 3), np.uint8)
            detail, _, winner = self.taken(picture)
            self.assertTrue((winner == 7).all())
            expand_onto(self.planes(picture)[1][:3] * np.float32(1 / 256), detail)
            np.testing.assert_allclose(np.moveaxis(detail, 0, 2), picture, atol=1e-2)
            np.testing.assert_array_equal(finished(detail, picture.dtype), picture)

    def test_how_much_detail_there_is_is_averaged_over_a_gaussian_window(self) -> None:
        for spread_px, most in ((0.6, 0.01), (1.5, 0.01), (2.2, 0.04), (5.0, 0.02), (20.0, 0.01)):
            for size in SIZES:
                with self.subTest(spread_px=spread_px, size=size):
                    picture = self.random.integers(0, 255, (*size, 3), np.uint8)
                    detail, best, _ = self.taken(picture, spread_px=spread_px)
                    own = np.moveaxis(detail, 0, 2) @ np.array([0.299, 0.587, 0.114], np.float32)
                    plain = cv2.GaussianBlur(own * own, (0, 0), spread_px)
                    edge = int(3 * spread_px) + 4  # beyond the border it is what frames show there
                    inner = np.s_[edge:-edge, edge:-edge]
                    if plain[inner].size:
                        off = np.sqrt(np.mean((best[inner] / plain[inner] - 1) ** 2))
                        self.assertLess(off, most)

    def test_how_much_detail_a_place_has_is_the_same_whatever_part_is_asked_for(self) -> None:
        """Else the borders of strips would show, and a patch would differ from the whole."""
        picture = self.random.integers(0, 255, (131, 257, 3), np.uint8)
        planes, half = self.planes(picture)
        gains = (np.float32(1.1), np.float32(1.1 / 256))
        for spread_px in (1.0, 2.2, 9.0):
            over = window(spread_px)
            whole, top, left = activity(planes[3], half[3], gains, over, (0, 130), (0, 256))
            for rows, columns in (
                ((0, 9), (0, 5)),
                ((3, 40), (201, 256)),
                ((77, 130), (31, 32)),
                ((64, 65), (100, 199)),
            ):
                part, first, start = activity(planes[3], half[3], gains, over, rows, columns)
                of_part = part[rows[0] - first : rows[1] - first + 1, columns[0] - start : columns[1] - start + 1]
                of_whole = whole[rows[0] - top : rows[1] - top + 1, columns[0] - left : columns[1] - left + 1]
                self.assertEqual(of_part.shape, (rows[1] - rows[0] + 1, columns[1] - columns[0] + 1))
                np.testing.assert_array_equal(of_part, of_whole)

    def test_what_a_plane_holds_in_each_tile(self) -> None:
        plane = self.random.random((90, 120), np.float32)
        tiles = tiles_of((180, 240), 8, None)
        held, around = held_by(tiles, (180, 240), plane, 0), held_by(tiles, (180, 240), plane, 2)
        for (top, bottom, left, right), alone, more in zip(tiles // 2, held, around, strict=True):
            for margin, (low, high, mean) in ((0, alone), (2, more)):
                after = margin + (margin > 0)
                part = plane[max(top - margin, 0) : bottom + after, max(left - margin, 0) : right + after]
                np.testing.assert_allclose((low, high, mean), (part.min(), part.max(), part.mean()), rtol=1e-5)

    def test_a_frame_speaks_where_it_reaches_and_is_not_wrong(self) -> None:
        picture = self.random.integers(0, 255, (96, 160, 3), np.uint8)
        spans = np.tile(np.array([20, 90], np.int32), (96, 1))
        spans[:30] = 0
        wrong = np.zeros((96, 160), np.uint8)
        wrong[50:60, 40:70] = 255
        detail, best, winner = self.taken(picture, spans=spans, wrong=wrong)
        speaks = np.zeros((96, 160), bool)
        speaks[30:, 20:90] = True
        speaks[50:60, 40:70] = False
        np.testing.assert_array_equal(winner == 7, speaks)
        np.testing.assert_array_equal(best >= 0, speaks)
        self.assertEqual(float(np.abs(detail[:, ~speaks]).max()), 0.0)

    def test_a_window_shows_what_the_whole_moved_picture_shows(self) -> None:
        picture = np.asarray(cv2.GaussianBlur(self.random.integers(0, 65535, (300, 400, 3), np.uint16), (0, 0), 1.5))
        for turn, scale in ((0.0, 1.0), (0.3, 1.01), (-4.0, 0.97)):
            matrix = np.asarray(cv2.getRotationMatrix2D((190.0, 160.0), turn, scale), np.float64)
            whole = warped_picture(picture, matrix, 1.02, 65535)
            part = np.empty((3, 90, 70), np.float32)
            planes = np.ascontiguousarray(np.moveaxis(picture, 2, 0))
            window_of(planes, inverse(matrix), np.float32(1.02), 200, 40, np.arange(400, dtype=np.float32), part)
            np.testing.assert_allclose(np.moveaxis(part, 0, 2), whole[200:290, 40:110], atol=0.6)

    def test_only_tiles_in_which_anything_is_wanted_are_worked_on(self) -> None:
        wanted = np.zeros((300, 300), np.uint8)
        wanted[200, 10] = 1
        self.assertEqual(tiles_of((300, 300), 8, wanted).tolist(), [[192, 256, 0, 64]])
        self.assertEqual(len(tiles_of((300, 300), 8, None)), 25)

    def test_tiles_beside_each_other_are_strips_and_each_stays_in_one(self) -> None:
        every = tiles_of((300, 300), 8, None)
        self.assertEqual(strips_of(every)[:2].tolist(), [[0, 64, 0, 256], [0, 64, 256, 300]])
        some = every[[0, 1, 3, 5, 6, 24]]
        self.assertEqual(
            strips_of(some).tolist(), [[0, 64, 0, 128], [0, 64, 192, 256], [64, 128, 0, 128], [256, 300, 256, 300]]
        )


if __name__ == "__main__":
    unittest.main()
