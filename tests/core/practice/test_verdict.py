"""Scores of answers."""

import unittest

from amber_ladder.core.practice import closeness, marked, overall


class Scores(unittest.TestCase):
    def test_an_error_counts_by_its_ratio(self) -> None:
        told = [closeness(off, fine=1.0, poor=16.0) for off in (0.0, 1.0, 2.0, 4.0, 8.0, 16.0, 99.0)]
        for one, two in zip(told, [1.0, 1.0, 0.75, 0.5, 0.25, 0.0, 0.0], strict=True):
            self.assertAlmostEqual(one, two)

    def test_marking_all_or_none_is_worth_nothing(self) -> None:
        self.assertEqual(marked({1, 2}, {1, 2}, 10), 1.0)
        self.assertEqual((marked(range(10), {1, 2}, 10), marked([], {1, 2}, 10)), (0.0, 0.0))
        self.assertAlmostEqual(marked({1, 3}, {1, 2}, 10), 0.5 - 0.125)
        self.assertEqual((marked([], [], 10), marked([1], [], 10)), (1.0, 0.0))

    def test_what_is_spoiled_in_one_way_is_not_mended_by_another(self) -> None:
        self.assertAlmostEqual(overall([0.5, 1.0, 0.5]), 0.25)
        self.assertEqual(overall([0.0, 1.0, 1.0]), 0.0)


if __name__ == "__main__":
    unittest.main()
