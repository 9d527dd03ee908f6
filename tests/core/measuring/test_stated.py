import unittest
from math import inf, nan, sqrt

from amber_ladder.core.measuring import combined, of_tolerance, rounded


class Stated(unittest.TestCase):
    def test_two_digits_of_the_uncertainty(self) -> None:
        for value, u, stated in (
            (1.000009, 0.000586, (1.00001, 0.00059)),
            (12.3456, 0.123, (12.35, 0.12)),
            (1234.56, 123.0, (1230.0, 120.0)),
            (0.5, 0.0996, (0.5, 0.1)),
            (5.123456, 0.00999, (5.123, 0.01)),
            (-3.14159, 0.02, (-3.142, 0.02)),
        ):
            self.assertEqual(rounded(value, u), stated)

    def test_nothing_is_rounded_without_an_uncertainty(self) -> None:
        for u in (0.0, -1.0, inf, nan):
            self.assertEqual(rounded(1.23456789, u)[0], 1.23456789)

    def test_a_tolerance_is_spread_evenly(self) -> None:
        self.assertAlmostEqual(of_tolerance(0.003), 0.003 / sqrt(3))
        self.assertAlmostEqual(combined(0.003, 0.004), 0.005)


if __name__ == "__main__":
    unittest.main()
