"""What two tiles show alike, where they lie by that, and which tiles a set has."""

import itertools
import unittest

import cv2
import numpy as np

from amber_ladder.core.tiles._covered import inner_box
from amber_ladder.core.tiles._match import Match, match, similar
from amber_ladder.core.tiles._places import Overlap, Perspective, depth_around, even_depths, place
from amber_ladder.core.tiles._planned import TileGrid, place_in_grid, tiles_along

WHOLE = (700, 1000)


def texture(seed: int) -> np.ndarray:
    random = np.random.default_rng(seed)
    fine, wide = (cv2.GaussianBlur(random.normal(size=WHOLE), (0, 0), sigma) for sigma in (1.5, 6.0))
    return np.asarray(120 + 22 * fine / fine.std() + 18 * wide / wide.std(), np.float32)


def cut(whole: np.ndarray, x: float, y: float, *, turn_deg: float = 0.0, gain: float = 1.0) -> np.ndarray:
    """A tile of 480 × 360 px whose corner lies there, turned about its middle."""
    c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    middle = np.array([239.5, 179.5])
    linear = np.array([[c, -s], [s, c]])
    matrix = np.column_stack([linear, np.array([x, y]) + middle - linear @ middle])
    tile = cv2.warpAffine(whole, matrix, (480, 360), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
    return np.asarray(np.clip(tile * gain, 0, 255), np.uint8)


class Matched(unittest.TestCase):
    def found(self, first: np.ndarray, second: np.ndarray, said: tuple[float, float], off_px: float = 30.0) -> Match:
        one = match(first, second, np.array(said), off_px)
        assert one is not None
        return one

    def test_a_shift_is_found_to_a_twentieth_of_a_pixel_though_it_was_said_20_px_wrong(self) -> None:
        whole = texture(3)
        for x, y in ((350.0, 12.0), (352.37, -0.0), (340.5, 9.25)):
            one = self.found(cut(whole, 100, 100), cut(whole, 100 + x, 100 + y), (x + 20, y - 14))
            np.testing.assert_allclose(np.median(one.first - one.second, axis=0), [x, y], atol=0.05)
            self.assertGreater(len(one.first), 15)
            # What is told lies in both pictures.
            for points in (one.first, one.second):
                self.assertTrue(((points >= 0) & (points <= [480, 360])).all())

    def test_a_brighter_and_slightly_turned_neighbour_is_found_too(self) -> None:
        whole = texture(4)
        one = self.found(cut(whole, 100, 60), cut(whole, 440, 75, turn_deg=0.3, gain=0.7), (335.0, 20.0))
        fitted = similar(one.first, one.second)
        ahead = fitted(np.array([[300.0, 100.0], [400.0, 100.0]]))
        turned = np.degrees(np.arctan2(*(ahead[1] - ahead[0])[::-1]))
        self.assertAlmostEqual(float(turned), -0.3, delta=0.03)

    def test_pictures_of_something_else_have_nothing_in_common(self) -> None:
        self.assertIsNone(match(cut(texture(5), 100, 60), cut(texture(6), 440, 60), np.array([340.0, 0.0]), 30.0))

    def test_nothing_is_told_by_an_overlap_of_a_few_pixels_or_by_empty_ground(self) -> None:
        whole = texture(7)
        self.assertIsNone(match(cut(whole, 40, 60), cut(whole, 505, 60), np.array([465.0, 0.0]), 10.0))
        empty = np.full((360, 480), 90, np.uint8)
        self.assertIsNone(match(empty, empty.copy(), np.array([340.0, 0.0]), 30.0))


def grid_of_points(seed: int, count: int = 60) -> np.ndarray:
    return np.random.default_rng(seed).uniform([0, 0], [480, 360], (count, 2))


class Placed(unittest.TestCase):
    """Tiles whose overlaps are known exactly, said to lie elsewhere."""

    SHAPE = (360, 480)
    TRUE = np.array([[0.0, 0.0], [400.0, 3.0], [2.0, 300.0], [398.0, 305.0]])
    PAIRS = ((0, 1), (0, 2), (1, 3), (2, 3))

    def overlap(self, first: int, second: int, *, wrong: int = 0) -> Overlap:
        shift = self.TRUE[second] - self.TRUE[first]
        low, high = np.maximum(shift, 0), np.minimum(shift, 0) + np.array([480, 360])
        points = np.random.default_rng(first * 7 + second).uniform(low, high, (50, 2))
        others = points - shift
        others[:wrong] += 7.0
        return Overlap(first, second, Match(points, others))

    def test_all_overlaps_together_tell_where_each_tile_lies(self) -> None:
        said = self.TRUE + np.array([[0, 0], [9, -6], [-8, 5], [4, 11]])
        found = place(self.SHAPE, said, [self.overlap(*pair) for pair in self.PAIRS])
        anchor = found.matrices[found.anchor][:, 2] - self.TRUE[found.anchor]
        for matrix, true in zip(found.matrices, self.TRUE, strict=True):
            np.testing.assert_allclose(matrix[:, 2] - true, anchor, atol=0.01)
            np.testing.assert_allclose(matrix[:, :2], np.eye(2), atol=1e-4)
        self.assertTrue(all(found.tied))
        self.assertLess(max(one.rms_px or 0.0 for one in found.seams), 0.01)

    def test_points_that_were_taken_for_others_do_not_pull(self) -> None:
        """Facets repeat: a fifth of the points of one seam lie 10 px off."""
        found = place(self.SHAPE, self.TRUE, [self.overlap(*pair, wrong=10 if pair == (0, 1) else 0)
                                              for pair in self.PAIRS])  # fmt: skip
        anchor = found.matrices[found.anchor][:, 2] - self.TRUE[found.anchor]
        for matrix, true in zip(found.matrices, self.TRUE, strict=True):
            np.testing.assert_allclose(matrix[:, 2] - true, anchor, atol=0.05)
        first = next(one for one in found.seams if (one.first, one.second) == (0, 1))
        self.assertEqual(first.points, 40)

    def test_a_tile_that_nothing_ties_lies_where_it_was_said_and_has_no_uncertainty(self) -> None:
        said = self.TRUE + np.array([[0, 0], [0, 0], [0, 0], [15, 15]])
        overlaps = [self.overlap(0, 1), self.overlap(0, 2), Overlap(1, 3, None), Overlap(2, 3, None)]
        found = place(self.SHAPE, said, overlaps)
        self.assertEqual(found.tied, (True, True, True, False))
        np.testing.assert_allclose(found.matrices[3][:, 2], said[3], atol=0.01)
        self.assertTrue(np.isnan(found.corner_px[3]))
        self.assertFalse(np.isnan(found.corner_px[:3]).any())
        self.assertEqual([one.rms_px for one in found.seams[2:]], [None, None])

    def test_what_lies_deep_is_shifted_against_what_lies_near_as_each_tile_saw_it_from_above_itself(self) -> None:
        growth, deep = 2e-5, 300.0  # a unit deeper, and how deep to either side
        centre, shift = np.array([239.5, 179.5]), self.TRUE[1] - self.TRUE[0]
        points = np.random.default_rng(2).uniform([400, 3], [480, 360], (80, 2))
        depth = np.random.default_rng(3).uniform(-deep, deep, 80)
        flat = centre + (points - centre) / (1.0 - growth * depth)[:, None]  # as seen from nowhere in particular
        others = centre + (flat - shift - centre) * (1.0 - growth * depth)[:, None]
        one = Overlap(0, 1, Match(points, others), depth)
        seen = Perspective(growth, 0.2 * growth, deep, np.array([0.05, 0.05]))
        said = self.TRUE[:2] + np.array([[0, 0], [4, 4]])
        with_depth = place(self.SHAPE, said, [one], seen)
        without = place(self.SHAPE, said, [Overlap(0, 1, one.match)])
        self.assertLess(with_depth.seams[0].rms_px or 1.0, 0.1)
        self.assertGreater(without.seams[0].rms_px or 0.0, 4 * (with_depth.seams[0].rms_px or 1.0))


class Depths(unittest.TestCase):
    def test_depth_maps_are_evened_by_what_both_tiles_show(self) -> None:
        random = np.random.default_rng(8)
        depths = [np.asarray(random.normal(100.0 + more, 0.5, (360, 480)), np.float32) for more in (0.0, 12.0, -5.0)]
        points = grid_of_points(1)
        pairs = [Overlap(0, 1, Match(points, points)), Overlap(1, 2, Match(points, points))]
        added, u, left = even_depths(depths, pairs)
        np.testing.assert_allclose(added, [0.0, -12.0, 5.0], atol=0.2)
        self.assertTrue((np.diff(u) > 0).all())  # the farther from the first, the less sure
        self.assertLess(float(left.max()), 0.2)

    def test_a_tile_without_known_depth_beside_another_is_not_evened_but_unknown(self) -> None:
        depths = [np.full((360, 480), 50.0, np.float32), np.full((360, 480), np.nan, np.float32)]
        points = grid_of_points(2)
        added, u, _ = even_depths(depths, [Overlap(0, 1, Match(points, points))])
        self.assertEqual(added[0], 0.0)
        self.assertTrue(np.isnan(added[1]))
        self.assertTrue(np.isnan(u[1]))

    def test_depth_around_a_point_is_the_median_of_what_is_known_there(self) -> None:
        depth = np.full((40, 60), np.nan, np.float32)
        depth[:, :30] = 7.0
        depth[20, 10] = 400.0
        found = depth_around(depth, np.array([[10.0, 20.0], [45.0, 20.0], [-3.0, 2.0]]))
        self.assertEqual(found[0], 7.0)
        self.assertTrue(np.isnan(found[1]))


class Planned(unittest.TestCase):
    def test_so_many_fields_cover_a_length_and_one_less_does_not(self) -> None:
        for length_um, field_um, overlap in ((5000, 900, 0.2), (901, 900, 0.25), (12345, 777, 0.35), (1620, 900, 0.2)):
            count = tiles_along(length_um, field_um, overlap)

            def reached(count: int, field_um: float = field_um, overlap: float = overlap) -> float:
                return field_um + (count - 1) * field_um * (1 - overlap)

            self.assertGreaterEqual(reached(count) + 1e-6, length_um)
            self.assertLess(reached(count - 1), length_um)
        self.assertEqual(tiles_along(900, 900, 0.2), 1)

    def test_a_length_that_fields_cover_exactly_takes_no_further_one_for_a_rounding(self) -> None:
        for field_um, overlap in ((777.0, 0.35), (611.3, 0.2), (843.7, 0.15)):
            for more in range(1, 9):
                length_um = field_um + more * field_um * (1 - overlap)
                self.assertEqual(tiles_along(length_um, field_um, overlap), more + 1)

    def test_a_snake_never_goes_farther_than_one_field(self) -> None:
        grid = TileGrid(4, 3, 0.25, "snake", (800.0, 600.0))
        places = grid.places()
        self.assertEqual([one.number for one in places], list(range(1, 13)))
        self.assertEqual(len({(one.column, one.row) for one in places}), 12)
        for one, after in itertools.pairwise(places):
            moved = sorted((abs(after.x_um - one.x_um), abs(after.y_um - one.y_um)))
            self.assertEqual(moved[0], 0.0)
            self.assertIn(moved[1], (600.0, 450.0))
        self.assertEqual(grid.covers_um, (800 + 3 * 600, 600 + 2 * 450))
        self.assertEqual([place_in_grid(n, 4, "rows") for n in (3, 4)], [(3, 0), (0, 1)])


class Covered(unittest.TestCase):
    BOX = (0, 0, 400, 300)

    def at(self, *places: tuple[float, float]) -> list[np.ndarray]:
        return [np.array([[1.0, 0.0, x], [0.0, 1.0, y]]) for x, y in places]

    def test_the_largest_rectangle_without_a_notch_is_shown(self) -> None:
        matrices = self.at((0, 0), (350, 6), (-4, 260), (352, 265))
        x, y, width, height = inner_box(matrices, [self.BOX] * 4)
        # From the whole's own corner (−4, 0): all four tiles cover 0 to 750 and 6 to 560.
        self.assertTrue(4 <= x <= 7 and 6 <= y <= 9, (x, y))
        self.assertTrue(750 <= x + width <= 754 and 556 <= y + height <= 560, (x + width, y + height))

    def test_a_whole_that_lacks_a_tile_is_shown_with_its_notch(self) -> None:
        matrices = self.at((0, 0), (350, 0), (0, 260))
        self.assertEqual(inner_box(matrices, [self.BOX] * 3), (0, 0, 750, 560))


if __name__ == "__main__":
    unittest.main()
