"""How surely frames lie where they are shown."""

import unittest

import numpy as np

from amber_ladder.core.depth import Surface
from amber_ladder.core.fusion._unsure import corner_px, shown_px
from amber_ladder.core.registration import IDENTITY


class WhereShown(unittest.TestCase):
    SHAPE = (60, 80)
    CORNER = 50.0
    CROP = (0, 0, 80, 60)

    def shown(self, covariance: np.ndarray, place: tuple[int, int]) -> float:
        """Of a frame that shows one spot, another one all the rest; ``place`` is x, y."""
        index = np.ones(self.SHAPE, np.float32)
        index[place[1], place[0]] = 0.0
        found = Surface(index, np.ones(self.SHAPE, np.bool_))
        covariances = np.array([covariance, np.zeros((4, 4))])
        spot, rest = shown_px(covariances, [IDENTITY, IDENTITY], found, 1, self.SHAPE, self.CROP)
        self.assertEqual(float(rest), 0.0)
        return float(spot)

    def about(self, place: tuple[int, int], *, grown: float = 0.0, turned: float = 0.0) -> np.ndarray:
        """The covariance of a frame that may be grown and turned (px at the corner) about a place that lies surely."""
        x, y = (place[0] - 39.5) / self.CORNER, (place[1] - 29.5) / self.CORNER
        growth, turn = grown * np.array([1.0, 0.0, -x, -y]), turned * np.array([0.0, 1.0, y, -x])
        return np.asarray(np.outer(growth, growth) + np.outer(turn, turn), np.float64)

    def test_a_frame_turned_about_what_it_shows_lies_surely_there_and_not_at_the_corners(self) -> None:
        there = (70, 12)
        for way in ({"turned": 2.0}, {"grown": 2.0}):
            with self.subTest(way):
                covariance = self.about(there, **way)
                self.assertAlmostEqual(self.shown(covariance, there), 0.0, places=5)
                # By the distance from there, in halves of the diagonal, times 2 px.
                self.assertAlmostEqual(self.shown(covariance, (10, 12)), 2.0 * 60.0 / self.CORNER, places=5)
                self.assertAlmostEqual(self.shown(covariance, (70, 52)), 2.0 * 40.0 / self.CORNER, places=5)
                self.assertGreater(float(corner_px(np.array([covariance]))[0]), 2.0)

    def test_of_a_large_picture_a_part_of_the_places_tells_the_same(self) -> None:
        shape = (1200, 1600)
        found = Surface(np.zeros(shape, np.float32), np.ones(shape, np.bool_))
        covariance = np.diag([0.0, 2.0, 0.0, 0.0]) ** 2
        unsure = shown_px(covariance[None], [IDENTITY], found, 1, shape, (0, 0, shape[1], shape[0]))
        y, x = np.mgrid[: shape[0], : shape[1]]
        away = np.hypot(x - 799.5, y - 599.5) / 1000.0
        self.assertAlmostEqual(float(unsure[0]), 2.0 * float(np.quantile(away, 0.95)), places=2)

    def test_a_shift_is_as_unsure_everywhere_and_a_frame_that_shows_nothing_is_not_asked(self) -> None:
        covariance = np.diag([0.0, 0.0, 0.3, 0.4]) ** 2
        self.assertAlmostEqual(self.shown(covariance, (5, 50)), 0.5, places=5)
        index = np.full(self.SHAPE, 1.0, np.float32)
        found = Surface(index, np.zeros(self.SHAPE, np.bool_))
        unsure = shown_px(np.array([covariance] * 2), [IDENTITY, IDENTITY], found, 1, self.SHAPE, self.CROP)
        self.assertEqual(unsure.tolist(), [0.0, 0.0])

    def test_what_lies_outside_the_area_that_all_share_does_not_count(self) -> None:
        index = np.zeros(self.SHAPE, np.float32)
        found = Surface(index, np.ones(self.SHAPE, np.bool_))
        covariance = self.about((39, 29), turned=2.0)
        whole, middle = (
            float(shown_px(covariance[None], [IDENTITY], found, 1, self.SHAPE, crop)[0])
            for crop in (self.CROP, (35, 25, 10, 10))
        )
        self.assertGreater(whole, 1.4)
        self.assertLess(middle, 0.3)


if __name__ == "__main__":
    unittest.main()
