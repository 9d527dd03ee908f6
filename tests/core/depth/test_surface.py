import unittest

import numpy as np

from amber_ladder.core.depth import depth_spread, surface


class Surfaces(unittest.TestCase):
    def setUp(self) -> None:
        rows, columns = np.mgrid[0:120, 0:160].astype(np.float32)
        self.slope = 2 + columns / 20 + rows / 60
        self.sure = np.full(self.slope.shape, 3.0, np.float32)

    def test_a_clean_slope_is_kept(self) -> None:
        found = surface(self.slope, self.sure, 12)
        self.assertLess(float(np.abs(found.index - self.slope)[4:-4, 4:-4].max()), 0.1)
        self.assertTrue(found.known.all())

    def test_single_wrong_peaks_give_way_to_their_neighbours(self) -> None:
        wrong = self.slope.copy()
        where = np.random.default_rng(1).random(wrong.shape) < 0.02
        wrong[where] = 30
        found = surface(wrong, self.sure, 12)
        self.assertLess(float(np.abs(found.index - self.slope)[where].max()), 1.0)
        self.assertGreater(float(found.known.mean()), 0.95)

    def test_where_neighbours_disagree_depth_is_unknown(self) -> None:
        torn = self.slope.copy()
        patches = np.random.default_rng(5).uniform(0, 30, (10, 10)).astype(np.float32)
        torn[30:70, 40:80] = np.kron(patches, np.ones((4, 4), np.float32))
        found = surface(torn, self.sure, 12)
        self.assertLess(float(found.known[36:64, 46:74].mean()), 0.05)
        self.assertTrue(found.known[90:, :].all())

    def test_a_blank_patch_is_filled_from_around_it_and_said_to_be_unknown(self) -> None:
        index, confidence = self.slope.copy(), self.sure.copy()
        index[40:80, 60:100] = np.random.default_rng(2).uniform(0, 20, (40, 40))
        confidence[40:80, 60:100] = 0.1
        found = surface(index, confidence, 12)
        patch = (slice(45, 75), slice(65, 95))
        self.assertLess(float(np.abs(found.index - self.slope)[patch].mean()), 0.7)
        self.assertFalse(found.known[patch].any())
        self.assertTrue(found.known[:30].all())

    def test_faint_detail_is_told_by_the_wider_window_and_a_hair_by_the_fine_one(self) -> None:
        random = np.random.default_rng(3)
        chance = random.uniform(0, 25, self.slope.shape).astype(np.float32)
        confidence = random.uniform(0.8, 1.6, self.slope.shape).astype(np.float32)
        hair = np.s_[:, 70:76]
        chance[hair], confidence[hair] = 20.0, 6.0
        wide = self.slope[2::4, 2::4].copy(), np.full((30, 40), 2.0, np.float32)
        wide[0][0, 0] = np.nan  # no frame reaches there
        ground = np.ones(self.slope.shape, np.bool_)
        ground[:, 66:80] = False
        for told, least, most in ((None, 3.0, np.inf), (wide, 0.0, 0.3)):
            found = surface(chance, confidence, 26, told)
            off = float(np.median(np.abs(found.index - self.slope)[ground]))
            self.assertTrue(least < off < most, off)
            self.assertTrue(np.isfinite(found.index).all())
            self.assertLess(float(np.abs(found.index[:, 72:74] - 20.0).max()), 0.3)
        self.assertFalse(found.known[ground].any())

    def test_a_step_in_depth_stays_a_step(self) -> None:
        step = np.where(np.arange(160)[None, :] < 80, 3.0, 15.0) * np.ones((120, 1))
        found = surface(step.astype(np.float32), self.sure, 12)
        between = (found.index > 4) & (found.index < 14)
        self.assertEqual(int(between.sum()), 0)

    def test_spread_is_not_decided_by_a_few(self) -> None:
        depth = self.slope.copy()
        depth[0, :5] = 1000
        depth[1] = np.nan
        spread = depth_spread(depth)
        assert spread is not None
        self.assertLess(spread[1], 13)
        self.assertIsNone(depth_spread(np.full((3, 3), np.nan, np.float32)))


if __name__ == "__main__":
    unittest.main()
