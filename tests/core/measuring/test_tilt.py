"""The angle between rail and optical axis, from where the picture goes."""

import unittest

import numpy as np

from amber_ladder.core.measuring import rail_tilt


class Tilts(unittest.TestCase):
    def test_a_tilt_to_its_uncertainty_in_all_directions(self) -> None:
        travel = np.linspace(0.0, 780.0, 40)
        for turn in np.linspace(0, 6, 7):
            aside = np.outer(travel * np.tan(np.deg2rad(2.5)), [np.cos(turn), np.sin(turn)])
            found = rail_tilt(travel, aside)
            assert found is not None
            self.assertAlmostEqual(found[0], 2.5, places=6)
            self.assertLess(found[1], 1e-6)

    def test_jolts_that_add_up_are_no_tilt_beyond_what_is_stated(self) -> None:
        travel, within, off = np.linspace(0.0, 780.0, 40), 0, []
        for seed in range(400):
            walk = np.cumsum(np.random.default_rng(seed).normal(0, 0.3, (40, 2)), axis=0)
            found = rail_tilt(travel, walk + np.outer(travel * np.tan(np.deg2rad(1.5)), [0.6, 0.8]))
            assert found is not None
            within += abs(found[0] - 1.5) <= 2 * found[1]
            off.append(found[1])
        self.assertGreater(within / 400, 0.93)
        self.assertLess(within / 400, 0.99)
        self.assertAlmostEqual(float(np.median(off)), np.degrees(0.3 * np.sqrt(39) / 780), delta=0.02)

    def test_too_few_frames_tell_nothing(self) -> None:
        self.assertIsNone(rail_tilt(np.linspace(0.0, 80.0, 5), np.zeros((5, 2))))
        self.assertIsNone(rail_tilt(np.zeros(20), np.zeros((20, 2))))


if __name__ == "__main__":
    unittest.main()
