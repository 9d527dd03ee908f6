"""Depth as a length."""

import unittest

import numpy as np

from amber_ladder.core.depth import depth_between


class DepthBetween(unittest.TestCase):
    def test_it_lies_between_the_depths_of_the_frames_on_either_side(self) -> None:
        at = np.array([0.0, 10.0, 14.0, 40.0])  # rungs were left out
        frames = np.array([[0.0, 0.5, 1.25], [2.5, 3.0, np.nan]], np.float32)
        depth, u = depth_between(frames, np.full_like(frames, 0.1), at)
        np.testing.assert_allclose(depth, [[0.0, 5.0, 11.0], [27.0, 40.0, np.nan]])
        # A tenth of the distance between frames there: the steps around each, and in between what lies between.
        np.testing.assert_allclose(u[0, 0], 1.0, rtol=1e-6)
        np.testing.assert_allclose(u[1, 1], 2.6, rtol=1e-6)
        self.assertTrue(np.isnan(u[1, 2]))


if __name__ == "__main__":
    unittest.main()
