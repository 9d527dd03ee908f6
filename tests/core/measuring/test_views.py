"""Views from a little aside, of pictures whose depth is known."""

import unittest
from math import degrees, radians, tan

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring import anaglyph, rocking, view_from

Byte = NDArray[np.uint8]


def picture(seed: int = 2) -> Byte:
    return np.random.default_rng(seed).integers(20, 235, (60, 200, 3), np.uint8)


def step() -> NDArray[np.float32]:
    """The right half lies 100 µm nearer."""
    depth = np.full((60, 200), 300.0, np.float32)
    depth[:, 100:] = 200.0
    return depth


class FromAside(unittest.TestCase):
    def test_what_is_level_stays_where_it_is(self) -> None:
        flat = np.full((60, 200), 250.0, np.float32)
        np.testing.assert_array_equal(view_from(picture(), flat, 2.0, 5.0, 250.0), picture())

    def test_what_is_nearer_moves_against_the_viewer_by_as_much_as_it_is_nearer(self) -> None:
        angle = degrees(np.arctan(20.0 / 100.0))  # 100 µm come to 20 µm, 10 px
        seen = view_from(picture(), step(), 2.0, angle, 300.0)
        np.testing.assert_array_equal(seen[:, :90], picture()[:, :90])
        np.testing.assert_array_equal(seen[:, 90:190], picture()[:, 100:])
        self.assertAlmostEqual(tan(radians(angle)), 0.2)

    def test_what_was_hidden_shows_what_lies_farther_beside_it(self) -> None:
        angle = degrees(np.arctan(0.2))
        seen = view_from(picture(), step(), 2.0, -angle, 300.0)
        np.testing.assert_array_equal(seen[:, 110:], picture()[:, 100:190])
        for column in range(100, 110):
            np.testing.assert_array_equal(seen[:, column], picture()[:, 99])

    def test_a_slope_is_stretched_without_gaps_and_holes_take_the_depth_beside_them(self) -> None:
        slope = np.tile(np.linspace(0, 160, 200, dtype=np.float32), (60, 1))
        slope[20:40, 50:60] = np.nan
        white = np.full((60, 200, 3), 200, np.uint8)
        seen = view_from(white, slope, 2.0, 20.0, 80.0)
        columns = np.flatnonzero((seen == 200).all(axis=(0, 2)))
        self.assertEqual(len(columns), 200)

    def test_an_anaglyph_for_both_eyes_within_what_they_bear(self) -> None:
        shown, angle = anaglyph(picture(), step(), 2.0)
        # 2.5 % of 200 px of 2 µm over 100 µm of depth.
        self.assertAlmostEqual(angle, min(4.0, degrees(np.arctan(0.1))), delta=0.01)
        flat, _ = anaglyph(picture(), np.full((60, 200), 9.0, np.float32), 2.0)
        np.testing.assert_array_equal(flat[..., 1:], picture()[..., 1:])
        self.assertFalse(np.array_equal(shown, flat))

    def test_a_film_goes_on_where_it_began(self) -> None:
        views = rocking(picture(), step(), 2.0, frames=8, angle_deg=6.0)
        self.assertEqual(len(views), 8)
        np.testing.assert_array_equal(views[0], picture())
        np.testing.assert_array_equal(views[4], picture())
        np.testing.assert_array_equal(views[1], views[3])
        self.assertFalse(np.array_equal(views[2], views[6]))


if __name__ == "__main__":
    unittest.main()
