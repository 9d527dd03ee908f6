"""Planes, circles, spheres, outlines and reliefs of known shape."""

import unittest

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring import Instrument, relief
from amber_ladder.core.measuring._fits import circle, heights, normal, outliers, plane, sphere
from amber_ladder.core.measuring._lines import along, apart, area, closed, within

Double = NDArray[np.float64]
SQUARE = np.array([[10.0, 10.0], [30.0, 10.0], [30.0, 30.0], [10.0, 30.0]])


def cap(radius: float, reach: float, count: int = 400) -> Double:
    """Places on the side of a sphere that faces the camera, its middle at (3, −2, 100)."""
    random = np.random.default_rng(1)
    x, y = random.uniform(-reach, reach, (2, count))
    return np.column_stack([x + 3, y - 2, 100 - np.sqrt(radius**2 - x**2 - y**2)])


class Fits(unittest.TestCase):
    def test_a_plane_and_what_lies_off_it(self) -> None:
        x, y = np.random.default_rng(2).uniform(-50, 50, (2, 60))
        solid = np.column_stack([x, y, 0.5 * x - 0.25 * y + 7])
        fitted = plane(solid)
        np.testing.assert_allclose(fitted, [0.5, -0.25, 7.0], atol=1e-9)
        deeper = np.add(solid, [0, 0, 3])
        np.testing.assert_allclose(heights(deeper, fitted), 3.0, atol=1e-9)
        np.testing.assert_allclose(np.linalg.norm(normal(fitted)), 1.0)
        self.assertLess(normal(fitted)[2], 0)  # towards the camera

    def test_weights_let_a_wrong_place_count_for_nothing(self) -> None:
        solid = np.array([[0, 0, 1], [9, 0, 1], [0, 9, 1], [9, 9, 1], [4, 4, 500]], np.float64)
        fitted = plane(solid, np.array([1, 1, 1, 1, 1e-12]))
        np.testing.assert_allclose(fitted, [0, 0, 1], atol=1e-6)

    def test_places_on_one_line_are_no_plane(self) -> None:
        self.assertTrue(np.isnan(plane(np.array([[0, 0, 1], [1, 1, 2], [2, 2, 3]], np.float64))[:2]).all())

    def test_circle_and_sphere_alone_and_in_many_draws(self) -> None:
        turn = np.linspace(0, 2, 9)
        round_ = np.column_stack([5 + 40 * np.cos(turn), -3 + 40 * np.sin(turn)])
        np.testing.assert_allclose(circle(round_), [5, -3, 40], atol=1e-6)
        np.testing.assert_allclose(sphere(cap(80, 30)), [3, -2, 100, 80], atol=1e-5)
        moved = np.stack([cap(80, 30), np.add(cap(80, 30), [1, 0, 0]), cap(80.5, 30)])
        np.testing.assert_allclose(sphere(moved)[:, 3], [80, 80, 80.5], atol=1e-3)
        flat = np.column_stack([cap(80, 30)[:, :2], np.full(400, 9.0)])
        self.assertTrue(np.isnan(sphere(flat)).all())

    def test_what_belongs_to_something_else_is_told_from_noise(self) -> None:
        off = np.append(np.random.default_rng(3).normal(0, 1, 500), [9.0, -12.0])
        found = outliers(off)
        self.assertTrue(found[-2:].all())
        self.assertLess(int(found[:-2].sum()), 4)


class Lines(unittest.TestCase):
    def test_places_along_a_line_with_both_ends(self) -> None:
        line = np.array([[[0.0, 0.0], [30.0, 0.0], [30.0, 40.0]]])
        places = along(line, every_px=10.0, most=100)
        self.assertEqual(places.shape, (1, 8, 2))
        np.testing.assert_allclose(places[0, [0, 3, -1]], [[0, 0], [30, 0], [30, 40]])
        self.assertLessEqual(along(line, every_px=0.01, most=100).shape[1], 103)

    def test_area_and_what_lies_within(self) -> None:
        self.assertEqual(area(SQUARE), 400.0)
        self.assertEqual(area(SQUARE[::-1]), 400.0)
        self.assertEqual(closed(SQUARE).shape, (5, 2))
        self.assertAlmostEqual(len(within(SQUARE, 1.0)), 400, delta=41)
        every = apart(SQUARE, 100)
        self.assertAlmostEqual(every, 2.0)
        inside = within(SQUARE, every)
        self.assertTrue(((inside >= 10) & (inside <= 30)).all())
        dent = np.array([[0, 0], [20, 0], [10, 10], [20, 20], [0, 20]], np.float64)
        self.assertFalse(any((x > 14 and 8 < y < 12) for x, y in within(dent, 1.0)))


class Reliefs(unittest.TestCase):
    def test_corners_lie_where_the_surface_does_and_holes_and_edges_stay_open(self) -> None:
        x = np.mgrid[0:80, 0:100][1].astype(np.float32)
        depth = np.asarray(50 + 0.5 * x, np.float32)
        depth[30:50, 40:60] = np.nan
        depth[:, 80:] += 500
        surface = relief(Instrument((80, 100), 2.0, 0.0, depth, np.full_like(depth, 0.1)), most_corners=100_000)
        self.assertEqual(surface.every_px, 1)
        self.assertEqual(len(surface.corners_um), 80 * 100 - 20 * 20)
        column, row = surface.places.T
        np.testing.assert_allclose(surface.corners_um[:, 0], (column - 49.5) * 2.0, atol=1e-6)
        np.testing.assert_allclose(surface.corners_um[:, 1], -(row - 39.5) * 2.0, atol=1e-6)
        inside = column < 78
        np.testing.assert_allclose(surface.corners_um[inside, 2], -(50 + 0.5 * column[inside]), atol=0.1)
        spans = np.ptp(surface.corners_um[surface.triangles][..., 2], axis=1)
        self.assertLess(float(spans.max()), 20.0)  # none over the edge
        one, two, three = (surface.corners_um[surface.triangles[:, i]] for i in range(3))
        self.assertTrue((np.cross(two - one, three - one)[:, 2] > 0).all())  # seen from the camera

    def test_as_many_corners_as_asked_for_at_most(self) -> None:
        depth = np.full((300, 400), 9.0, np.float32)
        found = relief(Instrument((300, 400), 1.0, 0.0, depth, np.full_like(depth, 0.1)), most_corners=2_000)
        self.assertLessEqual(len(found.corners_um), 2_000)
        self.assertGreater(len(found.corners_um), 1_000)

    def test_a_part_is_finer_and_lies_where_it_lies_in_the_whole(self) -> None:
        y, x = np.mgrid[0:300, 0:400]
        depth = np.asarray(100 + 0.2 * x + 0.1 * y, np.float32)
        flat = Instrument((300, 400), 3.0, 0.0, depth, np.full_like(depth, 0.1))
        whole, part = (relief(flat, most_corners=2_000, part=one) for one in (None, (100, 150, 60, 30)))
        self.assertEqual((whole.every_px, part.every_px), (8, 1))
        self.assertEqual(part.places.min(axis=0).tolist(), [100, 150])
        self.assertEqual(part.places.max(axis=0).tolist(), [159, 179])
        shared = {tuple(place): corner for place, corner in zip(whole.places.tolist(), whole.corners_um, strict=True)}
        corner = part.corners_um[part.places.tolist().index([104, 152])]
        np.testing.assert_allclose(corner, shared[104, 152], atol=0.2)


if __name__ == "__main__":
    unittest.main()
