"""Focus over a wider window: it lies where the fine one does, and one edge does not outshine what is beside it."""

import unittest

import numpy as np

from amber_ladder.core.focus import WIDE, wide_energy, widened


class Wide(unittest.TestCase):
    def test_what_is_told_of_it_lies_where_the_fine_one_does(self) -> None:
        for shape in ((123, 157), (120, 160), (101, 98)):
            with self.subTest(shape):
                rows, columns = np.mgrid[: shape[0], : shape[1]].astype(np.float32)
                slope = (columns + 2 * rows + 1) ** 2
                back = np.sqrt(widened(wide_energy(slope), shape))
                self.assertEqual(back.shape, shape)
                inner = np.s_[36:-36, 36:-36]
                self.assertLess(float(np.abs(back - np.sqrt(slope))[inner].max()), 0.15)  # px of the slope

    def test_pictures_smaller_than_a_pixel_of_it(self) -> None:
        for shape in ((3, 5), (1, 1), (4, 2)):
            self.assertEqual(widened(wide_energy(np.ones(shape, np.float32)), shape).tolist(), np.ones(shape).tolist())

    def test_an_edge_counts_less_than_its_energy(self) -> None:
        rows = np.full((80, 80), 1.0, np.float32)
        rows[:, 38:42] = 400.0
        beside = wide_energy(rows)[10, 40 // WIDE - 4]  # 16 px off
        self.assertLess(float(beside), 4.0)  # the mean of the energies is 14.8


if __name__ == "__main__":
    unittest.main()
