"""Scales of months: steady, drifting, or one apart, told from made calibrations whose truth is known."""

import random
import unittest

from amber_ladder.core.measuring import drift_of

MONTH = 365.25 / 12.0


def measured(draw: random.Random, true: list[float], u: float) -> list[float]:
    return [value + draw.gauss(0.0, u) for value in true]


class DriftOfAScale(unittest.TestCase):
    days = tuple(MONTH * one for one in range(8))

    def test_one_calibration_tells_nothing(self) -> None:
        self.assertEqual(drift_of([0.0], [0.75], [0.001]).verdict, "few")

    def test_a_steady_scale_is_seldom_said_to_move(self) -> None:
        draw = random.Random(1)
        told = [drift_of(self.days, measured(draw, [0.75] * 8, 0.001), [0.001] * 8).verdict for _ in range(400)]
        # Chance alone makes one in twenty look otherwise.
        self.assertGreater(told.count("steady"), 0.92 * 400)
        self.assertLess(told.count("steady"), 0.98 * 400)

    def test_a_drift_is_found_with_its_size(self) -> None:
        draw = random.Random(2)
        true = [0.75 * (1.0 + 0.002 * one) for one in range(8)]
        told = [drift_of(self.days, measured(draw, true, 0.0008), [0.0008] * 8) for _ in range(200)]
        found = [one for one in told if one.verdict == "drifts"]
        self.assertGreater(len(found), 0.9 * 200)
        within = [abs((one.per_month or 0.0) - 0.002) <= (one.u_per_month or 0.0) for one in found]
        self.assertGreater(sum(within), 0.9 * len(within))

    def test_a_jump_is_no_drift_and_the_stranger_is_named(self) -> None:
        scales = [0.75, 0.7502, 0.7499, 0.76, 0.7501, 0.75, 0.7498, 0.7503]
        told = drift_of(self.days, scales, [0.0003] * 8)
        self.assertEqual((told.verdict, told.apart, told.per_month), ("jumps", 3, None))

    def test_of_two_that_differ_the_later_is_the_stranger(self) -> None:
        told = drift_of([0.0, 1.0], [0.75, 0.76], [0.0003, 0.0003])
        self.assertEqual((told.verdict, told.apart), ("jumps", 1))
        self.assertEqual(drift_of([0.0, 1.0], [0.75, 0.76], [0.01, 0.01]).verdict, "steady")

    def test_all_on_one_day_cannot_drift(self) -> None:
        self.assertEqual(drift_of([5.0] * 3, [0.75, 0.76, 0.75], [0.0003] * 3).verdict, "jumps")


if __name__ == "__main__":
    unittest.main()
