import unittest

import numpy as np

from amber_ladder.core.frames import ahead, to_grey


class Ahead(unittest.TestCase):
    def test_items_come_in_order_and_at_most_two_wait(self) -> None:
        loaded: list[int] = []

        def load(index: int) -> int:
            loaded.append(index)
            return index * 10

        got = []  # type: ignore[var-annotated]
        for index, item in ahead(load, range(6)):
            self.assertLessEqual(len(loaded), len(got) + 3)
            got.append((index, item))
        self.assertEqual(got, [(i, i * 10) for i in range(6)])

    def test_a_failure_reaches_the_caller(self) -> None:
        def load(index: int) -> int:
            if index == 2:
                raise OSError("gone")
            return index

        with self.assertRaises(OSError):
            list(ahead(load, range(4)))

    def test_grey_is_halved_by_averaging_in_both_depths(self) -> None:
        picture = np.random.default_rng(1).integers(0, 256, (8, 10, 3), np.uint8)
        small = to_grey(picture, 2)
        self.assertEqual(small.shape, (4, 5))
        np.testing.assert_allclose(to_grey(picture.astype(np.uint16) * 257, 2), small, atol=0.004)


if __name__ == "__main__":
    unittest.main()
