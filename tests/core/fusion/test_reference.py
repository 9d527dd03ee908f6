"""On which frame all others are laid, and how fast a picture grows from frame to frame."""

import unittest

import numpy as np

from amber_ladder.core.fusion._growth import Growth, growth_between
from amber_ladder.core.fusion._reference import narrowest, surest_frame
from tests.core.registration.test_pair import similarity

SHAPE = (480, 640)


def chained(count: int, each_px: float, held: int) -> np.ndarray:
    """How sure frames of a chain are against one that is held."""
    return each_px * np.sqrt(np.abs(np.arange(count) - held).astype(np.float64))


class Reference(unittest.TestCase):
    def test_it_lies_in_the_middle_of_what_is_sharp_wherever_the_first_guess_was(self) -> None:
        sharp = np.zeros(21)
        sharp[4:13] = 0.05
        for held in (0, 8, 20):
            self.assertEqual(surest_frame(held, sharp, chained(21, 0.05, held)), 8)

    def test_where_a_stretch_ties_nothing_the_side_that_shows_more_counts(self) -> None:
        """Crystal faces, then nothing for long, then the ground far behind."""
        sharp = np.array([0.05] * 6 + [0.0] * 8 + [0.02] * 4)
        corner = chained(18, 0.04, 0)
        corner[10:] = np.hypot(corner[10:], 1.5)
        self.assertLess(surest_frame(0, sharp, corner), 6)

    def test_of_frames_that_show_much_the_narrowest_is_taken_so_that_no_edge_is_invented(self) -> None:
        sharp = np.full(10, 0.05)
        scales = [1.0 + 0.001 * k for k in range(10)]
        self.assertEqual(narrowest(scales, 5, sharp, np.full(10, 0.05)), 0)
        self.assertEqual(narrowest(scales[::-1], 5, sharp, np.full(10, 0.05)), 9)

    def test_but_not_one_that_shows_little_or_lies_unsurely(self) -> None:
        scales = [1.0 + 0.001 * k for k in range(10)]
        sharp, corner = np.full(10, 0.05), np.full(10, 0.05)
        sharp[0], corner[1] = 0.001, 0.6
        self.assertEqual(narrowest(scales, 5, sharp, corner), 2)
        # Where all others lie unsurely, the surest stays.
        self.assertEqual(narrowest(scales, 5, sharp, np.full(10, 3.0)), 5)


class Grown(unittest.TestCase):
    def matrices(self, z: list[float], per_step: float) -> list[np.ndarray]:
        """A picture that grows has a matrix that shrinks it."""
        return [similarity(float(np.exp(-per_step * at)), 0.0, (0.0, 0.0), SHAPE) for at in z]

    def test_a_steps_growth_is_told_on_uneven_steps_too(self) -> None:
        z = [0.0, 1.0, 2.0, 5.0, 6.0, 6.5, 9.0]
        found = growth_between(self.matrices(z, 4e-4), z, np.full(7, 1e-4), np.full(7, 0.1))
        self.assertAlmostEqual(found.per_step, 4e-4, places=8)
        self.assertAlmostEqual(found.u_per_step, np.hypot(1e-4, 1e-4) / 9.0, places=8)
        self.assertIsNone(found.seen)

    def test_frames_that_show_next_to_nothing_do_not_tell_it(self) -> None:
        """Beyond what is sharp, frames lie anyhow."""
        z = [float(k) for k in range(12)]
        matrices = self.matrices(z, 4e-4)
        for wild in (0, 1, 10, 11):
            matrices[wild] = similarity(1.2, 0.0, (0.0, 0.0), SHAPE)
        sharp = np.array([0.0, 0.0, *[0.1] * 8, 0.0, 0.0])
        self.assertAlmostEqual(growth_between(matrices, z, np.full(12, 1e-4), sharp).per_step, 4e-4, places=8)

    def test_across_a_leap_nobody_knows_how_far_it_went_the_part_that_shows_most_tells(self) -> None:
        at = [0.0, 1.0, 2.0, 3.0, 40.0, 41.0, 42.0, 43.0, 44.0]
        z = [float(k) for k in range(9)]  # as it was counted
        sharp = np.array([0.02] * 4 + [0.1] * 5)
        matrices = self.matrices(at, 4e-4)
        matrices[0] = similarity(1.01, 0.0, (0.0, 0.0), SHAPE)
        found = growth_between(matrices, z, np.full(9, 1e-4), sharp, leaps=(3,))
        self.assertAlmostEqual(found.per_step, 4e-4, places=8)

    def test_what_is_held_to_a_limit_is_unsure_by_all_that_the_limits_leave(self) -> None:
        held = Growth(9e-4, 1e-5).within((1e-4, 4e-4))
        self.assertEqual((held.per_step, held.seen), (4e-4, 9e-4))
        self.assertAlmostEqual(held.u_per_step, 3e-4 / np.sqrt(12.0))  # a rectangle's, GUM 4.3.7
        self.assertEqual(Growth(-2e-4, 1e-5).within((1e-4, 4e-4)).per_step, 1e-4)


if __name__ == "__main__":
    unittest.main()
