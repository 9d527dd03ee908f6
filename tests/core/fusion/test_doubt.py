"""Pairs that the frame after next contradicts."""

import unittest

import numpy as np

from amber_ladder.core.fusion._doubt import doubted
from amber_ladder.core.registration import Link

SHAPE = (300, 400)


def link(first: int, second: int, across_px: float = 0.0, u_px: float = 0.1) -> Link:
    matrix = np.array([[1.0, 0.0, across_px], [0.0, 1.0, 0.0]])
    return Link(first, second, matrix, np.eye(4) * (u_px / 2) ** 2, np.zeros(4))


def said_px(links: list[Link]) -> list[float]:
    return [float(np.sqrt(np.trace(one.covariance))) for one in links]


class Doubted(unittest.TestCase):
    def test_a_pair_that_both_ways_across_it_contradict_is_as_unsure_as_they_lie_apart(self) -> None:
        count, wrong = 30, 12
        beside = [link(at, at + 1, 25.0 if at == wrong else 0.05) for at in range(count)]
        across = [link(at, at + 2, 0.1) for at in range(count - 1)]
        said = said_px(doubted(beside, across, SHAPE))
        self.assertAlmostEqual(said[wrong], 25.0, delta=0.2)
        for at in set(range(count)) - {wrong}:
            self.assertAlmostEqual(said[at], 0.1, places=6)

    def test_where_many_misfit_all_are_less_sure(self) -> None:
        beside = [link(at, at + 1) for at in range(20)]
        across = [link(at, at + 2, 0.5) for at in range(19)]  # of 0.17 px, by what is said
        said = said_px(doubted(beside, across, SHAPE))
        self.assertTrue(all(0.2 < one < 0.3 for one in said), said)

    def test_without_a_word_from_farther_frames_they_are_as_sure_as_they_say(self) -> None:
        beside = [link(0, 1), link(1, 2)]
        self.assertEqual(said_px(doubted(beside, [], SHAPE)), said_px(beside))


if __name__ == "__main__":
    unittest.main()
