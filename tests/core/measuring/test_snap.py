"""Places snap to the edge beside them, to a tenth of a pixel."""

import unittest

import numpy as np

from amber_ladder.core.measuring import snapped_to_edge


def edge(at: float, turn_deg: float = 0.0, size: int = 60) -> np.ndarray[tuple[int, int], np.dtype[np.float32]]:
    """Dark on one side, bright on the other of a line ``at`` px from the middle, as soft as a lens makes it."""
    y, x = np.mgrid[0:size, 0:size] - (size - 1) / 2
    turn = np.deg2rad(turn_deg)
    across = x * np.cos(turn) + y * np.sin(turn) - at
    return np.asarray(0.2 + 0.6 / (1 + np.exp(-across / 0.8)), np.float32)


class Snap(unittest.TestCase):
    def test_to_a_tenth_of_a_pixel_whatever_the_direction(self) -> None:
        random = np.random.default_rng(3)
        for turn in (0, 20, 45, 77, 90):
            for at in (-0.4, 0.0, 0.3, 2.45):
                grey = edge(at, turn) + random.normal(0, 0.01, (60, 60)).astype(np.float32)
                found = snapped_to_edge(grey, 32.0, 27.0)
                assert found is not None
                x, y = found[0] - 29.5, found[1] - 29.5
                off = x * np.cos(np.deg2rad(turn)) + y * np.sin(np.deg2rad(turn)) - at
                with self.subTest(turn=turn, at=at):
                    self.assertLess(abs(off), 0.12)

    def test_of_two_edges_the_nearer(self) -> None:
        both = edge(-6.0) + edge(8.0)
        found = snapped_to_edge(both, 29.5 - 3.0, 30.0)
        assert found is not None
        self.assertAlmostEqual(found[0], 29.5 - 6.0, delta=0.2)

    def test_where_there_is_none_it_stays(self) -> None:
        self.assertIsNone(snapped_to_edge(np.full((60, 60), 0.5, np.float32), 30.0, 30.0))
        self.assertIsNone(snapped_to_edge(edge(25.0), 5.0, 30.0))


if __name__ == "__main__":
    unittest.main()
