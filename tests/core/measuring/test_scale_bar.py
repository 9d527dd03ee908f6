import unittest

from amber_ladder.core.measuring import scale_bar


class ScaleBars(unittest.TestCase):
    def test_lengths_are_round_and_fit(self) -> None:
        for width, um_per_px, label in (
            (1500, 1.0, "200 µm"),
            (6000, 0.376, "500 µm"),
            (6000, 2.0, "2 mm"),
            (100, 0.05, "1 µm"),
        ):
            bar = scale_bar(width, um_per_px)
            self.assertEqual(bar.label, label)
            self.assertAlmostEqual(bar.length_px * um_per_px, bar.length_um)
            self.assertLessEqual(bar.length_px, width * 0.25 + 1e-6)


if __name__ == "__main__":
    unittest.main()
