import csv
import unittest
from io import BytesIO, StringIO

import numpy as np
from PIL import Image

from amber_ladder.core.measuring import scale_bar
from amber_ladder.formats.exports import csv_table, png_with_bar


class Exports(unittest.TestCase):
    def test_the_bar_is_as_long_as_it_says(self) -> None:
        picture = np.full((300, 800, 3), 128, np.uint8)
        bar = scale_bar(800, 0.5)
        shown = np.asarray(Image.open(BytesIO(png_with_bar(picture, bar, "TH-1"))))
        np.testing.assert_array_equal(shown[:300], picture)
        row = (shown[300:].max(axis=2) < 60).sum(axis=1).max()
        self.assertAlmostEqual(int(row) * 0.5, bar.length_um, delta=1.0)

    def test_tables_survive_commas_and_run_nothing(self) -> None:
        text = csv_table(("a", "b"), [("x, y", '=cmd("z")'), ("-9 °C", 3)])
        rows = list(csv.reader(StringIO(text)))
        self.assertEqual(rows[1], ["x, y", '\'=cmd("z")'])
        self.assertEqual(rows[2], ["'-9 °C", "3"])


if __name__ == "__main__":
    unittest.main()
