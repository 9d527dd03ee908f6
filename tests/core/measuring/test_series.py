"""Values of one measure over many specimens."""

import unittest

import numpy as np

from amber_ladder.core.measuring import summarise


class Summaries(unittest.TestCase):
    def test_mean_and_spread(self) -> None:
        told = summarise([10.0, 12.0, 14.0], [0.1, 0.1, 0.1])
        self.assertEqual((told.n, told.mean, told.s), (3, 12.0, 2.0))

    def test_of_few_nothing_is_told_apart_and_of_none_nothing_at_all(self) -> None:
        self.assertIsNone(summarise([1.0, 1.0, 1.0, 900.0], [0.1] * 4).outliers)
        self.assertEqual(summarise([], []).mean, None)
        alone = summarise([3.0], [0.1])
        self.assertEqual((alone.mean, alone.s, alone.outliers), (3.0, None, None))

    def test_one_that_stands_apart_is_named_and_counts_all_the_same(self) -> None:
        values = [100.0, 101.0, 99.5, 100.5, 99.0, 130.0]
        told = summarise(values, [1.0] * 6)
        self.assertEqual(told.outliers, (5,))
        self.assertAlmostEqual(told.mean or 0, float(np.mean(values)))

    def test_what_differs_by_no_more_than_its_uncertainty_does_not_stand_apart(self) -> None:
        values = [100.0, 100.0, 100.0, 100.0, 100.4]
        self.assertEqual(summarise(values, [0.5] * 5).outliers, ())
        self.assertEqual(summarise(values, [0.01] * 5).outliers, (4,))

    def test_normal_values_rarely_do(self) -> None:
        random = np.random.default_rng(5)
        told = [summarise(random.normal(50, 2, 30).tolist(), [0.2] * 30) for _ in range(200)]
        named = sum(len(one.outliers or ()) for one in told)
        self.assertLess(named / 6000, 0.005)


if __name__ == "__main__":
    unittest.main()
