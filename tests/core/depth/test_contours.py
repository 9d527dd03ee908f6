"""Lines of equal depth, on surfaces whose lines are known."""

import unittest

import numpy as np

from amber_ladder.core.depth import contour_step, contours

Y, X = np.mgrid[0:600, 0:900].astype(np.float32)
RADIUS = np.hypot(X + 0.5 - 450, Y + 0.5 - 300)


class Contours(unittest.TestCase):
    def test_on_a_cone_they_are_circles(self) -> None:
        found = contours((2.0 * RADIUS).astype(np.float32), 100.0)
        self.assertEqual({one.depth for one in found}, {100.0 * i for i in range(1, 11)})
        for one in found:
            off = 2.0 * np.hypot(one.points[:, 0] - 450, one.points[:, 1] - 300) - one.depth
            self.assertLess(float(np.abs(off).max()), 3.0, one.depth)
        # One that lies wholly inside goes all the way round.
        inner = next(one.points for one in found if one.depth == 400.0)
        angles = np.sort(np.arctan2(inner[:, 1] - 300, inner[:, 0] - 450))
        self.assertLess(float(np.diff(angles).max()), 0.35)

    def test_they_end_where_depth_is_unknown(self) -> None:
        depth = RADIUS.copy()
        depth[:, 520:] = np.nan
        found = contours(depth, 50.0)
        self.assertTrue(found)
        for one in found:
            self.assertLess(float(one.points[:, 0].max()), 521.0)
            # Not along the edge of what is known: on the circle.
            self.assertLess(
                float(np.abs(np.hypot(one.points[:, 0] - 450, one.points[:, 1] - 300) - one.depth).max()), 2.0
            )

    def test_nothing_known_and_nothing_between(self) -> None:
        self.assertEqual(contours(np.full((300, 400), np.nan, np.float32), 10.0), [])
        self.assertEqual(contours(np.full((300, 400), 5.0, np.float32), 10.0), [])

    def test_steps_are_round_and_lines_are_about_ten(self) -> None:
        for near, far, step in ((0, 100, 10.0), (60.3, 609.4, 50.0), (0, 7.4, 1.0), (10, 10.9, 0.1), (0, 190, 20.0)):
            self.assertAlmostEqual(contour_step(near, far), step)


if __name__ == "__main__":
    unittest.main()
