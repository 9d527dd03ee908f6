"""All pairs of a stack as one graph: against answers that can be written down, and chance against what is claimed."""

import unittest
from collections.abc import Sequence

import numpy as np

from amber_ladder.core.registration import IDENTITY, Link, Matrix, compose, inverse, scale_of, solve_graph
from tests.core.registration.test_pair import similarity
from tests.support.stacks import corner_error_px

SHAPE = (480, 640)
SURE = np.diag([0.03, 0.03, 0.02, 0.02]) ** 2
FLOOR_PX = 0.008  # below which no pair is believed


def link(first: int, second: int, matrix: Matrix, covariance: np.ndarray = SURE) -> Link:
    return Link(first, second, matrix, covariance, np.zeros(4))


def moved(across: float, down: float) -> Matrix:
    return similarity(1.0, 0.0, (across, down), SHAPE)


def steps(count: int) -> list[float]:
    return [float(k) for k in range(count)]


class ByHand(unittest.TestCase):
    """What a surveyor would reckon on paper."""

    def test_a_chain_is_added_up_and_the_held_frame_stays_where_it_is(self) -> None:
        places = [similarity(1.0, 0.05 * k, (1.5 * k, -0.7 * k * k), SHAPE) for k in range(6)]
        links = [link(k, k + 1, compose(inverse(places[k]), places[k + 1])) for k in range(5)]
        for held in (0, 3, 5):
            found, unsure = solve_graph(links, steps(6), held, SHAPE)
            np.testing.assert_allclose(found[held], IDENTITY, atol=1e-12)
            self.assertLess(float(np.abs(unsure[held]).max()), 5e-3**2)
            for k in range(6):
                want = compose(inverse(places[held]), places[k])
                self.assertLess(corner_error_px(found[k], want, SHAPE), 0.02, (held, k))

    def test_what_pairs_are_unsure_of_adds_up_along_a_chain_as_squares(self) -> None:
        links = [link(k, k + 1, IDENTITY) for k in range(9)]
        _, unsure = solve_graph(links, steps(10), 0, SHAPE)
        each = np.hypot(0.02, FLOOR_PX)
        for k in range(10):
            shift = np.sqrt(np.diagonal(unsure[k])[2:])
            np.testing.assert_allclose(shift, each * np.sqrt(k), rtol=0.02, atol=2e-4)

    def test_a_loop_that_does_not_close_is_shared_out_by_how_sure_each_side_is(self) -> None:
        """Two steps of 1.0 px against one pair that says 2.3: by least squares the middle and the end shift by these."""
        wide = np.diag([0.03, 0.03, 0.04, 0.04]) ** 2
        links = [link(0, 1, moved(1.0, 0.0)), link(1, 2, moved(1.0, 0.0)), link(0, 2, moved(2.06, 0.0), wide)]
        found, _ = solve_graph(links, steps(3), 0, SHAPE)
        near, far = 0.02**2 + FLOOR_PX**2, 0.04**2 + FLOOR_PX**2
        share = 0.06 * near / (2 * near + far)
        middle = np.array([SHAPE[1] / 2, SHAPE[0] / 2, 1.0])
        self.assertAlmostEqual(float((found[1] @ middle - middle[:2])[0]), 1.0 + share, delta=0.003)
        self.assertAlmostEqual(float((found[2] @ middle - middle[:2])[0]), 2.0 + 2 * share, delta=0.004)

    def test_a_pair_that_knows_one_direction_only_leaves_the_other_to_those_that_do(self) -> None:
        blind_across = np.diag([0.03, 0.03, 2.0, 0.02]) ** 2
        links = [
            link(0, 1, moved(0.0, 1.0)),
            link(1, 2, moved(0.0, 1.0)),
            link(0, 2, moved(1.5, 2.0), blind_across),
        ]
        found, _ = solve_graph(links, steps(3), 0, SHAPE)
        middle = np.array([SHAPE[1] / 2, SHAPE[0] / 2, 1.0])
        across, down = found[2] @ middle - middle[:2]
        self.assertLess(abs(float(across)), 0.01)
        self.assertAlmostEqual(float(down), 2.0, delta=0.01)

    def test_growth_that_is_held_is_kept_to_between_uneven_steps(self) -> None:
        z = [0.0, 1.0, 2.0, 4.5, 5.5, 6.0]
        found, _ = solve_graph([link(k, k + 1, IDENTITY) for k in range(5)], z, 0, SHAPE, growth=3e-4)
        for place, matrix in zip(z, found, strict=True):
            self.assertAlmostEqual(np.log(scale_of(matrix)), -3e-4 * place, delta=2e-6)

    def test_how_long_a_ladder_is_changes_nothing_of_its_near_end(self) -> None:
        def near_end(count: int) -> np.ndarray:
            links = [link(k, k + 1, similarity(1.0 + 1e-4, 0.01, (0.3, 0.1), SHAPE)) for k in range(count - 1)]
            return np.stack(solve_graph(links, steps(count), 0, SHAPE)[0][:5])

        np.testing.assert_allclose(near_end(8), near_end(60), atol=1e-5)


class Chance(unittest.TestCase):
    """What is claimed to be uncertain, against how far chance leads astray."""

    def scatter(self, *, rigid: bool, wild: Sequence[int] = ()) -> tuple[np.ndarray, np.ndarray]:
        """Errors of 14 frames in 60 trials as (turn, across, down) px, and what is claimed of each."""
        random = np.random.default_rng(11)
        errors, claims = list[np.ndarray](), list[np.ndarray]()
        middle, half = np.array([(SHAPE[1] - 1) / 2, (SHAPE[0] - 1) / 2, 1.0]), float(np.hypot(*SHAPE)) / 2
        for _ in range(60):
            links = []
            for apart in (1, 2):
                for first in range(14 - apart):
                    grown, turned, across, down = random.normal(0.0, [0.03, 0.03, 0.02, 0.02])
                    if apart == 1 and first in wild:
                        across += 6.0
                    off = similarity(1.0 + grown / half, np.degrees(turned / half), (across, down), SHAPE)
                    links.append(link(first, first + apart, off))
            found, unsure = solve_graph(links, steps(14), 0, SHAPE, rigid=rigid)
            errors.append(np.array([
                [np.arctan2(one[1, 0], one[0, 0]) * half, *(one @ middle - middle[:2])] for one in found
            ]))  # fmt: skip
            claims.append(np.sqrt(np.diagonal(unsure, axis1=1, axis2=2))[:, 1:])
        return np.array(errors), np.array(claims)

    def test_errors_are_as_large_as_is_claimed(self) -> None:
        for rigid in (True, False):
            errors, claims = self.scatter(rigid=rigid)
            for k in (1, 4, 8, 13):
                ratio = np.sqrt((errors[:, k] ** 2).mean(axis=0) / (claims[:, k] ** 2).mean(axis=0))
                for what, one in zip(("turn", "across", "down"), ratio, strict=True):
                    self.assertTrue(0.6 < one < 1.3, (rigid, k, what, one))

    def test_one_wild_pair_leads_nothing_astray(self) -> None:
        errors, claims = self.scatter(rigid=True, wild=(6,))
        ratio = np.sqrt((errors[:, 13] ** 2).mean(axis=0) / (claims[:, 13] ** 2).mean(axis=0))
        self.assertLess(float(ratio.max()), 1.8)
        self.assertLess(float(np.abs(errors[:, 13, 1]).max()), 0.5)


if __name__ == "__main__":
    unittest.main()
